/** The tempo through the evening: each song at its place, on one scale of beats a minute. */
import { Box } from "@chakra-ui/react";
import { scaleLog } from "d3-scale";

import { useWidth } from "../../ui/hooks";
import { ink } from "../../ui/theme";
import type { Card } from "./cards";

const [HEIGHT, LEFT, TOP, FOOT] = [116, 44, 14, 20];
const TICKS = [40, 60, 80, 120, 160, 240];

export function TempoLine({ cards }: { cards: Card[] }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const step = (width - LEFT - 14) / Math.max(1, cards.length);
  const x = (n: number) => LEFT + step * (n + 0.5);
  const tempi = cards.map((c) => (c.tempo ? Number(c.tempo) : null));
  const known = tempi.filter((t): t is number => t !== null && t > 0);
  const y = scaleLog([Math.min(40, ...known), Math.max(240, ...known)], [HEIGHT - FOOT, TOP]);
  const line = tempi.flatMap((t, n) => (t ? [`${x(n)},${y(t)}`] : []));
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Tempo through the evening: ${known.join(", ")} beats a minute`}
        display="block"
      >
        <rect
          x={LEFT}
          y={TOP - 6}
          width={width - LEFT}
          height={HEIGHT - FOOT - TOP + 6}
          fill={ink("sheet")}
        />
        {TICKS.map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={width} y1={y(tick)} y2={y(tick)} stroke={ink("fine")} />
            <text x={LEFT - 6} y={y(tick) + 4} fontSize="11" textAnchor="end" fill={ink("ink2")}>
              {tick}
            </text>
          </g>
        ))}
        <text x="0" y="9" fontSize="11" fill={ink("ink2")}>
          beats a minute
        </text>
        <polyline points={line.join(" ")} fill="none" stroke={ink("edge")} strokeWidth="1.5" />
        {tempi.map((t, n) =>
          t ? (
            <g key={cards[n]!.key}>
              <circle cx={x(n)} cy={y(t)} r="5" fill={ink("ink")} />
              {step > 26 && (
                <text
                  x={x(n)}
                  y={y(t) - 9}
                  fontSize="12"
                  fontWeight="650"
                  textAnchor="middle"
                  fill={ink("ink")}
                >
                  {cards[n]!.tempo}
                </text>
              )}
              {(step > 14 || n % 5 === 4) && (
                <text x={x(n)} y={HEIGHT - 6} fontSize="11" textAnchor="middle" fill={ink("ink2")}>
                  {n + 1}
                </text>
              )}
            </g>
          ) : null,
        )}
      </svg>
    </Box>
  );
}
