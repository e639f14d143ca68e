/** What can be done by hand, with its keys: a few words always in view, the rest under one. */
import { Box } from "@chakra-ui/react";
import { memo, useState } from "react";

import { Press } from "../../ui/controls";
import { useSteady } from "../../ui/hooks";
import type { Hand } from "./hands";

type Shown = Omit<Hand, "run">;

export function Tools({ hands }: { hands: Hand[] }) {
  const run = useSteady((key: string) => hands.find((h) => h.key === key)?.run());
  const shown = hands.map(({ key, word, main, possible }): Shown => ({
    key,
    word,
    main,
    possible,
  }));
  return <Words said={JSON.stringify(shown)} onRun={run} />;
}

const Words = memo(function Words({ said, onRun }: { said: string; onRun: (key: string) => void }) {
  const [open, setOpen] = useState(false);
  const hands = JSON.parse(said) as Shown[];
  const shown = hands.filter((h) => h.main || open);
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
          onClick={() => onRun(hand.key)}
        >
          {hand.word}
        </Press>
      ))}
      <Press look="quiet" fontSize="13px" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? "Fewer" : `${hands.length - shown.length} more`}
      </Press>
    </Box>
  );
});
