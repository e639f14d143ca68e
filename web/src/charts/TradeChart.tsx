/** What one wish costs another: every point a setting that could be taken; the present one marked. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

type Trade = Schemas["TradeOut"];
const [LEFT, RIGHT, TOP, TALL] = [52, 16, 14, 210];

export function TradeChart({
  trade,
  chosen,
  onChoose,
}: {
  trade: Trade;
  chosen: number | null;
  onChoose: (point: number) => void;
}) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const { points, now } = trade;
  const xs = [...points.map((p) => p.figure), trade.one_asked, ...(now ? [now[0]!] : [])];
  const ys = [...points.map((p) => p.other), trade.other_asked, ...(now ? [now[1]!] : [])];
  const ends = (values: number[]): [number, number] => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const room = Math.max(0.5, (high - low) * 0.08);
    return [low - room, high + room];
  };
  const x = scaleLinear(ends(xs), [LEFT, width - RIGHT]);
  const y = scaleLinear(ends(ys), [TOP + TALL, TOP]);
  return (
    <Box ref={frame} minWidth="0">
      <Box fontSize="13px" color="ink2">
        {trade.other}, {trade.other_unit}
      </Box>
      <svg
        width={width}
        height={TOP + TALL + 32}
        role="img"
        aria-label={`${trade.other} over ${trade.one}: ${trade.sentence}`}
        style={{ display: "block" }}
      >
        <rect x={LEFT} y={TOP} width={width - LEFT - RIGHT} height={TALL} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={y.ticks(5)} x1={LEFT} x2={width - RIGHT} />
        <AxisLeft scale={y} at={LEFT} ticks={y.ticks(5)} />
        <AxisBottom
          scale={x}
          at={TOP + TALL}
          ticks={x.ticks(width > 480 ? 7 : 4)}
          unit={trade.one_unit}
        />
        <line
          x1={x(trade.one_asked)}
          x2={x(trade.one_asked)}
          y1={TOP}
          y2={TOP + TALL}
          stroke={ink("ok")}
          strokeWidth="1.5"
        />
        <line
          x1={LEFT}
          x2={width - RIGHT}
          y1={y(trade.other_asked)}
          y2={y(trade.other_asked)}
          stroke={ink("ok")}
          strokeWidth="1.5"
        />
        <path
          d={linePath(
            points.map((p) => x(p.figure)),
            points.map((p) => y(p.other)),
          )}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="2.5"
        />
        {points.map((p, i) => (
          <circle
            key={i}
            cx={x(p.figure)}
            cy={y(p.other)}
            r={i === chosen ? 7 : 5}
            fill={i === chosen ? ink("ink") : ink("paper")}
            stroke={ink("ink")}
            strokeWidth="2"
            style={{ cursor: "pointer" }}
            onClick={() => onChoose(i)}
          />
        ))}
        {now && (
          <>
            <path
              d={`M${x(now[0]!)} ${y(now[1]!) - 8} l7 8 l-7 8 l-7 -8 z`}
              fill={ink("wet")}
              stroke={ink("paper")}
            />
            <text
              x={Math.min(width - RIGHT - 60, x(now[0]!) + 10)}
              y={y(now[1]!) - 8}
              fontSize="13"
              fontWeight="650"
              fill={ink("ink")}
              {...halo()}
            >
              as it is
            </text>
          </>
        )}
      </svg>
      <Box fontSize="13px" color="ink2" textAlign="right">
        {trade.one}, {trade.one_unit}; green: what is wished
      </Box>
    </Box>
  );
}
