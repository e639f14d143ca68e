/** Beside the checks: how many of one's own wishes hold, and the way to them. */
import { Box } from "@chakra-ui/react";

import type { Variant } from "../api/client";
import { Pennant, Press } from "../ui/controls";
import { useWishes } from "./useWishes";
import { missing } from "./wishes";

export function StandingLine({ variant, onOpen }: { variant: Variant; onOpen: () => void }) {
  const some = (variant.document.wishes ?? []).length > 0;
  const { page } = useWishes(variant, some);
  const standing = page.data?.standing;
  if (!some || !standing || standing.wishes.length === 0) return null;
  const short = missing(standing.wishes);
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      gap="2px 12px"
      alignItems="center"
      paddingBlock="5px"
      role="group"
      aria-label="Your wishes"
    >
      <Pennant kind={short.length ? "caution" : "passed"} small />
      <Box flex="1 1 220px">
        <strong>Your wishes.</strong> {standing.sentence}
        {short.length > 0 && (
          <Box as="span" color="ink2">
            {" "}
            {short.slice(0, 2).join("; ")}
            {short.length > 2 ? ` and ${short.length - 2} more` : ""}
          </Box>
        )}
      </Box>
      <Press look="quiet" onClick={onOpen}>
        To the wishes
      </Press>
    </Box>
  );
}
