/** A burst from quiet to loud and back: what comes in, the compressor's own answer, and the sum. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

const LEFT = 42;
const TALL = 210;

export function BurstChart({ burst }: { burst: Schemas["Burst"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const count = burst.in_db.length;
  const x = scaleLinear([0, count * burst.step_ms], [LEFT, width - 8]);
  const top = Math.max(0, Math.ceil(Math.max(...burst.sum_db, ...burst.compressor_db) / 10) * 10);
  const y = scaleLinear([top, -60], [6, TALL]).clamp(true);
  const ticks = [top, -20, -40, -60].filter((v, i, all) => all.indexOf(v) === i);
  const path = (values: number[]) =>
    linePath(
      values.map((_, i) => x(i * burst.step_ms)),
      values.map((v) => y(v)),
    );
  const middle = Math.round(count * 0.36);
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={TALL + 30}
        display="block"
        role="img"
        aria-label={`A burst. ${burst.sentence}`}
      >
        <rect x={LEFT} y="6" width={width - 8 - LEFT} height={TALL - 6} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 8} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
        <path d={path(burst.in_db)} fill="none" stroke={ink("ink2")} strokeWidth="1" />
        <path
          d={path(burst.compressor_db)}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="2.25"
          strokeDasharray="9 4"
        />
        <path d={path(burst.sum_db)} fill="none" stroke={ink("ink")} strokeWidth="3" />
        <text
          x={x(middle * burst.step_ms)}
          y={y(burst.compressor_db[middle]!) + 17}
          fontSize="13"
          fill={ink("wet")}
          {...halo()}
        >
          compressor alone
        </text>
        <text
          x={x(middle * burst.step_ms)}
          y={y(burst.sum_db[middle]!) - 7}
          fontSize="13"
          fontWeight="650"
          fill={ink("ink")}
          {...halo()}
        >
          sum
        </text>
        <text x={LEFT + 6} y={y(burst.in_db[0]!) + 16} fontSize="13" fill={ink("ink2")} {...halo()}>
          in
        </text>
        <AxisBottom
          scale={x}
          at={TALL}
          ticks={x.ticks(Math.max(3, Math.floor(width / 100)))}
          unit="ms"
        />
      </svg>
    </Box>
  );
}
