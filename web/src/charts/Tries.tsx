/** How much closer each try came: residual under A by try, the present one filled. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";
import { AxisLeft, Gridlines, halo, linePath } from "./axes";

export interface Try {
  id: string;
  name: string;
  /** dB under A. */
  depth: number;
}

const LEFT = 48;
const TOP = 10;
const TALL = 110;

interface Props {
  tries: Try[];
  here: string;
  /** The best that the controls' steps allow, dB under A. */
  reach: number | null;
  onOpen: (id: string) => void;
}

export function Tries({ tries, here, reach, onOpen }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(240);
  const deepest = Math.max(20, ...tries.map((t) => t.depth), reach ?? 0);
  const y = scaleLinear(
    [Math.min(0, ...tries.map((t) => t.depth)), Math.ceil(deepest / 10) * 10],
    [TOP, TOP + TALL],
  );
  const x = scaleLinear([0.5, tries.length + 0.5], [LEFT, width - 10]);
  const ticks = y.ticks(4);
  const xs = tries.map((_, i) => x(i + 1));
  const last = tries.at(-1);
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={TOP + TALL + 24}
        display="block"
        role="img"
        aria-label={`Tries: ${tries.map((t, i) => `${i + 1}, ${num(-t.depth, 1)} dB`).join("; ")}`}
      >
        <rect x={LEFT} y={TOP} width={width - 10 - LEFT} height={TALL} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 10} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => num(-v, 0)} unit="dB" />
        {reach !== null && (
          <line
            x1={LEFT}
            x2={width - 10}
            y1={y(reach)}
            y2={y(reach)}
            stroke={ink("ok")}
            strokeWidth="2"
            strokeDasharray="7 4"
          />
        )}
        <path
          d={linePath(
            xs,
            tries.map((t) => y(t.depth)),
          )}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        {tries.map((t, i) => (
          <g key={t.id} cursor="pointer" onClick={() => onOpen(t.id)}>
            <circle
              cx={xs[i]}
              cy={y(t.depth)}
              r="5.5"
              fill={ink(t.id === here ? "ink" : "sheet")}
              stroke={ink("ink")}
              strokeWidth="2"
            />
            <text
              x={xs[i]}
              y={TOP + TALL + 18}
              textAnchor="middle"
              fontSize="13"
              fill={ink("ink2")}
            >
              {tries.length <= 12 || i % Math.ceil(tries.length / 12) === 0 ? i + 1 : ""}
            </text>
          </g>
        ))}
        {last && (
          <text
            x={xs.at(-1)! - 10}
            y={Math.max(TOP + 14, y(last.depth) - 9)}
            textAnchor="end"
            fontSize="13"
            fontWeight="650"
            fill={ink("ink")}
            {...halo()}
          >
            {num(-last.depth, 1)} dB
          </text>
        )}
      </svg>
    </Box>
  );
}
