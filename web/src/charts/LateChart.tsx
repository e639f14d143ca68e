/** How deep two sounds null over a change of delay; the deepest step of a control is marked. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

const LEFT = 62;
const TOP = 22;
const TALL = 120;

export function LateChart({
  found,
  ms = 0,
  depth = null,
}: {
  found: Schemas["LateOut"];
  /** Where it stands, and how deep it nulls there. */
  ms?: number;
  depth?: number | null;
}) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const reach = found.changes_ms.at(-1) ?? 1;
  const deepest = Math.min(-12, found.best_depth_db, ...found.depths_db);
  const low = Math.max(-120, Math.floor(deepest / 12) * 12);
  const top = Math.max(6, Math.ceil(Math.max(...found.depths_db)));
  const right = width - 10;
  const x = scaleLinear([-reach, reach], [LEFT, right]);
  const y = scaleLinear([top, low], [TOP, TOP + TALL]).clamp(true);
  const ticks = [0, low / 2, low];
  const at = x(found.best_ms);
  const said = `${signed(found.best_ms, 3)} ms: ${num(-found.best_depth_db, 1)} dB down`;
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={TOP + TALL + 28}
        display="block"
        role="img"
        aria-label={`Residual over a change of delay, ${num(-reach, 1)} to ${num(reach, 1)} ms. Deepest at ${said}.`}
      >
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={right} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} unit="dB" />
        <AxisBottom
          scale={x}
          at={TOP + TALL}
          ticks={x.ticks(Math.max(2, Math.min(8, Math.floor(width / 90))))}
          unit="ms"
        />
        <line x1={x(0)} x2={x(0)} y1={TOP} y2={TOP + TALL} stroke={ink("edge")} />
        <path
          d={linePath(
            found.changes_ms.map((v) => x(v)),
            found.depths_db.map((v) => y(v)),
          )}
          fill="none"
          stroke={ink("diff")}
          strokeWidth="1.6"
        />
        {ms !== 0 && Math.abs(ms) <= reach && (
          <line
            x1={x(ms)}
            x2={x(ms)}
            y1={depth === null ? TOP : y(depth)}
            y2={TOP + TALL}
            stroke={ink("ink")}
            strokeWidth="2.5"
          />
        )}
        <line x1={at} x2={at} y1={TOP} y2={y(found.best_depth_db)} stroke={ink("ok")} />
        <circle cx={at} cy={y(found.best_depth_db)} r="4" fill={ink("ok")} />
        <text
          x={at}
          y={14}
          fontSize="13"
          fill={ink("ok")}
          style={halo()}
          textAnchor={at > width * 0.65 ? "end" : at < width * 0.35 ? "start" : "middle"}
        >
          {said}
        </text>
      </svg>
    </Box>
  );
}
