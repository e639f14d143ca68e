/** Over the clip: the key's level, the wet gain, and wet against dry. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

const LEFT = 46;
const STEP_S = 0.02;
const TALL = 70;
const GAP = 18;

export function DuckChart({ data, bar_s }: { data: Schemas["DuckingOut"]; bar_s: number }) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const count = data.gain_db.length;
  const right = width - 10;
  const x = scaleLinear([0, Math.max(0.1, count * STEP_S)], [LEFT, right]);
  const every = Math.max(1, Math.floor(count / Math.max(200, width)));
  const picked = data.gain_db.map((_, i) => i).filter((i) => i % every === 0);
  const xs = picked.map((i) => x(i * STEP_S));
  const deepest = Math.min(-12, Math.floor(Math.max(-60, Math.min(...data.gain_db)) / 12) * 12);
  const rows = [
    { name: "key, dBFS", values: data.key_dbfs, top: 0, low: -60, colour: "ink", dash: undefined },
    {
      name: "wet gain, dB",
      values: data.gain_db,
      top: 0,
      low: deepest,
      colour: "wet",
      dash: "9 4",
    },
    {
      name: "wet against dry, dB",
      values: data.ratio_db,
      top: 24,
      low: -36,
      colour: "wet",
      dash: undefined,
    },
  ] as const;
  const bars = Array.from(
    { length: Math.min(400, Math.floor((count * STEP_S) / Math.max(0.2, bar_s))) },
    (_, i) => (i + 1) * bar_s,
  );
  const said = `In phrases wet stands ${data.ratio_in_phrases_db === null ? "-" : signed(data.ratio_in_phrases_db, 1)} dB against dry, in gaps ${data.ratio_in_gaps_db === null ? "-" : signed(data.ratio_in_gaps_db, 1)} dB.`;
  return (
    <Box ref={frame} minWidth="0" marginTop="6px">
      <svg
        width={width}
        height={rows.length * (TALL + GAP) + 26}
        display="block"
        role="img"
        aria-label={`Key, wet gain and wet against dry over ${num(count * STEP_S, 1)} s. ${said}`}
      >
        {rows.map((row, n) => {
          const from = n * (TALL + GAP) + 4;
          const y = scaleLinear([row.top, row.low], [from, from + TALL]).clamp(true);
          const ticks = [row.top, (row.top + row.low) / 2, row.low];
          return (
            <g key={row.name}>
              <rect x={LEFT} y={from} width={right - LEFT} height={TALL} fill={ink("sheet")} />
              <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={right} />
              <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
              <path
                d={linePath(
                  xs,
                  picked.map((i) => y(row.values[i]!)),
                )}
                fill="none"
                stroke={ink(row.colour)}
                strokeWidth={n === 0 ? 1.25 : 2}
                strokeDasharray={row.dash}
              />
              <text x={LEFT + 6} y={from + 15} fontSize="13" fill={ink("ink2")} {...halo()}>
                {row.name}
              </text>
            </g>
          );
        })}
        {bars.map((s) => (
          <line
            key={s}
            x1={x(s)}
            x2={x(s)}
            y1="4"
            y2={rows.length * (TALL + GAP) - GAP + 6}
            stroke={ink("rule")}
          />
        ))}
        <AxisBottom
          scale={x}
          at={rows.length * (TALL + GAP) - GAP + 6}
          ticks={x.ticks(Math.max(3, Math.floor(width / 90)))}
          unit="s"
        />
      </svg>
      <Box fontSize="13px">{said} Upright lines: bars.</Box>
    </Box>
  );
}
