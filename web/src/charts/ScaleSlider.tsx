/**
 * A value on a horizontal scale with a post to drag: arrows step it, Shift coarser, Alt finer, a double
 * click puts it back. The value beside it can be typed, beyond the scale as far as it goes.
 */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type KeyboardEvent, type PointerEvent, useId, useState } from "react";

import { useDraft, useTakes } from "../ui/drafts";
import { ink } from "../ui/theme";
import { num } from "../ui/format";
import { useDrag, useWidth } from "../ui/hooks";
import { Said } from "../ui/Said";
import { readTyped } from "../ui/typed";
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
  /** As far as it can be typed; the scale's ends where nothing is said. */
  least?: number;
  most?: number;
  /** What a double click restores. */
  rest?: number;
  onChange: (value: number) => void;
}

const EDGE = 10;

export function ScaleSlider(props: Props) {
  const { label, value, low, high, step, ticks, shown, alarmFrom, rest, onChange } = props;
  const { least = low, most = high } = props;
  const [frame, width] = useWidth<HTMLDivElement>(110);
  const x = scaleLinear([low, high], [EDGE, width - EDGE]).clamp(true);
  const take = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const raw = x.invert(event.clientX - box.left);
    const next = Number((Math.round(raw / step) * step).toFixed(4));
    if (next !== value) onChange(Math.min(high, Math.max(low, next)));
  };
  const drag = useDrag({ take });
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (event.key === "Home" || event.key === "End") onChange(event.key === "Home" ? low : high);
    else if (event.key === "Escape" && rest !== undefined) onChange(rest);
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
      <Box display="flex" justifyContent="space-between" gap="6px" fontSize="13px">
        <Box as="span" color="ink2" whiteSpace="nowrap">
          {label}
        </Box>
        <TypedValue {...{ label, words, least, most, onChange }} />
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
        style={{ cursor: "ew-resize", touchAction: "pan-y" }}
        onKeyDown={onKeyDown}
        {...drag}
        onDoubleClick={() => rest !== undefined && onChange(rest)}
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

interface TypedProps {
  label: string;
  words: string;
  least: number;
  most: number;
  onChange: (value: number) => void;
}

const TypedInput = chakra("input", {
  base: {
    minWidth: 0,
    textAlign: "right",
    fontSize: "13px",
    fontWeight: 650,
    fontVariantNumeric: "tabular-nums",
    color: "ink",
    background: "transparent",
    border: 0,
    borderBottom: "1px dotted transparent",
    borderRadius: 0,
    padding: 0,
    height: "19px",
    _hover: { borderBottomColor: "edge" },
    _focus: { background: "sheet", borderBottomColor: "ink" },
    _invalid: { color: "diff" },
  },
});

/** The value as text that can be typed over; what is not understood is said under it, over the scale. */
function TypedValue({ label, words, least, most, onChange }: TypedProps) {
  const id = useId();
  const [draft, setDraft, takes] = useDraft(`${label}, typed`, words);
  const [said, setSaid] = useState("");
  const restore = () => {
    setDraft(null);
    setSaid("");
  };
  const accept = (typed: string | null = draft) => {
    if (typed === null || typed === words) return restore();
    const read = readTyped(typed, words, least, most);
    if ("said" in read) return setSaid(read.said);
    restore();
    onChange(read.value);
  };
  useTakes(takes, accept);
  return (
    <Box as="span" position="relative">
      <TypedInput
        // As wide as what it shows, so that a long name stays on its line.
        style={{ width: `${Math.max(5, words.length + 0.5)}ch` }}
        aria-label={`${label}, typed`}
        aria-invalid={said ? true : undefined}
        aria-describedby={said ? id : undefined}
        value={draft ?? words}
        maxLength={60}
        spellCheck={false}
        autoComplete="off"
        onFocus={(event) => event.currentTarget.select()}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={() => accept()}
        onKeyDown={(event) => {
          if (event.key === "Enter") accept();
          if (event.key === "Escape") restore();
        }}
      />
      {said && <Said id={id} text={said} bad side="right" />}
    </Box>
  );
}
