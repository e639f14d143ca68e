/** A course in small, to recognise it by: rails, marks and names, nothing to touch. */
import { Box } from "@chakra-ui/react";

import type { RigView } from "../../api/client";
import { ink } from "../../ui/theme";
import { useWidth } from "../../ui/hooks";
import { Glyph } from "./Glyph";

const LANE = 30;

export function MiniCourse({ layout }: { layout: RigView["layout"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(200);
  const column = Math.min(58, (width - 36) / Math.max(1, layout.columns));
  const x = (value: number) => 14 + value * column;
  const y = (lane: number) => 16 + lane * LANE;
  return (
    <Box ref={frame} aria-hidden>
      <svg width={width} height={16 + (layout.lanes - 1) * LANE + 18} display="block">
        {layout.rails.map((rail) => (
          <polyline
            key={rail.port}
            points={rail.xs.map((value, i) => `${x(value)},${y(rail.lanes[i]!)}`).join(" ")}
            fill="none"
            stroke={ink(rail.wet && !rail.dry ? "wet" : "ink")}
            strokeWidth="1.5"
            strokeDasharray={rail.wet && !rail.dry ? "7 3" : undefined}
          />
        ))}
        {layout.nodes.map((node) => (
          <g key={node.id} transform={`translate(${x(node.x)}, ${y(node.lane)}) scale(0.62)`}>
            <Glyph kind={node.kind} off={node.off} wet={node.wet} lit={false} />
          </g>
        ))}
      </svg>
    </Box>
  );
}
