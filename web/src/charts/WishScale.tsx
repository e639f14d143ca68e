/** A figure against its bound: the stretch that is wished for, and where the figure stands. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";

interface Props {
  ends: [number, number];
  held: [number, number];
  figure: number | null;
  /** Where it stood before, if it moved. */
  before?: number | null;
  unit: string;
  holds: boolean | null;
  label: string;
}

const HEIGHT = 40;
const LINE = 16;

export function WishScale({ ends, held, figure, before, unit, holds, label }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(160);
  const x = scaleLinear(ends, [8, width - 8]).clamp(true);
  const ticks = x.ticks(width > 280 ? 5 : 3);
  const [from, to] = [x(held[0]), x(held[1])];
  return (
    <Box ref={frame} minWidth="0">
      <svg width={width} height={HEIGHT} role="img" aria-label={label} style={{ display: "block" }}>
        <rect x={from} y={LINE - 8} width={Math.max(2, to - from)} height="8" fill={ink("well")} />
        <line x1="8" x2={width - 8} y1={LINE} y2={LINE} stroke={ink("ink")} strokeWidth="1.5" />
        <line x1={from} x2={to} y1={LINE} y2={LINE} stroke={ink("ok")} strokeWidth="4" />
        {ticks.map((tick, i) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1={LINE} y2={LINE + 5} stroke={ink("edge")} />
            <text
              x={x(tick)}
              y={LINE + 18}
              fontSize="12"
              textAnchor={x(tick) < 20 ? "start" : width - x(tick) < 34 ? "end" : "middle"}
              fill={ink("ink2")}
            >
              {num(tick, Math.abs(ends[1] - ends[0]) < 3 ? 1 : 0)}
              {i === ticks.length - 1 ? ` ${unit}` : ""}
            </text>
          </g>
        ))}
        {before !== undefined && before !== null && figure !== null && (
          <line
            x1={x(before)}
            x2={x(figure)}
            y1={LINE}
            y2={LINE}
            stroke={ink("ink")}
            strokeDasharray="2 3"
            strokeWidth="3"
          />
        )}
        {figure !== null && (
          <path
            d={`M${x(figure)} ${LINE - 9} l6 9 l-6 9 l-6 -9 z`}
            fill={holds ? ink("ink") : ink("paper")}
            stroke={holds ? ink("ink") : ink("caution")}
            strokeWidth="2"
          />
        )}
      </svg>
    </Box>
  );
}
