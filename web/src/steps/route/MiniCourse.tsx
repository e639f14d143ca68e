/** A course in small, to recognise it by: rails, marks and names, nothing to touch. */
import { Box } from "@chakra-ui/react";

import type { RigView } from "../../api/client";
import { ink } from "../../ui/theme";
import { useWidth } from "../../ui/hooks";
import { Glyph } from "./Glyph";

interface Props {
  layout: RigView["layout"];
  /** Parts and rails to mark. */
  marked?: string[];
  /** As low as a line of a list. */
  low?: boolean;
}

export function MiniCourse({ layout, marked = [], low = false }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(100);
  const lane = low ? Math.max(6, Math.min(18, 34 / Math.max(1, layout.lanes - 1))) : 30;
  const top = low ? 10 : 16;
  const size = low ? 0.5 : 0.62;
  const column = Math.min(58, (width - 36) / Math.max(1, layout.columns));
  const x = (value: number) => 14 + value * column;
  const y = (at: number) => top + at * lane;
  const differs = new Set(marked);
  return (
    <Box ref={frame} aria-hidden>
      <svg width={width} height={top + (layout.lanes - 1) * lane + (low ? 10 : 18)} display="block">
        {layout.rails.map((rail) => {
          const wet = rail.wet && !rail.dry;
          const other = differs.has(rail.port);
          return (
            <polyline
              key={rail.port}
              points={rail.xs.map((value, i) => `${x(value)},${y(rail.lanes[i]!)}`).join(" ")}
              fill="none"
              stroke={ink(other ? "diff" : wet ? "wet" : "ink")}
              strokeWidth={other ? 2.25 : 1.5}
              strokeDasharray={wet ? "7 3" : undefined}
            />
          );
        })}
        {layout.nodes.map((node) => (
          <g key={node.id} transform={`translate(${x(node.x)}, ${y(node.lane)}) scale(${size})`}>
            {differs.has(node.id) && (
              <circle r="15" fill="none" stroke={ink("diff")} strokeWidth="4" />
            )}
            <Glyph kind={node.kind} off={node.off} wet={node.wet} lit={false} />
          </g>
        ))}
      </svg>
    </Box>
  );
}
