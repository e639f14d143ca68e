/** A value on a horizontal scale with a post to drag: arrows step it, Shift coarser, Alt finer. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";

import { ink } from "../app/theme";
import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { halo } from "./axes";

interface Props {
  label: string;
  value: number;
  low: number;
  high: number;
  step: number;
  ticks: number[];
  /** The value in words, with its unit. */
  shown: (value: number) => string;
  /** Drawn hatched from here on. */
  alarmFrom?: number;
  onChange: (value: number) => void;
}

const EDGE = 10;

export function ScaleSlider(props: Props) {
  const { label, value, low, high, step, ticks, shown, alarmFrom, onChange } = props;
  const [frame, width] = useWidth<HTMLDivElement>(160);
  const dragging = useRef(false);
  const x = scaleLinear([low, high], [EDGE, width - EDGE]).clamp(true);
  const take = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const raw = x.invert(event.clientX - box.left);
    const next = Number((Math.round(raw / step) * step).toFixed(4));
    if (next !== value) onChange(Math.min(high, Math.max(low, next)));
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (event.key === "Home" || event.key === "End") onChange(event.key === "Home" ? low : high);
    else if (way) {
      const size = step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
      onChange(Math.min(high, Math.max(low, Number((value + way * size).toFixed(4)))));
    } else return;
    event.preventDefault();
  };
  const at = x(value);
  const words = shown(value);
  return (
    <Box ref={frame} minWidth="0">
      <Box display="flex" justifyContent="space-between" fontSize="13px">
        <Box as="span" color="ink2">
          {label}
        </Box>
        <Box as="strong" fontWeight="650">
          {words}
        </Box>
      </Box>
      <svg
        width={width}
        height="42"
        display="block"
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={value}
        aria-valuetext={words}
        style={{ cursor: "ew-resize", touchAction: "none" }}
        onKeyDown={onKeyDown}
        onPointerDown={(event) => {
          dragging.current = true;
          event.currentTarget.setPointerCapture(event.pointerId);
          take(event);
        }}
        onPointerMove={(event) => dragging.current && take(event)}
        onPointerUp={() => (dragging.current = false)}
      >
        <rect x="0" y="0" width={width} height="42" fill="transparent" />
        {alarmFrom !== undefined && alarmFrom < high && (
          <rect
            x={x(alarmFrom)}
            y="10"
            width={x(high) - x(alarmFrom)}
            height="8"
            fill={ink("cautionWash")}
          />
        )}
        <line x1={EDGE} x2={width - EDGE} y1="18" y2="18" stroke={ink("ink")} strokeWidth="1.5" />
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1="18" y2="24" stroke={ink("ink")} />
            <text
              x={x(tick)}
              y="38"
              textAnchor={tick === low ? "start" : tick === high ? "end" : "middle"}
              dx={tick === low ? -EDGE + 2 : tick === high ? EDGE - 2 : 0}
              fontSize="13"
              fill={ink("ink2")}
              {...halo("paper")}
            >
              {num(tick, Number.isInteger(tick) ? 0 : Math.abs(tick) < 0.1 ? 2 : 1)}
            </text>
          </g>
        ))}
        <line x1={at} x2={at} y1="4" y2="26" stroke={ink("ink")} strokeWidth="5" />
      </svg>
    </Box>
  );
}
