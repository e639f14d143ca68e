/** A search at work: how far it is, the best so far, and a press that keeps it. */
import { Box } from "@chakra-ui/react";

import { Course } from "../ui/Course";
import { Press } from "../ui/controls";
import { atWork, type WishSearch } from "./wishes";

export function AtWork({ search, onStop }: { search: WishSearch | null; onStop: () => void }) {
  const best = search?.proposals ? null : search?.best;
  return (
    <Box marginTop="10px" maxWidth="720px">
      <Course share={search?.progress ?? 0} stages={[]} label="Looking for settings" />
      <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="baseline">
        <Box role="status" flex="1 1 260px">
          {search ? atWork(search) : "Beginning."}
        </Box>
        <Press onClick={onStop} disabled={!search}>
          Stop, keep the best
        </Press>
      </Box>
      {best && best.moves.length > 0 && (
        <Box as="ul" color="ink2" fontSize="13px" aria-label="The best so far">
          {best.moves.map((move) => (
            <li key={move}>{move}</li>
          ))}
        </Box>
      )}
    </Box>
  );
}
