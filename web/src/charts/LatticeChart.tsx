/** The rhythm lattice: what is played, every echo in its slot, and what is heard in each slot. */
import { Box } from "@chakra-ui/react";
import { type KeyboardEvent, useState } from "react";

import type { Lattice } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { halo } from "./axes";

const LEFT = 92;
const TOP = 34;
const ROW = 34;
const HEARD = 46;

interface Props {
  lattice: Lattice;
  rows: number;
  onToggle: (slot: number) => void;
}

const PITCHES = ["C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B"];

export function pitchName(midi: number): string {
  return `${PITCHES[midi % 12]}${Math.floor(midi / 12) - 1}`;
}

export function LatticeChart({ lattice, rows, onToggle }: Props) {
  const { slots, echoes, length_ms: length } = lattice;
  const [frame, width] = useWidth<HTMLDivElement>(Math.max(320, LEFT + slots.length * 19));
  const [focus, setFocus] = useState(0);
  const x = (ms: number) => LEFT + (ms / length) * (width - LEFT - 14);
  const last = Math.max(1, Math.min(rows, Math.max(1, ...echoes.map((e) => e.k))));
  const rowY = (k: number) => TOP + 20 + (k === 0 ? 0 : 14 + k * ROW);
  const foot = rowY(last) + 22;
  const heardY = foot + HEARD;
  const played = slots.filter((s) => s.kind === "played" || s.kind === "collision");
  const levels = Array.from(
    { length: last },
    (_, i) => echoes.find((e) => e.k === i + 1)?.level_db,
  );
  const beat = slots.filter((s) => s.downbeat);
  const move = (event: KeyboardEvent, index: number) => {
    const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (event.key === "Enter" || event.key === " ") onToggle(index);
    else if (way || event.key === "Home" || event.key === "End") {
      const next =
        event.key === "Home"
          ? 0
          : event.key === "End"
            ? slots.length - 1
            : (index + way! + slots.length) % slots.length;
      setFocus(next);
      (event.currentTarget as SVGElement).ownerSVGElement
        ?.querySelector<SVGElement>(`[data-slot="${next}"]`)
        ?.focus();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  // Each echo hangs from the one before it: repeat k - 1 of the same note and side.
  const before = (e: Lattice["echoes"][number]) => {
    if (e.k === 1) return { time: played[e.note]?.time_ms ?? 0, row: 0 };
    const one = echoes.find(
      (o) => o.note === e.note && o.k === e.k - 1 && (o.side === e.side || o.side !== "both"),
    );
    return one ? { time: one.at_ms, row: one.k } : null;
  };
  return (
    <Box ref={frame} overflowX="auto" tabIndex={-1}>
      <svg
        width={width}
        height={heardY + 26}
        display="block"
        role="group"
        aria-label="Rhythm lattice"
      >
        <clipPath id="lattice">
          <rect x={LEFT} y={TOP} width={width - LEFT - 14} height={foot - TOP} />
        </clipPath>
        <rect x={LEFT} y={TOP} width={width - LEFT - 14} height={foot - TOP} fill={ink("sheet")} />
        <text x="0" y={TOP - 8} fontSize="13" fill={ink("ink2")}>
          Beat
        </text>
        {slots.map((s) => (
          <line
            key={s.index}
            x1={x(s.time_ms)}
            x2={x(s.time_ms)}
            y1={TOP}
            y2={foot}
            stroke={ink(
              s.index % lattice.slots_per_bar === 0 ? "edge" : s.downbeat ? "rule" : "fine",
            )}
            strokeWidth={s.index % lattice.slots_per_bar === 0 ? 1.5 : 1}
          />
        ))}
        <line x1={x(length)} x2={x(length)} y1={TOP} y2={foot} stroke={ink("edge")} />
        {beat.map((s, i) => {
          const inBar = beat
            .slice(0, i)
            .filter(
              (b) =>
                Math.floor(b.index / lattice.slots_per_bar) ===
                Math.floor(s.index / lattice.slots_per_bar),
            ).length;
          return (
            <g key={s.index}>
              <line x1={x(s.time_ms)} x2={x(s.time_ms)} y1={TOP - 8} y2={TOP} stroke={ink("ink")} />
              <text
                x={x(s.time_ms) + 4}
                y={TOP - 8}
                fontSize="14"
                fontWeight={inBar === 0 ? 650 : 400}
                fill={ink("ink")}
              >
                {inBar + 1}
              </text>
            </g>
          );
        })}
        <line x1={LEFT} x2={width - 14} y1={TOP} y2={TOP} stroke={ink("ink")} strokeWidth="1.5" />
        {Array.from({ length: last + 1 }, (_, k) => (
          <g key={k}>
            <line
              x1={LEFT}
              x2={width - 14}
              y1={rowY(k)}
              y2={rowY(k)}
              stroke={ink("edge")}
              strokeDasharray="1 3"
            />
            <text
              x="0"
              y={rowY(k) + 5}
              fontSize="14"
              fontWeight={k === 0 ? 650 : 400}
              fontStyle={k ? "italic" : undefined}
              fill={ink(k ? "wet" : "ink")}
            >
              {k === 0 ? "Played" : `Echo ${k}`}
            </text>
            <text
              x={LEFT - 8}
              y={rowY(k) + 5}
              textAnchor="end"
              fontSize="13"
              fill={ink(k ? "wet" : "ink")}
            >
              {k === 0 ? "0 dB" : levels[k - 1] === undefined ? "" : signed(levels[k - 1]!, 1)}
            </text>
          </g>
        ))}
        {echoes.map((e, i) => {
          if (e.k > last || e.kind === "beyond") return null;
          const from = before(e);
          if (!from) return null;
          const [x1, x2] = [x(from.time), x(e.at_ms)];
          const [y1, y2] = [rowY(from.row), rowY(e.k)];
          // An echo that runs over the end comes in again from the start.
          const wraps = e.at_ms < from.time;
          const stroke = {
            stroke: ink("wet"),
            strokeWidth: 1,
            strokeDasharray: "6 3",
            strokeOpacity: 0.8,
          };
          const far = wraps ? x(e.at_ms + length) : x2;
          return (
            <g key={i} clipPath="url(#lattice)">
              <line x1={x1} y1={y1} x2={far} y2={y2} {...stroke} />
              {wraps && <line x1={x1 - (width - LEFT - 14)} y1={y1} x2={x2} y2={y2} {...stroke} />}
            </g>
          );
        })}
        {echoes.map((e, i) => {
          if (e.k > last || e.kind === "beyond") return null;
          const [cx, cy] = [x(e.at_ms), rowY(e.k)];
          const words = `Echo ${e.k} of note ${e.note + 1}${e.midi !== null ? `, ${pitchName(e.midi)}` : ""}: ${
            e.kind === "fills"
              ? "fills a gap"
              : e.kind === "collides"
                ? "on a played note"
                : `off by ${signed(e.offset_ms, 1)} ms`
          }, ${signed(e.level_db, 1)} dB`;
          return (
            <g key={i} transform={`translate(${cx}, ${cy})`}>
              <title>{words}</title>
              {e.kind === "fills" && (
                <circle r="5" fill={ink("sheet")} stroke={ink("wet")} strokeWidth="2" />
              )}
              {e.kind === "collides" && (
                <g>
                  <path
                    d="M0 -7L7 0L0 7L-7 0Z"
                    fill={ink("cautionFill")}
                    stroke={ink("ink")}
                    strokeWidth="1.1"
                  />
                  <path d="M-2 -2L2 2M2 -2L-2 2" stroke={ink("pen")} strokeWidth="1.3" />
                </g>
              )}
              {e.kind === "off" && (
                <g>
                  <path d="M-5 -5L5 5M5 -5L-5 5" stroke={ink("diff")} strokeWidth="2" />
                  {e.note === 0 && (
                    <text x="8" y="-4" fontSize="13" fill={ink("diff")} {...halo()}>
                      {signed(e.offset_ms, 1)} ms
                    </text>
                  )}
                </g>
              )}
              {e.midi !== null && e.kind !== "off" && (
                <text x="8" y="-5" fontSize="13" fontStyle="italic" fill={ink("wet")} {...halo()}>
                  {pitchName(e.midi)}
                </text>
              )}
            </g>
          );
        })}
        {slots.map((s) => {
          const on = s.kind === "played" || s.kind === "collision";
          return (
            <g
              key={s.index}
              data-slot={s.index}
              role="checkbox"
              aria-checked={on}
              aria-label={`Slot ${s.index + 1}${s.midi !== null ? `, ${pitchName(s.midi)}` : ""}`}
              tabIndex={s.index === Math.min(focus, slots.length - 1) ? 0 : -1}
              transform={`translate(${x(s.time_ms)}, ${rowY(0)})`}
              style={{ cursor: "pointer" }}
              onClick={() => {
                setFocus(s.index);
                onToggle(s.index);
              }}
              onKeyDown={(event) => move(event, s.index)}
            >
              <rect x="-9" y="-17" width="18" height="34" fill="transparent" />
              {on ? (
                <line y1="-11" y2="11" stroke={ink("ink")} strokeWidth="6.5" />
              ) : (
                <line y1="-3" y2="3" stroke={ink("edge")} strokeWidth="1.5" />
              )}
              {s.midi !== null && (
                <text
                  y="-13"
                  textAnchor="middle"
                  fontSize="13"
                  fontWeight="650"
                  fill={ink("ink")}
                  {...halo()}
                >
                  {pitchName(s.midi)}
                </text>
              )}
            </g>
          );
        })}
        <text x="0" y={heardY - 18} fontSize="13" fill={ink("ink2")}>
          Heard in
        </text>
        <text x="0" y={heardY - 2} fontSize="13" fill={ink("ink2")}>
          each slot
        </text>
        <line
          x1={LEFT}
          x2={width - 14}
          y1={heardY}
          y2={heardY}
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        {slots.map((s) => {
          const on = s.kind === "played" || s.kind === "collision";
          const echo = s.level_db === null ? 0 : Math.max(3, Math.min(36, 34 + s.level_db * 0.85));
          return (
            <g key={s.index}>
              {on && (
                <line
                  x1={x(s.time_ms)}
                  x2={x(s.time_ms)}
                  y1={heardY}
                  y2={heardY - 34}
                  stroke={ink("ink")}
                  strokeWidth="5.5"
                />
              )}
              {!on && echo > 0 && (
                <line
                  x1={x(s.time_ms)}
                  x2={x(s.time_ms)}
                  y1={heardY}
                  y2={heardY - echo}
                  stroke={ink("wet")}
                  strokeWidth="4.5"
                  strokeDasharray="5 2.5"
                />
              )}
              {s.kind === "collision" && (
                <line
                  x1={x(s.time_ms) - 8}
                  x2={x(s.time_ms) + 8}
                  y1={heardY - 37}
                  y2={heardY - 37}
                  stroke={ink("cautionFill")}
                  strokeWidth="4"
                />
              )}
            </g>
          );
        })}
        {beat.map((s, i) =>
          beat.length <= 6 || i % Math.ceil(beat.length / 6) === 0 ? (
            <text
              key={s.index}
              x={x(s.time_ms)}
              y={heardY + 20}
              textAnchor={i ? "middle" : "start"}
              fontSize="13"
              fill={ink("ink2")}
            >
              {num(s.time_ms, 1)}
            </text>
          ) : null,
        )}
        <text x={width - 14} y={heardY + 20} textAnchor="end" fontSize="13" fill={ink("ink2")}>
          {num(length, 1)} ms
        </text>
      </svg>
    </Box>
  );
}
