/** Repeats as they came, posts, over those that were planned, rings; dB against the dry sound. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";
import { AxisBottom, AxisLeft, Gridlines, halo } from "./axes";
import { labelled } from "./reads";

export interface PlannedRepeats {
  every_ms: number;
  first_db: number;
  each_db: number;
}

interface Repeat {
  time_ms: number;
  level_db: number;
  side: string;
}

const LEFT = 40;
const TOP = 8;
const TALL = 150;
const SAID = 68;
const ROOM = 92;

/** The planned repeats beside as many measured ones. */
export function plannedOf(plan: PlannedRepeats | null, count: number): Repeat[] {
  if (!plan) return [];
  return Array.from({ length: count }, (_, k) => ({
    time_ms: (k + 1) * plan.every_ms,
    level_db: plan.first_db + k * plan.each_db,
    side: "both",
  }));
}

export function MeasuredRepeats(props: { repeats: Repeat[]; plan: PlannedRepeats | null }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  // As many as have room for what is said of them.
  const repeats = props.repeats.slice(0, Math.max(3, Math.floor((width - LEFT) / ROOM)));
  const planned = plannedOf(props.plan, repeats.length);
  const last = Math.max(...[...repeats, ...planned].map((r) => r.time_ms), 1);
  const lowest = Math.min(...[...repeats, ...planned].map((r) => r.level_db), -12);
  const floor = Math.floor(lowest / 6) * 6 - 3;
  // What is said of the last stands beside it.
  const x = scaleLinear([0, last], [LEFT, width - 8 - SAID]);
  const y = scaleLinear([3, floor], [TOP, TOP + TALL]);
  const ticks = Array.from({ length: Math.floor(-floor / 6) + 1 }, (_, i) => -6 * i).filter(
    (t) => t % (floor < -40 ? 12 : 6) === 0,
  );
  const named = labelled(repeats, (r) => x(r.time_ms), 64);
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={TOP + TALL + 32}
        display="block"
        role="img"
        aria-label={`${repeats.length} repeats: ${repeats
          .slice(0, 4)
          .map((r) => `${num(r.time_ms, 1)} ms at ${num(r.level_db, 1)} dB`)
          .join(", ")}`}
      >
        <rect x={LEFT} y={TOP} width={width - 8 - LEFT} height={TALL} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 8} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => num(v, 0)} />
        <line x1={x(0)} x2={x(0)} y1={y(0)} y2={TOP + TALL} stroke={ink("ink")} strokeWidth="5" />
        <text x={x(0) + 8} y={y(0) + 12} fontSize="13" fontWeight="650" fill={ink("ink")}>
          dry
        </text>
        {repeats.map((r) => (
          <line
            key={r.time_ms}
            x1={x(r.time_ms)}
            x2={x(r.time_ms)}
            y1={y(r.level_db)}
            y2={TOP + TALL}
            stroke={ink("wet")}
            strokeWidth="5"
            strokeDasharray={r.side === "both" ? "5 3" : r.side === "left" ? "2 2" : "9 3"}
          />
        ))}
        {planned.map((r) => (
          <g key={r.time_ms} stroke={ink("ink")} fill={ink("sheet")}>
            <line x1={x(r.time_ms)} x2={x(r.time_ms)} y1={y(r.level_db)} y2={TOP + TALL} />
            <circle cx={x(r.time_ms)} cy={y(r.level_db)} r="4.5" strokeWidth="1.5" />
          </g>
        ))}
        {repeats.map((r, k) => {
          const late = planned[k] ? r.time_ms - planned[k].time_ms : 0;
          if (!named.has(r)) return null;
          const place = x(r.time_ms);
          return (
            <g key={r.time_ms} fontSize="13" fontWeight="650" {...halo()}>
              <text
                x={place + 9}
                y={Math.min(TOP + TALL - 20, y(r.level_db) + 4)}
                fill={ink("wet")}
              >
                {num(r.level_db, 1)}
              </text>
              {Math.abs(late) >= 0.1 && width > 460 && (
                <text
                  x={place + 9}
                  y={Math.min(TOP + TALL - 5, y(r.level_db) + 19)}
                  fill={ink("diff")}
                >
                  {signed(late, 1)} ms
                </text>
              )}
            </g>
          );
        })}
        <AxisBottom
          scale={x}
          at={TOP + TALL}
          ticks={x.ticks(Math.max(2, Math.floor((width - LEFT) / 90)))}
          unit="ms"
        />
      </svg>
    </Box>
  );
}
