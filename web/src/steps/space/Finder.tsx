/** How a clip's phrases are found by its level. */
import { Box } from "@chakra-ui/react";

import type { Schemas } from "../../api/client";
import { keptSpace, limits } from "../../api/defaults.gen";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Press } from "../../ui/controls";
import { num } from "../../ui/format";
import type { SpaceHandle } from "./useSpace";

type Values = Schemas["GapFinder"];
const scale = (
  field: keyof Values,
  label: string,
  ticks: [number, number, number],
  step: number,
  shown: (v: number) => string,
): SliderOf<Values> => ({ field, label, low: ticks[0], high: ticks[2], step, ticks, shown });
const dB = (v: number) => `${num(v, 0)} dB`;
const seconds = (v: number) => `${num(v, 2)} s`;
const SCALES = [
  scale("below_db", "phrase: under the loudest by", [6, 26, 60], 1, dB),
  scale("hysteresis_db", "and ends lower by", [0, 10, 30], 1, dB),
  scale("shortest_gap_s", "shortest gap", [0.02, 0.5, 1], 0.01, seconds),
  scale("shortest_phrase_s", "shortest phrase", [0.02, 0.5, 1], 0.01, seconds),
];

export function Finder({ s }: { s: SpaceHandle }) {
  const byHand = s.data?.space.by_hand;
  const finder = s.space.finder!;
  return (
    <Box>
      <Box color="ink2">
        {byHand
          ? "Set by hand: drag an edge in the picture."
          : "Found by level: drag an edge in the picture to correct it."}
      </Box>
      <Sliders
        of={SCALES}
        values={finder}
        limits={limits.GapFinder}
        rests={keptSpace.finder}
        onChange={(more) => s.change({ finder: { ...finder, ...more }, phrases: null })}
      />
      {byHand && (
        <Press look="quiet" onClick={() => s.change({ phrases: null })}>
          Find them again
        </Press>
      )}
    </Box>
  );
}
