/** When dry, echoes and tails first arrive at the output, and how loud: stems and falling slopes. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo } from "./axes";

const LEFT = 46;
const TALL = 170;
const LOW = -48;

export function OrderChart({ out }: { out: Schemas["ReturnsOut"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const last = Math.max(400, ...out.marks.map((m) => m.time_ms));
  const end = Math.min(4000, last * 1.15);
  const right = width - 10;
  const x = scaleLinear([0, end], [LEFT, right]);
  const top = Math.max(6, ...out.marks.map((m) => Math.ceil(m.level_db / 6) * 6));
  const y = scaleLinear([top, LOW], [20, TALL]);
  const ticks = [0, -12, -24, -36, -48];
  const firstEcho = out.marks.find((m) => m.kind === "echo" && m.time_ms > 1);
  return (
    <Box ref={frame} minWidth="0" marginTop="4px">
      <svg
        width={width}
        height={TALL + 30}
        display="block"
        role="img"
        aria-label={`Order of arrivals. ${out.order.join(" ")}`}
      >
        <rect x={LEFT} y="20" width={right - LEFT} height={TALL - 20} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={right} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
        {out.marks
          .filter((m) => m.kind === "tail" && m.time_ms <= end)
          .map((m) => {
            const fall = m.rt60_s ? (60 / m.rt60_s / 1000) * (end - m.time_ms) : 0;
            const low = Math.max(LOW, m.level_db - fall);
            const until = m.rt60_s
              ? Math.min(end, m.time_ms + ((m.level_db - LOW) * m.rt60_s * 1000) / 60)
              : end;
            return (
              <g key={`${m.node}${m.time_ms}`}>
                <path
                  d={`M${x(m.time_ms)},${TALL}V${y(m.level_db)}L${x(until)},${y(low)}V${TALL}Z`}
                  fill={ink("wet")}
                  opacity="0.18"
                />
                <path
                  d={`M${x(m.time_ms)},${y(m.level_db)}L${x(until)},${y(low)}`}
                  stroke={ink("wet")}
                  strokeWidth="2.25"
                  strokeDasharray="9 4"
                  fill="none"
                />
              </g>
            );
          })}
        {out.marks
          .filter((m) => m.time_ms <= end && m.level_db > LOW)
          .map((m) => (
            <g key={`${m.name}${m.time_ms}`}>
              <line
                x1={x(m.time_ms)}
                x2={x(m.time_ms)}
                y1={y(m.level_db)}
                y2={TALL}
                stroke={ink(m.kind === "dry" ? "ink" : "wet")}
                strokeWidth={m.kind === "dry" ? 3.5 : 2}
                strokeDasharray={m.kind === "dry" ? undefined : "9 4"}
              />
            </g>
          ))}
        {out.marks
          .filter((m) => m.kind === "tail" || m === firstEcho)
          .map((m) => (
            <text
              key={`label ${m.name}`}
              x={Math.min(x(m.time_ms) + 5, right - 8 * m.name.length)}
              y={Math.max(16, y(m.level_db) - 6)}
              fontSize="13"
              fill={ink("wet")}
              {...halo()}
            >
              {m.name} {num(m.time_ms, 0)} ms
            </text>
          ))}
        <AxisBottom
          scale={x}
          at={TALL}
          ticks={x.ticks(Math.max(3, Math.floor(width / 110)))}
          unit="ms"
        />
      </svg>
    </Box>
  );
}
