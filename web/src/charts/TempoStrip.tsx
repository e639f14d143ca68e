/** The tempo map as a strip over the song: tempo against time, sections with their metres. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";

import type { Section, TempoMap } from "../api/client";
import { ink } from "../ui/theme";
import { type Length, lengthWords, ofBeats, placeWords } from "../ui/length";
import { clock, num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo } from "./axes";

const LEFT = 44;
const TOP = 46;
const HEIGHT = 190;
const FOOT = HEIGHT - 28;

interface Props {
  map: TempoMap;
  sections: Section[];
  selected: number;
  at: number | null;
  onSelect: (index: number) => void;
  onTempo: (index: number, bpm: number) => void;
  onLength: (index: number, length: Length) => void;
  onPosition: (seconds: number) => void;
}

export function TempoStrip(props: Props) {
  const { map, sections, selected, at, onSelect, onTempo, onLength, onPosition } = props;
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const drag = useRef<{ kind: "tempo" | "bars"; index: number } | null>(null);
  const bpms = map.sections.flatMap((s) => [s.bpm, s.end_bpm]);
  const low = Math.floor((Math.min(...bpms) - 4) / 10) * 10;
  const high = Math.ceil((Math.max(...bpms) + 4) / 10) * 10;
  const x = scaleLinear([0, map.length_s], [LEFT, width - 10]);
  const y = scaleLinear([low, high], [FOOT, TOP]).clamp(true);
  const ticks = y.ticks(4);
  const where = (event: PointerEvent) => {
    const box =
      (event.currentTarget as SVGElement).ownerSVGElement ?? (event.currentTarget as SVGSVGElement);
    const rect = box.getBoundingClientRect();
    return { px: event.clientX - rect.left, py: event.clientY - rect.top };
  };
  const onMove = (event: PointerEvent<SVGSVGElement>) => {
    const held = drag.current;
    if (!held) return;
    const { px, py } = where(event);
    const s = map.sections[held.index]!;
    if (held.kind === "tempo") onTempo(held.index, Math.round(y.invert(py)));
    else {
      const metre = sections[held.index]?.metre_count ?? 4;
      const bars = ((x.invert(px) - s.start_s) * 1000) / s.bar_ms;
      const beats = event.shiftKey
        ? Math.max(1, Math.round(bars * metre))
        : Math.max(1, Math.round(bars)) * metre;
      const length = ofBeats(beats, metre);
      if (length && (length.bars !== s.bars || length.beats !== s.beats))
        onLength(held.index, length);
    }
  };
  const key = (event: KeyboardEvent, index: number) => {
    const s = sections[index]!;
    const size = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
    if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      const way = event.key === "ArrowUp" ? size : -size;
      onTempo(index, Number((s.tempo_bpm + way).toFixed(3)));
    } else if (event.key === "ArrowRight" || event.key === "ArrowLeft") {
      const next = index + (event.key === "ArrowRight" ? 1 : -1);
      if (!sections[next]) return;
      onSelect(next);
      (event.currentTarget as SVGElement).ownerSVGElement
        ?.querySelector<SVGElement>(`[data-section="${next}"]`)
        ?.focus();
    } else if ("[]{}".includes(event.key)) {
      const laid = map.sections[index]!;
      const metre = s.metre_count ?? 4;
      const step = "[]".includes(event.key) ? metre : 1;
      const way = "]}".includes(event.key) ? step : -step;
      const length = ofBeats(laid.bars * metre + laid.beats + way, metre);
      if (length) onLength(index, length);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={HEIGHT}
        display="block"
        role="radiogroup"
        aria-label="Tempo map"
        onPointerMove={onMove}
        onPointerUp={() => (drag.current = null)}
        style={{ touchAction: "pan-y" }}
      >
        <rect x={LEFT} y={TOP} width={width - LEFT - 10} height={FOOT - TOP} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 10} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} />
        <text x="0" y={TOP - 8} fontSize="13" fill={ink("ink2")}>
          BPM
        </text>
        <AxisBottom
          scale={x}
          at={FOOT}
          ticks={x.ticks(Math.max(3, Math.floor(width / 160)))}
          format={clock}
        />
        {map.sections.map((s, i) => {
          const [x1, x2] = [x(s.start_s), x(s.start_s + s.length_s)];
          const mine = i === selected;
          const own = sections[i];
          if (!own) return null;
          const name = own.name || `Section ${i + 1}`;
          const metre = `${own.metre_count}/${own.metre_unit}`;
          const span = lengthWords(s, s.open);
          const inside = s.first_beat > 1 + 1e-6;
          const room = x2 - x1;
          const tempo =
            s.end_bpm === s.bpm
              ? num(s.bpm, s.bpm % 1 ? 1 : 0)
              : `${num(s.bpm, s.bpm % 1 ? 1 : 0)} to ${num(s.end_bpm, s.end_bpm % 1 ? 1 : 0)}`;
          return (
            <g
              key={i}
              data-section={i}
              role="radio"
              aria-checked={mine}
              aria-label={`${name}, ${tempo} BPM, ${metre}, ${span}${inside ? `, from bar ${placeWords(s.first_bar, s.first_beat)}` : ""}`}
              tabIndex={mine ? 0 : -1}
              onFocus={() => !mine && onSelect(i)}
              onKeyDown={(event) => key(event, i)}
            >
              <rect
                x={x1}
                y="0"
                width={room}
                height={TOP}
                fill={ink(mine ? "well" : "paper")}
                style={{ cursor: "pointer" }}
                onClick={() => onSelect(i)}
              />
              <rect
                x={x1}
                y={TOP}
                width={room}
                height={FOOT - TOP}
                fill="transparent"
                onClick={(event) => {
                  const svg = event.currentTarget.ownerSVGElement!.getBoundingClientRect();
                  onSelect(i);
                  onPosition(Math.max(0, x.invert(event.clientX - svg.left)));
                }}
              />
              {/* Dashed where it begins inside a bar. */}
              <line
                x1={x1}
                x2={x1}
                y1="2"
                y2={FOOT}
                stroke={ink("edge")}
                strokeWidth={i ? (inside ? 1.5 : 1) : 0}
                strokeDasharray={inside ? "4 3" : undefined}
              />
              {room > 40 && (
                <text
                  x={x1 + 5}
                  y="17"
                  fontSize="14"
                  fontWeight="650"
                  fill={ink("ink")}
                  pointerEvents="none"
                >
                  {room > name.length * 8 + 8
                    ? name
                    : `${name.slice(0, Math.max(1, Math.floor(room / 9)))}…`}
                </text>
              )}
              {room > 62 && (
                <text x={x1 + 5} y="35" fontSize="13" fill={ink("ink2")} pointerEvents="none">
                  {room > 40 + 8 * span.length ? `${metre}, ${span}` : metre}
                </text>
              )}
              <path
                d={`M${x1} ${y(s.bpm)}L${x2} ${y(s.end_bpm)}`}
                stroke={ink("ink")}
                strokeWidth={mine ? 3.5 : 2}
                fill="none"
              />
              <path
                d={`M${x1} ${y(s.bpm)}L${x2} ${y(s.end_bpm)}`}
                stroke="transparent"
                strokeWidth="18"
                fill="none"
                style={{ cursor: "ns-resize" }}
                onPointerDown={(event) => {
                  onSelect(i);
                  drag.current = { kind: "tempo", index: i };
                  event.preventDefault();
                }}
              />
              {room > 44 && (
                <text
                  x={x1 + 6}
                  y={y(s.bpm) + (s.end_bpm > s.bpm || y(s.bpm) < TOP + 18 ? 18 : -7)}
                  fontSize="13"
                  fontWeight="650"
                  fill={ink("ink")}
                  pointerEvents="none"
                  {...halo()}
                >
                  {tempo}
                </text>
              )}
            </g>
          );
        })}
        {map.sections.map((s, i) => (
          <line
            key={i}
            data-end={i}
            x1={x(s.start_s + s.length_s)}
            x2={x(s.start_s + s.length_s)}
            y1={TOP}
            y2={FOOT}
            stroke="transparent"
            strokeWidth="12"
            style={{ cursor: "ew-resize" }}
            onPointerDown={(event) => {
              onSelect(i);
              drag.current = { kind: "bars", index: i };
              event.preventDefault();
            }}
          />
        ))}
        {at !== null && at <= map.length_s && (
          <line x1={x(at)} x2={x(at)} y1={TOP} y2={FOOT} stroke={ink("diff")} strokeWidth="1.75" />
        )}
      </svg>
    </Box>
  );
}
