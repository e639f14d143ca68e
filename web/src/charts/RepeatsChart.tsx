/** Levels of the repeats over time, a lane for each side where the sides differ. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Repeats } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo } from "./axes";

const LEFT = 40;

interface Props {
  repeats: Repeats;
  thresholdDb: number;
  barMs: number;
}

export function RepeatsChart({ repeats, thresholdDb, barMs }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(260);
  const split = repeats.echoes.some((e) => e.side !== "both");
  const lanes = split ? (["left", "right"] as const) : (["both"] as const);
  const tall = split ? 104 : 196;
  const last = Math.max(...repeats.echoes.map((e) => e.time_ms), repeats.left_ms, barMs);
  const grows = repeats.runaway !== null;
  const top = grows
    ? Math.min(36, Math.ceil(Math.max(...repeats.echoes.map((e) => e.level_db), 6) / 6) * 6)
    : 3;
  const x = scaleLinear([0, (last * 1.06) / 1000], [LEFT, width - 6]);
  // Bars as close as their names allow.
  const apart = x(barMs / 1000) - x(0);
  const every = [1, 2, 4, 8, 16, 32, 64, 128].find((n) => n * apart >= 62) ?? 256;
  const bars = Array.from(
    { length: Math.floor((last * 1.06) / barMs / every) },
    (_, i) => (i + 1) * every,
  );
  const foot = lanes.length * tall;
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={foot + 28}
        display="block"
        role="img"
        aria-label={`${repeats.sentence} Levels against dry over seconds.`}
      >
        {lanes.map((side, lane) => {
          const base = lane * tall;
          const y = scaleLinear([-thresholdDb - 10, top], [base + tall - 6, base + 14]).clamp(true);
          const ticks = y.ticks(split ? 3 : 5);
          const floor = y(-thresholdDb - 10);
          const mine = repeats.echoes.filter((e) => side === "both" || e.side === side);
          const named = mine.filter((_, i) => i % Math.max(1, Math.ceil(mine.length / 4)) === 0);
          return (
            <g key={side}>
              <rect
                x={LEFT}
                y={base + 8}
                width={width - LEFT - 6}
                height={floor - base - 8}
                fill={ink("sheet")}
              />
              <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 6} />
              <AxisLeft scale={y} at={LEFT} ticks={ticks} />
              {bars.map((bar) => (
                <g key={bar}>
                  <line
                    x1={x((bar * barMs) / 1000)}
                    x2={x((bar * barMs) / 1000)}
                    y1={base + 8}
                    y2={floor}
                    stroke={ink("edge")}
                    strokeDasharray="1 3"
                  />
                  {lane === 0 && (
                    <text
                      x={x((bar * barMs) / 1000) - 4}
                      y={base + 20}
                      textAnchor="end"
                      fontSize="13"
                      fill={ink("ink2")}
                      {...halo()}
                    >
                      {bar === 1 ? "1 bar" : `${bar} bars`}
                    </text>
                  )}
                </g>
              ))}
              <line
                x1={LEFT}
                x2={width - 6}
                y1={y(-thresholdDb)}
                y2={y(-thresholdDb)}
                stroke={ink("ink")}
                strokeWidth="1.25"
              />
              <line
                x1={x(0)}
                x2={x(0)}
                y1={y(0)}
                y2={floor}
                stroke={ink("ink")}
                strokeWidth="4.5"
              />
              <text
                x={x(0) + 6}
                y={y(0) + 5}
                fontSize="13"
                fontWeight="650"
                fill={ink("ink")}
                {...halo()}
              >
                {split ? `${side}, dry` : "dry"}
              </text>
              {mine.map((e, i) => {
                const gone = e.level_db < -thresholdDb;
                return (
                  <line
                    key={i}
                    x1={x(e.time_ms / 1000)}
                    x2={x(e.time_ms / 1000)}
                    y1={floor}
                    y2={y(e.level_db)}
                    stroke={ink(e.level_db > 0 ? "diff" : "wet")}
                    strokeWidth={gone ? 2 : 4.5}
                    strokeDasharray={gone ? "2 3" : "6 2.5"}
                  />
                );
              })}
              {named.slice(0, 5).map((e, i) => {
                const place = x(e.time_ms / 1000);
                const ends = place > width - 48;
                return (
                  <text
                    key={i}
                    x={ends ? place - 6 : place + 6}
                    y={y(e.level_db) - 2}
                    textAnchor={ends ? "end" : "start"}
                    fontSize="13"
                    fontStyle="italic"
                    fill={ink("wet")}
                    {...halo()}
                  >
                    {signed(e.level_db, 1)}
                  </text>
                );
              })}
            </g>
          );
        })}
        <AxisBottom
          scale={x}
          at={foot - 6}
          ticks={x.ticks(5)}
          unit="s"
          format={(v) => num(v, Number.isInteger(v) ? 0 : v < 1 ? 2 : 1)}
        />
      </svg>
    </Box>
  );
}
