/** What can be done by hand, with its keys: a few words always in view, the rest under one. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import { Press } from "../../ui/controls";
import type { Hand } from "./hands";

export function Tools({ hands, all = false }: { hands: Hand[]; all?: boolean }) {
  const [open, setOpen] = useState(false);
  const shown = hands.filter((h) => h.main || open || all);
  return (
    <Box
      role="toolbar"
      aria-label="Change the course"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="0 8px"
    >
      {shown.map((hand) => (
        <Press
          key={hand.key}
          look="quiet"
          fontSize="13px"
          gap="5px"
          hint={hand.key}
          disabled={!hand.possible}
          onClick={hand.run}
        >
          {hand.word}
        </Press>
      ))}
      {!all && (
        <Press look="quiet" fontSize="13px" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Fewer" : `${hands.length - shown.length} more`}
        </Press>
      )}
    </Box>
  );
}
