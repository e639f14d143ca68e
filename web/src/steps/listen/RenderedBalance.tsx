/** Where what lies behind a place does not treat loud and quiet alike: faders that are rendered by themselves. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { type Fader, fadersOf } from "../../playing/faders";
import type { Listening } from "../../playing/usePlaying";
import { sendEdit } from "../../rigs/edits";
import { num, signed } from "../../ui/format";
import { useLater } from "../../ui/hooks";

const REST_MS = 200;

export function RenderedBalance({
  l,
  place,
  why,
}: {
  l: Listening;
  place: Schemas["PlaceOut"];
  why: string;
}) {
  const { variant } = l;
  if (!variant) return null;
  return (
    <Box as="section" aria-label="Balance by rendering" maxWidth="760px">
      <Box color="ink2" marginTop="2px">
        {why} What you move is set in {l.rig.name} {variant.letter}, rendered by itself, and heard
        where it plays.
      </Box>
      {fadersOf(place, variant.document).map((fader) => (
        <One key={`${variant.id} ${fader.key}`} fader={fader} variant={variant.id} />
      ))}
    </Box>
  );
}

function One({ fader, variant }: { fader: Fader; variant: string }) {
  const [draft, setDraft] = useState<{ from: number; value: number } | null>(null);
  // Once what was set has come back, that is what it stands at.
  const value = draft && draft.from === fader.value ? draft.value : fader.value;
  const keep = useLater((to: number) => {
    for (const edit of fader.edits(to)) sendEdit(variant, edit);
  }, REST_MS);
  const { low, high, unit } = fader;
  const ticks = unit === "dB" ? [-40, -24, -12, -6, 0, 6, 12] : [0, 25, 50, 75, 100];
  return (
    <ScaleSlider
      label={unit === "dB" ? `Level of ${fader.name}` : fader.name}
      value={Math.max(low, Math.min(high, value))}
      low={low}
      high={high}
      step={fader.step}
      ticks={ticks}
      shown={(v) => `${unit === "dB" ? signed(v, 1) : num(v, 0)} ${unit}`}
      onChange={(to) => {
        setDraft({ from: fader.value, value: to });
        keep(to);
      }}
    />
  );
}
