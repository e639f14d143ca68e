import { Box } from "@chakra-ui/react";

import { Dialog, Hint, Press } from "../ui/controls";
import { allKeys, type Scope } from "../ui/keys";

const NAMES: Record<Scope, string> = {
  everywhere: "Everywhere",
  route: "Route",
  time: "Time",
  space: "Space",
  blend: "Blend",
  listen: "Listen",
  trial: "While a test by ear runs",
  verify: "Verify, choosing a pair",
  result: "Verify, a result",
};

export function KeySheet({ onClose }: { onClose: () => void }) {
  const scopes = Object.keys(NAMES) as Scope[];
  return (
    <Dialog title="Keys" onClose={onClose}>
      <Box display="grid" gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr" }} gap="14px">
        {scopes.map((scope) => (
          <Box as="section" key={scope}>
            <Box as="h3" fontFamily="title" fontSize="15px" marginBottom="4px">
              {NAMES[scope]}
            </Box>
            {allKeys
              .filter((key) => key.scope === scope)
              .map((key) => (
                <Box key={key.shown} display="flex" gap="10px" paddingBlock="2px">
                  <Box minWidth="52px">
                    <Hint>{key.shown}</Hint>
                  </Box>
                  <Box>{key.does}</Box>
                </Box>
              ))}
          </Box>
        ))}
      </Box>
      <Box as="p" color="ink2" fontSize="13px" marginTop="12px">
        In fields: arrow keys step, Shift coarser, Alt finer, Enter accepts, Escape restores. Keys
        rest while a field has the focus.
      </Box>
      <Box marginTop="12px">
        <Press onClick={onClose} hint="Esc">
          Close
        </Press>
      </Box>
    </Dialog>
  );
}
