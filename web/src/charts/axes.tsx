/** True axes with units: ticks and labels for linear scales, drawn alike everywhere. */
import type { ScaleLinear, ScaleLogarithmic } from "d3-scale";

import { ink } from "../ui/theme";
import { num } from "../ui/format";

type Scale = ScaleLinear<number, number> | ScaleLogarithmic<number, number>;

interface AxisProps {
  scale: Scale;
  /** Where the axis stands: y of a bottom axis, x of a left one. */
  at: number;
  ticks: number[];
  format?: (value: number) => string;
  /** Shown after the last label. */
  unit?: string;
}

export function AxisBottom({ scale, at, ticks, format = plain, unit }: AxisProps) {
  const [low = 0, high = 0] = scale.range();
  const lastRoom = 16 + 7.5 * `${format(ticks.at(-1) ?? 0)} ${unit ?? ""}`.trim().length;
  return (
    <g>
      <line x1={low} x2={high} y1={at} y2={at} stroke={ink("ink")} strokeWidth="1.5" />
      {ticks.map((tick, i) => {
        const x = scale(tick);
        const last = i === ticks.length - 1;
        const label = `${format(tick)}${unit && last ? ` ${unit}` : ""}`;
        const near = high - x < label.length * 4;
        const anchor = near ? "end" : x - low < 8 ? "start" : "middle";
        // The last label, with its unit, needs the room of the one before.
        const crowded = i === ticks.length - 2 && scale(ticks.at(-1)!) - x < lastRoom;
        return (
          <g key={tick}>
            <line x1={x} x2={x} y1={at} y2={at + 6} stroke={ink("ink")} />
            <text
              x={near ? high : x}
              y={at + 21}
              textAnchor={anchor}
              fontSize="13"
              fill={ink("ink2")}
            >
              {crowded ? "" : label}
            </text>
          </g>
        );
      })}
    </g>
  );
}

export function AxisLeft({ scale, at, ticks, format = plain, unit }: AxisProps) {
  return (
    <g>
      {ticks.map((tick, i) => (
        <g key={tick}>
          <line x1={at - 5} x2={at} y1={scale(tick)} y2={scale(tick)} stroke={ink("edge")} />
          <text x={at - 8} y={scale(tick) + 4.5} textAnchor="end" fontSize="13" fill={ink("ink2")}>
            {`${format(tick)}${unit && i === 0 ? ` ${unit}` : ""}`}
          </text>
        </g>
      ))}
    </g>
  );
}

export function Gridlines({
  scale,
  ticks,
  x1,
  x2,
}: {
  scale: Scale;
  ticks: number[];
  x1: number;
  x2: number;
}) {
  return (
    <g>
      {ticks.map((tick) => (
        <line
          key={tick}
          x1={x1}
          x2={x2}
          y1={scale(tick)}
          y2={scale(tick)}
          stroke={ink("fine")}
          strokeWidth="1"
        />
      ))}
    </g>
  );
}

function plain(value: number): string {
  return num(value, Number.isInteger(value) ? 0 : 1);
}

/** Text over lines: a halo of the ground it stands on keeps it readable. */
export const halo = (ground: "sheet" | "paper" = "sheet") =>
  ({
    paintOrder: "stroke",
    stroke: ink(ground),
    strokeWidth: 3.5,
    strokeLinejoin: "round",
  }) as const;

export function linePath(xs: number[], ys: (number | null)[]): string {
  let path = "";
  let pen = false;
  ys.forEach((y, i) => {
    if (y === null) pen = false;
    else {
      path += `${pen ? "L" : "M"}${xs[i]!.toFixed(2)} ${y.toFixed(2)}`;
      pen = true;
    }
  });
  return path;
}

/** A line that stays level across each step, as band levels are drawn. */
export function stepPath(edges: number[], ys: (number | null)[]): string {
  let path = "";
  let pen = false;
  ys.forEach((y, i) => {
    if (y === null) pen = false;
    else {
      path += `${pen ? "L" : "M"}${edges[i]!.toFixed(2)} ${y.toFixed(2)}`;
      path += `L${edges[i + 1]!.toFixed(2)} ${y.toFixed(2)}`;
      pen = true;
    }
  });
  return path;
}
