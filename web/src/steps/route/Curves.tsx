/** Curves of single parts: a split's branches and their sum, a pedal's travel, a loop's decay. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import type { Variant } from "../../api/client";
import { ink } from "../../ui/theme";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "../../charts/axes";
import { SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { nameOf } from "../../rigs/names";

export function Travel({ variant }: { variant: Variant }) {
  const [frame, width] = useWidth<HTMLDivElement>(240);
  const travel = variant.view.travel[0];
  if (!travel) return null;
  const left = 40;
  const height = 140;
  const levels = [...travel.dry_db, ...travel.wet_db].filter((v) => v > -60);
  const high = Math.max(0, ...levels);
  const x = scaleLinear([0, 100], [left, width - 8]);
  const y = scaleLinear([-48, Math.ceil(high / 6) * 6], [height - 26, 8]).clamp(true);
  const ticks = y.ticks(5);
  const line = (values: number[]) =>
    linePath(
      travel.position_percent.map((p) => x(p)),
      values.map((v) => (v <= -60 ? null : y(v))),
    );
  return (
    <Box ref={frame}>
      <SheetTitle sub about="dry solid, wet dashed, dB at the output, by position from heel to toe">
        {nameOf(variant, travel.pedal)}
      </SheetTitle>
      <svg
        width={width}
        height={height}
        display="block"
        role="img"
        aria-label={`${nameOf(variant, travel.pedal)}: wet against dry from heel to toe`}
      >
        <rect x={left} y="8" width={width - left - 8} height={height - 34} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={left} x2={width - 8} />
        <AxisLeft scale={y} at={left} ticks={ticks} />
        <AxisBottom scale={x} at={height - 26} ticks={[0, 25, 50, 75, 100]} unit="%" />
        <path d={line(travel.dry_db)} fill="none" stroke={ink("ink")} strokeWidth="2" />
        <path
          d={line(travel.wet_db)}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="2"
          strokeDasharray="11 4"
        />
      </svg>
    </Box>
  );
}

/** The branches of a selected split and what they add up to. */
export function SplitChart({ variant, selected }: { variant: Variant; selected: string }) {
  const [frame, width] = useWidth<HTMLDivElement>(240);
  const curves = variant.view.splits.find((s) => s.split === selected);
  if (!curves) return null;
  const hz = variant.view.report.hz;
  const left = 40;
  const height = 150;
  const x = scaleLog([20, 20_000], [left, width - 8]);
  const y = scaleLinear([-36, 6], [height - 26, 8]).clamp(true);
  const ticks = [-36, -24, -12, 0];
  const line = (values: number[]) =>
    linePath(
      hz.map((f) => x(f)),
      values.map((v) => (v < -36 ? null : y(v))),
    );
  return (
    <Box ref={frame} marginBottom="8px">
      <SheetTitle
        sub
        about={`both branches added: ${curves.ripple_db < 0.01 ? "flat" : `within ${num(curves.ripple_db, curves.ripple_db < 1 ? 2 : 1)} dB`}`}
      >
        {nameOf(variant, selected)}
      </SheetTitle>
      <svg
        width={width}
        height={height}
        display="block"
        role="img"
        aria-label={`Branches of ${nameOf(variant, selected)} over frequency, and their sum`}
      >
        <rect x={left} y="8" width={width - left - 8} height={height - 34} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={left} x2={width - 8} />
        <AxisLeft scale={y} at={left} ticks={ticks} />
        <AxisBottom
          scale={x}
          at={height - 26}
          ticks={[20, 100, 500, 2000, 10_000]}
          format={(f) => (f >= 1000 ? `${f / 1000} k` : String(f))}
          unit="Hz"
        />
        <path d={line(curves.first_db)} fill="none" stroke={ink("ink")} strokeWidth="1.5" />
        <path
          d={line(curves.second_db)}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="1.5"
          strokeDasharray="3 3"
        />
        <path d={line(curves.sum_db)} fill="none" stroke={ink("diff")} strokeWidth="2.25" />
        <text
          x={width - 14}
          y={y(0) - 6}
          textAnchor="end"
          fontSize="13"
          fill={ink("diff")}
          {...halo()}
        >
          sum
        </text>
      </svg>
      <Box fontSize="13px" color="ink2">
        First branch solid, second dotted, dB over Hz.
      </Box>
    </Box>
  );
}

const BANDS = ["125", "250", "500", "1 k", "2 k", "4 k"];

/** What goes round: loop gain, one lap, and how long each band takes to die. */
export function Loops({ variant }: { variant: Variant }) {
  const { loops } = variant.view.report;
  const [frame, width] = useWidth<HTMLDivElement>(220);
  if (!loops.length) return null;
  const longest = Math.max(
    0.1,
    ...loops.flatMap((l) => l.decay_s.map((s) => Math.min(s ?? 0, 30))),
  );
  const left = 34;
  const height = 104;
  const y = scaleLinear([0, longest * 1.05], [height - 22, 10]).nice(3);
  const step = (width - left - 8) / BANDS.length;
  return (
    <Box
      as="section"
      aria-label="Loops"
      ref={frame}
      marginTop="6px"
      paddingTop="6px"
      borderTop="1px solid"
      borderColor="ink"
    >
      <SheetTitle about="what goes round: seconds until each band is 60 dB down, by Hz">
        Loops
      </SheetTitle>
      {loops.map((loop) => {
        const from = loop.rail.slice(0, loop.rail.lastIndexOf("."));
        const unstable = loop.gain_db === null || loop.gain_db >= 0;
        return (
          <Box key={loop.rail}>
            <Box fontSize="14px">
              Closed behind {nameOf(variant, from)}: loop gain at most{" "}
              <Box as="strong" color={unstable ? "diff" : "ink"}>
                {loop.gain_db === null ? "no limit" : `${signed(loop.gain_db, 1)} dB`}
              </Box>{" "}
              at {num(loop.hz, 0)} Hz, one lap {num(loop.lap_ms, 1)} ms. A safe bound: phase may
              make the real loop quieter.
            </Box>
            <svg
              width={width}
              height={height}
              display="block"
              role="img"
              aria-label={`Decay of the loop behind ${nameOf(variant, from)} per band`}
            >
              <rect
                x={left}
                y="10"
                width={width - left - 8}
                height={height - 32}
                fill={ink("sheet")}
              />
              <Gridlines scale={y} ticks={y.ticks(3)} x1={left} x2={width - 8} />
              <AxisLeft scale={y} at={left} ticks={y.ticks(3)} unit="s" />
              {BANDS.map((band, i) => {
                const time = loop.decay_s[i];
                const top =
                  time === null || time === undefined ? 10 : y(Math.min(time, y.domain()[1]!));
                const x = left + (i + 0.5) * step;
                return (
                  <g key={band}>
                    <line
                      x1={x}
                      x2={x}
                      y1={height - 22}
                      y2={top}
                      stroke={ink(time === null ? "diff" : "wet")}
                      strokeWidth="7"
                      strokeDasharray={time === null ? "3 2" : undefined}
                    />
                    <text
                      x={x + 8}
                      y={Math.max(21, top + 4)}
                      fontSize="13"
                      fill={ink("ink")}
                      {...halo()}
                    >
                      {time === null || time === undefined ? "never" : num(time, time < 10 ? 2 : 0)}
                    </text>
                    <text x={x} y={height - 6} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
                      {band}
                    </text>
                  </g>
                );
              })}
              <line
                x1={left}
                x2={width - 8}
                y1={height - 22}
                y2={height - 22}
                stroke={ink("ink")}
                strokeWidth="1.5"
              />
            </svg>
          </Box>
        );
      })}
    </Box>
  );
}
