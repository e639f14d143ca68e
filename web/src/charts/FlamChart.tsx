/** How far each repeat sits from the grid: the error adds up once per repeat. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { memo } from "react";

import { ink } from "../ui/theme";
import { copyText } from "../ui/controls";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisLeft, Gridlines, halo } from "./axes";

const HEIGHT = 190;
const LEFT = 48;
const TOP = 12;
const BOTTOM = HEIGHT - 30;

export const FlamChart = memo(function FlamChart({ flam }: { flam: number[] }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const largest = Math.max(...flam.map(Math.abs), 0.01);
  const down = flam[0]! < 0;
  const reach = largest * 1.25;
  const y = scaleLinear(down ? [-reach, reach * 0.12] : [-reach * 0.12, reach], [BOTTOM, TOP]).nice(
    5,
  );
  const x = scaleLinear([0.4, flam.length + 0.6], [LEFT, width]);
  const ticks = y.ticks(5);
  const last = flam.length - 1;
  const decimals = Math.max(0, Math.min(4, 1 - Math.floor(Math.log10(largest))));
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={HEIGHT}
        role="group"
        aria-label={`Error at repeat 1 to ${flam.length}: ${flam.map((v) => signed(v, 3)).join(", ")} ms`}
        display="block"
      >
        <rect x={LEFT} y={TOP} width={width - LEFT} height={BOTTOM - TOP} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => num(v, decimals)} />
        <line x1={LEFT} x2={width} y1={y(0)} y2={y(0)} stroke={ink("ink")} strokeWidth="1.5" />
        {flam.map((value, i) => (
          <g
            key={i}
            role="button"
            tabIndex={0}
            aria-label={`Repeat ${i + 1}: ${signed(value, 3)} ms. Copy`}
            style={{ cursor: "copy" }}
            onClick={() => void copyText(`${signed(value, 3)} ms`)}
            onKeyDown={(event) => event.key === "Enter" && void copyText(`${signed(value, 3)} ms`)}
          >
            <title>{`Repeat ${i + 1}: ${signed(value, 3)} ms`}</title>
            <rect x={x(i + 1) - 14} y={TOP} width="28" height={BOTTOM - TOP} fill="transparent" />
            <line
              x1={x(i + 1)}
              x2={x(i + 1)}
              y1={y(0)}
              y2={y(value)}
              stroke={ink("diff")}
              strokeWidth="5"
            />
            <text x={x(i + 1)} y={BOTTOM + 20} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
              {i + 1}
            </text>
            {(i === 0 || i === last) && (
              <text
                x={x(i + 1)}
                y={y(value) + (down ? 15 : -6)}
                textAnchor={i === last ? "end" : "middle"}
                dx={i === last ? 12 : 0}
                fontSize="13"
                fontWeight="650"
                fill={ink("diff")}
                {...halo()}
              >
                {signed(value, 3)}
              </text>
            )}
          </g>
        ))}
        <text x={LEFT - 8} y={BOTTOM + 20} textAnchor="end" fontSize="13" fill={ink("ink2")}>
          repeat
        </text>
      </svg>
    </Box>
  );
});
