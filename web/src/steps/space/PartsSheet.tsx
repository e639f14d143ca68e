/** Early part and tail of a rig's reverb apart: size, low cut, tone, place, side, cross-talk. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import type { VariantChoice } from "../../ui/variants";

const FIELDS = [
  "early_size_percent",
  "early_low_cut_hz",
  "early_high_cut_hz",
  "early_pan_percent",
  "early_side_db",
  "early_cross_percent",
  "size_percent",
  "tail_low_cut_hz",
  "tail_high_cut_hz",
  "tail_pan_percent",
  "tail_side_db",
] as const;
type Parts = Record<(typeof FIELDS)[number], number>;
/** A cut at the end of its scale is off. */
const OFF: Partial<Parts> = {
  early_low_cut_hz: 20,
  tail_low_cut_hz: 20,
  early_high_cut_hz: 16_000,
  tail_high_cut_hz: 16_000,
};

const side = (v: number) => (v <= -59.5 ? "mono" : `${signed(v, 1)} dB`);
const pan = (v: number) =>
  v === 0 ? "centre" : `${num(Math.abs(v), 0)} % ${v < 0 ? "left" : "right"}`;
const low = (v: number) => (v <= 20 ? "off" : `${num(v, 0)} Hz`);
const high = (v: number) => (v >= 16_000 ? "open" : `${num(v / 1000, 1)} kHz`);
const scale = (
  field: keyof Parts,
  label: string,
  from: number,
  to: number,
  step: number,
  shown: (v: number) => string,
): SliderOf<Parts> => ({
  field,
  label,
  low: from,
  high: to,
  step,
  ticks: [from, to],
  shown,
});

const EARLY: SliderOf<Parts>[] = [
  scale("early_size_percent", "size", 20, 300, 5, (v) => `${num(v, 0)} %`),
  scale("early_low_cut_hz", "low cut", 20, 1000, 10, low),
  scale("early_high_cut_hz", "tone", 1000, 16_000, 250, high),
  scale("early_pan_percent", "pan", -100, 100, 5, pan),
  scale("early_side_db", "side against mid", -60, 12, 1, side),
  scale("early_cross_percent", "cross-talk", 0, 100, 5, (v) => `${num(v, 0)} %`),
];
const TAIL: SliderOf<Parts>[] = [
  scale("size_percent", "size", 20, 300, 5, (v) => `${num(v, 0)} %`),
  scale("tail_low_cut_hz", "low cut", 20, 1000, 10, low),
  scale("tail_high_cut_hz", "tone", 1000, 16_000, 250, high),
  scale("tail_pan_percent", "pan", -100, 100, 5, pan),
  scale("tail_side_db", "side against mid", -60, 12, 1, side),
];

export function PartsSheet({ route }: { route: VariantChoice }) {
  const reverb = Object.values(route.variant?.document.nodes ?? {}).find(
    (n) => n.kind === "reverb",
  ) as (Record<string, unknown> & { id: string; name?: string | null }) | undefined;
  const [moved, setMoved] = useState<Partial<Parts>>({});
  if (!reverb) return null;
  const parts = Object.fromEntries(
    FIELDS.map((f) => [f, moved[f] ?? (reverb[f] as number | null) ?? OFF[f] ?? 0]),
  ) as Parts;
  const change = (more: Partial<Parts>) => setMoved((m) => ({ ...m, ...more }));
  const changed = FIELDS.filter((f) => moved[f] !== undefined);
  const name = reverb.name ?? "Reverb";
  return (
    <Box as="section" aria-label="Early part and tail" minWidth="0">
      <SheetTitle sub about={`of ${name} in the rig chosen above`}>
        Early part and tail
      </SheetTitle>
      <Box fontSize="13px" color="ink2" marginTop="4px">
        early part
      </Box>
      <Sliders of={EARLY} values={parts} onChange={change} />
      <Box fontSize="13px" color="ink2" marginTop="8px">
        tail
      </Box>
      <Sliders of={TAIL} values={parts} onChange={change} />
      <Press
        disabled={!changed.length}
        onClick={() => {
          const values = Object.fromEntries(
            changed.map((f) => [f, OFF[f] !== undefined && moved[f] === OFF[f] ? null : moved[f]!]),
          );
          void route
            .send([{ do: "set", node: reverb.id, values }], `${name} is set to it.`)
            .then(() => setMoved({}));
        }}
      >
        {changed.length ? `Send ${changed.length} to ${name}` : "Nothing is moved yet"}
      </Press>
    </Box>
  );
}
