/** One way to connect, drawn as a short course: rails with marks where the devices stand. */
import { Box } from "@chakra-ui/react";

import { halo } from "../../charts/axes";
import { useWidth } from "../../ui/hooks";
import { ink } from "../../ui/theme";
import type { Order } from "./orders";

const HEIGHT = 96;
const UPPER = 34;
const LOWER = 70;

/** Names of the devices and on which rail each stands, along the course from 0 to 1. */
export function marksOf(order: Order, way: "here" | "other") {
  const [first = "", second = ""] = order.devices;
  if (order.question === "series")
    return way === "here"
      ? [
          { name: first, at: 0.34, low: false },
          { name: second, at: 0.66, low: false },
        ]
      : [
          { name: first, at: 0.5, low: false },
          { name: second, at: 0.5, low: true },
        ];
  return [{ name: first, at: 0.5, low: way === "other" }];
}

export function OrderSketch({
  order,
  way,
  letter,
}: {
  order: Order;
  way: "here" | "other";
  letter: string;
}) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const marks = marksOf(order, way);
  const two = marks.some((m) => m.low);
  const x = (at: number) => 20 + at * (width - 40);
  const words = way === "here" ? order.here : order.other;
  const [left, right] = [x(0.16), x(0.84)];
  return (
    <Box ref={frame} minWidth="0">
      <Box fontWeight="650">
        {letter && `${letter}  `}
        {words}
      </Box>
      <svg width={width} height={HEIGHT} display="block" role="img" aria-label={words}>
        <line x1={x(0)} x2={x(1)} y1={UPPER} y2={UPPER} stroke={ink("ink")} strokeWidth="2.5" />
        {two && (
          <polyline
            points={`${left},${UPPER} ${left + 18},${LOWER} ${right - 18},${LOWER} ${right},${UPPER}`}
            fill="none"
            stroke={ink("wet")}
            strokeWidth="2.5"
          />
        )}
        {[x(0), x(1)].map((at) => (
          <circle key={at} cx={at} cy={UPPER} r="5" fill={ink("ink")} />
        ))}
        {marks.map((mark) => (
          <g key={`${mark.name} ${mark.low}`}>
            <rect
              x={x(mark.at) - 7}
              y={(mark.low ? LOWER : UPPER) - 7}
              width="14"
              height="14"
              transform={`rotate(45 ${x(mark.at)} ${mark.low ? LOWER : UPPER})`}
              fill={ink("sheet")}
              stroke={ink(mark.low ? "wet" : "ink")}
              strokeWidth="2.5"
            />
            <text
              x={x(mark.at)}
              y={mark.low ? LOWER + 24 : UPPER - 16}
              textAnchor="middle"
              fontSize="14"
              fontWeight="600"
              fill={ink("ink")}
              {...halo()}
            >
              {mark.name}
            </text>
          </g>
        ))}
      </svg>
    </Box>
  );
}
