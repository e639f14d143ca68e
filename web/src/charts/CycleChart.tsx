/** What a stage does over its own cycle, on both sides, in the unit of its settings. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import type { Schemas } from "../api/client";
import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";
import { AxisBottom, AxisLeft, Gridlines, linePath } from "./axes";

type Cycle = Schemas["CycleOut"];

const LEFT = 64;
const TOP = 8;
const TALL = 64;

/** Between which values it is drawn: all of what a level can be, else a little beyond what it does. */
export function reachOf(cycle: Cycle): [number, number] {
  const values = [...cycle.left, ...(cycle.right ?? [])];
  const low = Math.min(...values);
  const high = Math.max(...values);
  if (cycle.unit === "%") return [0, 100];
  if (cycle.unit === "dB") return [Math.min(-6, low), 0];
  if (cycle.unit === "Hz") return high > 1.02 * low ? [low, high] : [low / 2, high * 2];
  return high - low > 0.02 ? [low, high] : [Math.max(0, low - 1), high + 1];
}

const WORDS: Record<string, string> = {
  "%": "level that passes",
  dB: "gain",
  ms: "delay",
  Hz: "frequency",
};

export function CycleChart({ cycle }: { cycle: Cycle }) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const [low, high] = reachOf(cycle);
  const wide = width - 10;
  const slow = cycle.seconds >= 2;
  const whole = slow ? cycle.seconds : cycle.seconds * 1e3;
  const x = scaleLinear([0, whole], [LEFT, wide]);
  const y = (cycle.unit === "Hz" ? scaleLog() : scaleLinear())
    .domain([low, high])
    .range([TOP + TALL, TOP])
    .clamp(true);
  const middle = cycle.unit === "Hz" ? Math.sqrt(low * high) : (low + high) / 2;
  const at = (values: number[]) =>
    linePath(
      values.map((_, i) => x((i / (values.length - 1)) * whole)),
      values.map((v) => y(v)),
    );
  const most = Math.max(2, Math.floor((wide - LEFT) / 70));
  const what = WORDS[cycle.unit] ?? cycle.unit;
  const each = slow
    ? `${num(cycle.cycle_s, 2)} s`
    : `${num(cycle.cycle_s * 1e3, Number.isInteger(cycle.cycle_s * 1e3) ? 0 : 1)} ms`;
  const shown = (v: number) => num(v, Math.abs(v) < 10 && !Number.isInteger(v) ? 1 : 0);
  return (
    <Box ref={frame} minWidth="0" data-cycle paddingBlock="4px">
      <Box fontSize="13px" color="ink2">
        {what.charAt(0).toUpperCase() + what.slice(1)} over its cycle of {each}
        {cycle.right ? "; left full, right dashed" : ""}
      </Box>
      <svg
        width={width}
        height={TOP + TALL + 28}
        display="block"
        role="img"
        aria-label={`${what} from ${shown(Math.min(...cycle.left))} to ${shown(Math.max(...cycle.left))} ${cycle.unit} in a cycle of ${each}`}
      >
        <Gridlines scale={y} ticks={[low, middle, high]} x1={LEFT} x2={wide} />
        <AxisLeft
          scale={y}
          at={LEFT}
          ticks={[high, middle, low]}
          format={shown}
          unit={cycle.unit}
        />
        <AxisBottom
          scale={x}
          at={TOP + TALL}
          ticks={x.ticks(Math.min(6, most))}
          format={(v) => num(v, slow && whole < 6 ? 1 : 0)}
          unit={slow ? "s" : "ms"}
        />
        {cycle.right && (
          <path
            d={at(cycle.right)}
            fill="none"
            stroke={ink("wet")}
            strokeWidth="2"
            strokeDasharray="6 4"
          />
        )}
        <path d={at(cycle.left)} fill="none" stroke={ink("wet")} strokeWidth="2.2" />
      </svg>
    </Box>
  );
}
