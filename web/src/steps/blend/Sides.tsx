/** One side later than the other, chorus beside a still centre, and levels in volts. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { scaleLinear, scaleLog } from "d3-scale";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { ink } from "../../ui/theme";
import { limits } from "../../api/defaults.gen";
import { AxisBottom, AxisLeft, Gridlines, linePath } from "../../charts/axes";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Answer } from "../../ui/Answer";
import { Figure, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { RouteHandle } from "../../rigs/variants";
import { START, useKeptBlend } from "./kept";

const DELAY: SliderOf<Schemas["StereoRequest"]>[] = [
  {
    field: "apart_ms",
    label: "later by",
    low: 0,
    high: 60,
    step: 0.5,
    ticks: [0, 20, 40, 60],
    shown: (v) => `${num(v, 1)} ms`,
  },
  {
    field: "level_db",
    label: "later side",
    low: -24,
    high: 12,
    step: 0.5,
    ticks: [-24, -12, 0, 12],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "fused_ms",
    label: "fused up to",
    low: 5,
    high: 50,
    step: 1,
    ticks: [5, 25, 50],
    shown: (v) => `${num(v, 0)} ms`,
  },
];

const CHORUS: SliderOf<Schemas["StereoRequest"]>[] = [
  {
    field: "chorus_depth_ms",
    label: "chorus depth",
    low: 0,
    high: 10,
    step: 0.1,
    ticks: [0, 5, 10],
    shown: (v) => `${num(v, 1)} ms`,
  },
  {
    field: "chorus_rate_hz",
    label: "chorus rate",
    low: 0.1,
    high: 8,
    step: 0.1,
    ticks: [0.1, 4, 8],
    shown: (v) => `${num(v, 1)} Hz`,
  },
  {
    field: "centre_db",
    label: "still centre",
    low: -40,
    high: 6,
    step: 0.5,
    ticks: [-40, -20, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
];

const THREE: SliderOf<Schemas["StereoRequest"]>[] = [
  {
    field: "wet_side_db",
    label: "each wet side",
    low: -36,
    high: 6,
    step: 0.5,
    ticks: [-36, -18, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "wanted_wet_db",
    label: "wanted together",
    low: -36,
    high: 6,
    step: 0.5,
    ticks: [-36, -18, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "sides_correlation",
    label: "sides alike",
    low: -1,
    high: 1,
    step: 0.05,
    ticks: [-1, 0, 1],
    shown: (v) => signed(v, 2),
  },
];

const PLACE: SliderOf<Schemas["StereoRequest"]>[] = [
  {
    field: "width_percent",
    label: "width",
    low: -100,
    high: 100,
    step: 5,
    ticks: [-100, 0, 100],
    shown: (v) => `${signed(v, 0)} %`,
  },
  {
    field: "pan_percent",
    label: "pan",
    low: -100,
    high: 100,
    step: 5,
    ticks: [-100, 0, 100],
    shown: (v) => (v === 0 ? "centre" : `${num(Math.abs(v), 0)} % ${v < 0 ? "left" : "right"}`),
  },
];

/** A one-sided delay as a rig of its own: both sides, the later one through a short delay. */
function asRig(s: Schemas["StereoRequest"]): string {
  return (
    `in: source "Source" (stereo) > later: delay "Later side" (time ${Math.max(0.1, s.apart_ms!)} ms, mix 100 %, ` +
    `feedback 0 %, side right${s.inverted ? ", inverted" : ""}) > main: output "Main" (stereo)`
  );
}

export function useSides() {
  const { kept, keep } = useKeptBlend();
  const s = kept.sides!;
  const query = useQuery({
    queryKey: ["stereo", s],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/stereo", { body: s, signal })),
  });
  return {
    s,
    change: (more: Partial<typeof s>) => keep({ sides: { ...s, ...more } }),
    out: query.data,
    fault: query.error,
  };
}

interface Props {
  h: ReturnType<typeof useSides>;
}

export function CombPicture({ h }: Props) {
  const { s, change, out, fault } = h;
  return (
    <Box as="section" aria-label="Mono" minWidth="0">
      <SheetTitle about="what mono makes of two sides, dB over Hz">One side later</SheetTitle>
      {fault && <Notice kind="fault">{sentenceOf(fault)}</Notice>}
      {out && <Comb out={out} />}
      <Sliders
        of={DELAY}
        values={s}
        onChange={change}
        alarms={{ apart_ms: s.fused_ms }}
        rests={START.sides}
        limits={limits.StereoRequest}
      />
      <label>
        <input
          type="checkbox"
          checked={s.inverted}
          onChange={(event) => change({ inverted: event.target.checked })}
        />{" "}
        later side inverted
      </label>
    </Box>
  );
}

export function Later({ h, route }: Props & { route: RouteHandle }) {
  const { s, change, out } = h;
  return (
    <>
      {out && (
        <>
          <Answer>{out.sentence}</Answer>
          <Box fontSize="13px" color="ink2">
            Notches at{" "}
            {out.notches_hz
              .slice(0, 3)
              .map((f) => num(f, 0))
              .join(", ") || "none"}{" "}
            Hz, {out.notch_db === null ? "to nothing" : `${num(out.notch_db, 1)} dB deep`}; peaks{" "}
            {signed(out.peak_db, 1)} dB. The trade of level against time is rough, and yours may
            differ.
          </Box>
          <Press onClick={() => void route.make("Blend: later side", asRig(s))}>
            Make a rig of it and listen
          </Press>
          <Box marginTop="14px">
            <SheetTitle sub about="moving, beside a centre that stays still">
              Chorus
            </SheetTitle>
            <Sliders
              of={CHORUS}
              values={s}
              onChange={change}
              rests={START.sides}
              limits={limits.StereoRequest}
            />
            <Box>
              It swings by <Figure label="Chorus" value={num(out.cents, 1)} unit="cents" />;{" "}
              {num(out.centre_share_percent, 0)} % of the power beside two moving amps stays still.
            </Box>
          </Box>
        </>
      )}
      <HowComputed>
        Mono is half the sum of both sides: notches at odd multiples of 1/(2 τ), of 1/τ when
        inverted. Pitch of a chorus: 1200 log2(1 + 2π f d) cents.
      </HowComputed>
    </>
  );
}

export function Centre({ h }: Props) {
  const { s, change, out } = h;
  if (!out) return null;
  return (
    <>
      <Sliders
        of={THREE}
        values={s}
        onChange={change}
        rests={START.sides}
        limits={limits.StereoRequest}
      />
      <Answer>{out.plan_said}</Answer>
      <Box fontSize="13px" color="ink2">
        The room hears {signed(out.room_db, 1)} dB against the centre alone. Each side at{" "}
        <Figure label="Side needed" value={signed(out.side_needed_db, 1)} unit="dB" />
        <Press
          look="quiet"
          minHeight="24px"
          onClick={() => change({ wet_side_db: Number(out.side_needed_db.toFixed(1)) })}
        >
          take it
        </Press>
      </Box>
    </>
  );
}

export function Width({ h }: Props) {
  const { s, change, out } = h;
  if (!out) return null;
  return (
    <>
      <Sliders
        of={PLACE}
        values={s}
        onChange={change}
        rests={START.sides}
        limits={limits.StereoRequest}
      />
      <Box>
        Mid {signed(out.width_mid_db ?? 0, 1)} dB, side{" "}
        {out.width_side_db === null ? "nothing" : `${signed(out.width_side_db, 1)} dB`}; mono
        against stereo {signed(out.width_mono_db, 1)} dB.
      </Box>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">pan law, dB at the centre</Th>
            <Th>left, dB</Th>
            <Th>right, dB</Th>
            <Th>mono, dB</Th>
          </tr>
        </thead>
        <tbody>
          {out.pans.map((p) => (
            <tr key={p.law}>
              <Td textAlign="left">{p.law.replace("-", "\u2212")}</Td>
              <Td>{p.left_db === null ? "off" : signed(p.left_db, 1)}</Td>
              <Td>{p.right_db === null ? "off" : signed(p.right_db, 1)}</Td>
              <Td>{signed(p.mono_db, 1)}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
    </>
  );
}

function Comb({ out }: { out: Schemas["StereoOut"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const top = out.response_hz.at(-1)!;
  const x = scaleLog([20, top], [42, width - 8]);
  const y = scaleLinear([3, -30], [4, 212]).clamp(true);
  const ticks = [0, -10, -20, -30];
  return (
    <Box ref={frame} minWidth="0" marginTop="4px">
      <svg width={width} height="240" display="block" role="img" aria-label={out.sentence}>
        <rect x="42" y="4" width={width - 50} height="208" fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={42} x2={width - 8} />
        <AxisLeft scale={y} at={42} ticks={ticks} format={(v) => signed(v, 0)} />
        <path
          d={linePath(
            out.response_hz.map((f) => x(f)),
            out.response_db.map((v) => y(v)),
          )}
          fill="none"
          stroke={ink("diff")}
          strokeWidth="1.75"
        />
        <AxisBottom
          scale={x}
          at={212}
          ticks={[20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000].filter((f) => f <= top)}
          format={(f) => (f >= 1000 ? `${f / 1000} k` : num(f, 0))}
          unit="Hz, mono"
        />
      </svg>
    </Box>
  );
}

export function Units() {
  const [level, setLevel] = useState<Schemas["LevelRequest"]>({
    value: -18,
    unit: "dBFS",
    full_scale_dbu: 24,
  });
  const query = useQuery({
    queryKey: ["levels", level],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/levels", { body: level, signal })),
  });
  const out = query.data;
  return (
    <Box>
      <Box display="flex" flexWrap="wrap" gap="8px 20px" alignItems="end" marginTop="4px">
        <Box width="180px">
          <ScaleSlider
            label="level"
            value={level.value!}
            low={-60}
            high={24}
            step={0.5}
            ticks={[-60, -30, 0, 24]}
            shown={(v) => `${signed(v, 1)} ${level.unit}`}
            onChange={(value) => setLevel({ ...level, value })}
          />
        </Box>
        <Labelled label="in">
          <Choice
            value={level.unit}
            onChange={(event) => setLevel({ ...level, unit: event.target.value })}
          >
            <option>dBFS</option>
            <option>dBu</option>
            <option>dBV</option>
          </Choice>
        </Labelled>
        <Labelled label="full scale is">
          <Choice
            value={level.full_scale_dbu}
            onChange={(event) => setLevel({ ...level, full_scale_dbu: Number(event.target.value) })}
          >
            {[18, 20, 22, 24].map((v) => (
              <option key={v} value={v}>
                +{v} dBu
              </option>
            ))}
          </Choice>
        </Labelled>
        {out && (
          <Box display="flex" gap="16px" flexWrap="wrap" paddingBottom="6px">
            <Figure label="Level" value={signed(out.dbfs, 1)} unit="dBFS" />
            <Figure label="Level" value={signed(out.dbu, 1)} unit="dBu" />
            <Figure label="Level" value={signed(out.dbv, 1)} unit="dBV" />
            <Figure label="Level" value={num(out.volts, 3)} unit="V" />
            <span>
              headroom <Figure label="Headroom" value={num(out.headroom_db, 1)} unit="dB" />
            </span>
          </Box>
        )}
      </Box>
      <Box fontSize="13px" color="ink2">
        Instrument, line and speaker level are not exchangeable: between them stand a DI, a reamp
        box or a load box. A speaker output is never a line output.
      </Box>
    </Box>
  );
}
