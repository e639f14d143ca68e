/** Early part and tail of a rig's reverb apart: size, low cut, tone, place, side, cross-talk. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import type { Variant } from "../../api/client";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { num, signed } from "../../ui/format";
import { SendTo } from "../../rigs/SendTo";
import { useStage } from "../../rigs/StagePick";
import type { Edit, RouteHandle } from "../../rigs/variants";

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
  "low_cut_hz",
  "high_decay_percent",
] as const;
type Parts = Record<(typeof FIELDS)[number], number>;
/** A cut at the end of its scale is off. */
const OFF: Partial<Parts> = {
  early_low_cut_hz: 20,
  low_cut_hz: 20,
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

const WHOLE: SliderOf<Parts>[] = [
  scale("low_cut_hz", "low cut", 20, 1000, 10, low),
  scale("high_decay_percent", "decay at the top", 5, 100, 5, (v) => `${num(v, 0)} %`),
];

/** The rail by which a reverb's return comes into others. */
function returnRail(variant: Variant | undefined, reverb: string): string | null {
  const rails = variant?.document.rails ?? {};
  let at = reverb;
  for (let i = 0; i < 60; i++) {
    const [port, rail] = Object.entries(rails).find(([p]) => p.split(".")[0] === at) ?? [];
    if (!port || !rail) return null;
    const kind = variant!.document.nodes?.[rail.target]?.kind;
    if (kind && ["merge", "bus", "output"].includes(kind)) return port;
    at = rail.target;
  }
  return null;
}

export function PartsSheet({ route }: { route: RouteHandle }) {
  const { stage, name, pick } = useStage(route, "reverb");
  if (!stage)
    return <Box>{route.named ? `${route.named} has no reverb.` : "There is no rig yet."}</Box>;
  return (
    <>
      {pick}
      <Parts key={stage.id} route={route} reverb={stage as unknown as Reverb} name={name} />
    </>
  );
}

type Reverb = Record<string, unknown> & { id: string };

/** What is moved of one reverb stays here until it is sent. */
function Parts({ route, reverb, name }: { route: RouteHandle; reverb: Reverb; name: string }) {
  const [moved, setMoved] = useState<Partial<Parts>>({});
  const [wide, setWide] = useState<number | null>(null);
  const parts = Object.fromEntries(
    FIELDS.map((f) => [f, moved[f] ?? (reverb[f] as number | null) ?? OFF[f] ?? 0]),
  ) as Parts;
  const change = (more: Partial<Parts>) => setMoved((m) => ({ ...m, ...more }));
  const changed = FIELDS.filter((f) => moved[f] !== undefined);
  const rail = returnRail(route.variant, reverb.id);
  const resting = rail ? (route.variant?.document.rails?.[rail]?.strip?.width_percent ?? 100) : 100;
  const width = wide ?? resting;
  const setWidth = (v: number) => setWide(v);
  const widened = wide !== null && wide !== resting;
  const values = Object.fromEntries(
    changed.map((f) => [f, OFF[f] !== undefined && moved[f] === OFF[f] ? null : moved[f]!]),
  );
  const edits: Edit[] = changed.length ? [{ do: "set", node: reverb.id, values }] : [];
  if (widened && rail) edits.push({ do: "set_strip", rail, values: { width_percent: width } });
  return (
    <Box minWidth="0">
      <Box color="ink2">
        Of {name} in {route.named}. Nothing is sent before it is pressed.
      </Box>
      <Box fontSize="13px" color="ink2" marginTop="4px">
        early part
      </Box>
      <Sliders of={EARLY} values={parts} onChange={change} />
      <Box fontSize="13px" color="ink2" marginTop="8px">
        tail
      </Box>
      <Sliders of={TAIL} values={parts} onChange={change} />
      <Box fontSize="13px" color="ink2" marginTop="8px">
        the whole return
      </Box>
      <Box display="flex" flexWrap="wrap" gap="4px 30px" alignItems="end">
        <Box flex="2" minWidth="280px">
          <Sliders of={WHOLE} values={parts} onChange={change} />
        </Box>
        {rail && (
          <Box flex="1" minWidth="150px">
            <ScaleSlider
              label="width of the return"
              value={width}
              low={-100}
              high={100}
              step={5}
              ticks={[-100, 0, 100]}
              shown={(v) => (v === 0 ? "mono" : `${signed(v, 0)} %`)}
              onChange={setWidth}
            />
          </Box>
        )}
      </Box>
      <SendTo
        route={route}
        disabled={!changed.length && !widened}
        actions={edits}
        label={changed.length || widened ? `Set ${name} of ${route.named}` : "Nothing is moved yet"}
        said={`${name} is set to it.`}
        onSent={() => {
          setMoved({});
          setWide(null);
        }}
      />
    </Box>
  );
}
