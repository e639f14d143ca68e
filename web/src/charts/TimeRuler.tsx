/** Every note value on one true (logarithmic) time axis, with the device's reach and the chosen value. */
import { Box } from "@chakra-ui/react";
import { scaleLog } from "d3-scale";
import { type KeyboardEvent, memo, type PointerEvent, useEffect, useRef, useState } from "react";

import type { Device, TimeRuler as Ruler } from "../api/client";
import { ink } from "../ui/theme";
import { Press } from "../ui/controls";
import { msShort, num } from "../ui/format";
import { useWidth } from "../ui/hooks";

type Note = Ruler["notes"][number];

const ROWS = [
  { id: "straight", name: "Straight", y: 64 },
  { id: "dotted", name: "Dotted", y: 94 },
  { id: "triplet", name: "Triplet", y: 124 },
  { id: "bars", name: "Bars", y: 154 },
] as const;
const LEFT = 84;
const TOP = 36;
const REACH_Y = 184;
const BOTTOM = 208;
const HEIGHT = 244;
const SIZES = [1, 2, 3, 4, 5, 6, 7, 8, 9];

function logTicks(low: number, high: number) {
  const ticks: { value: number; rank: 0 | 1 | 2 }[] = [];
  for (let power = -3; power < 6; power++) {
    for (const size of SIZES) {
      const value = size * 10 ** power;
      if (value >= low && value <= high) {
        ticks.push({ value, rank: size === 1 ? 2 : size === 2 || size === 5 ? 1 : 0 });
      }
    }
  }
  return ticks;
}

interface Props {
  ruler: Ruler;
  device: Device | null;
  onChoose: (id: string) => void;
}

export const TimeRuler = memo(function TimeRuler({ ruler, device, onChoose }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(1180);
  const times = ruler.notes.map((n) => n.ms);
  const least = Math.min(...times, ruler.chosen.ms) * 0.86;
  const most = Math.max(...times, ruler.chosen.ms) * 2.3;
  // The view on the axis: how much it is enlarged, and which time stands in its middle.
  const [zoom, setZoom] = useState(1);
  const [middle, setMiddle] = useState<number | null>(null);
  const whole = Math.log(most / least);
  const span = whole / zoom;
  const half = Math.exp(span / 2);
  const centre = Math.min(
    most / half,
    Math.max(least * half, zoom === 1 ? Math.sqrt(least * most) : (middle ?? ruler.chosen.ms)),
  );
  const low = centre / half;
  const high = centre * half;
  const x = scaleLog([low, high], [LEFT, width]);
  const at = x(ruler.chosen.ms);
  const seen = ruler.notes.filter((n) => n.ms >= low * 0.999 && n.ms <= high * 1.001);
  const turn = (factor: number, about: number) => {
    const next = Math.min(24, Math.max(1, zoom * factor));
    // The time under the pointer stays where it is.
    const share = Math.log(about / centre) / span;
    setMiddle(about / Math.exp((share * whole) / next));
    setZoom(next);
  };
  const slide = (by: number) => setMiddle(centre * Math.exp(by * span));
  const held = useRef<number | null>(null);
  const box = useRef<SVGSVGElement>(null);
  useEffect(() => {
    const svg = box.current;
    if (!svg) return;
    // Not passive: the wheel enlarges the ruler instead of scrolling the page, with Ctrl or while
    // enlarged; else the page scrolls as ever.
    const wheel = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.shiftKey && zoom === 1) return;
      event.preventDefault();
      if (event.shiftKey) slide((event.deltaY || event.deltaX) / 1200);
      else {
        const rect = svg.getBoundingClientRect();
        turn(Math.exp(-event.deltaY / 400), x.invert(event.clientX - rect.left));
      }
    };
    svg.addEventListener("wheel", wheel, { passive: false });
    return () => svg.removeEventListener("wheel", wheel);
  });
  const onPointerDown = (event: PointerEvent<SVGSVGElement>) => {
    if (zoom > 1) held.current = event.clientX;
  };
  const onPointerMove = (event: PointerEvent<SVGSVGElement>) => {
    if (held.current === null) return;
    slide((held.current - event.clientX) / (width - LEFT));
    held.current = event.clientX;
  };

  // Where the ruler is wider than the screen, keep the chosen value in sight.
  useEffect(() => {
    const box = frame.current;
    if (!box) return;
    const hidden = at < box.scrollLeft + LEFT || at > box.scrollLeft + box.clientWidth - LEFT;
    if (hidden) box.scrollTo({ left: at - box.clientWidth / 2 });
  }, [frame, at]);

  const move = (event: KeyboardEvent, note: Note) => {
    if (event.key === "+" || event.key === "=" || event.key === "-" || event.key === "0") {
      event.preventDefault();
      if (event.key === "0") setZoom(1);
      else turn(event.key === "-" ? 1 / 1.4 : 1.4, note.ms);
      return;
    }
    if (event.shiftKey && (event.key === "ArrowRight" || event.key === "ArrowLeft")) {
      event.preventDefault();
      slide(event.key === "ArrowRight" ? 0.15 : -0.15);
      return;
    }
    const row = ruler.notes.filter((n) => n.row === note.row);
    const place = row.findIndex((n) => n.id === note.id);
    let next: Note | undefined;
    if (event.key === "ArrowRight") next = row[place + 1];
    else if (event.key === "ArrowLeft") next = row[place - 1];
    else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      const rows = ROWS.map((r) => r.id as string);
      const other = rows[rows.indexOf(note.row) + (event.key === "ArrowDown" ? 1 : -1)];
      next = ruler.notes
        .filter((n) => n.row === other)
        .sort((a, b) => Math.abs(Math.log(a.ms / note.ms)) - Math.abs(Math.log(b.ms / note.ms)))[0];
    } else return;
    event.preventDefault();
    if (!next) return;
    onChoose(next.id);
    if (next.ms < low || next.ms > high) setMiddle(next.ms);
    const svg = (event.currentTarget as SVGElement).ownerSVGElement;
    svg?.querySelector<SVGElement>(`[data-note="${next.id}"]`)?.focus();
  };

  const checked = seen.some((n) => n.id === ruler.chosen.id) ? ruler.chosen.id : null;
  return (
    <Box ref={frame} overflowX="auto" overflowY="hidden" tabIndex={-1}>
      <Box
        display="flex"
        justifyContent="flex-end"
        gap="0 6px"
        position="sticky"
        left="0"
        height="22px"
        css={{ "& > button": { minHeight: "22px" } }}
      >
        {zoom > 1 && (
          <>
            <Press look="quiet" aria-label="Show shorter times" onClick={() => slide(-0.25)}>
              shorter
            </Press>
            <Press look="quiet" aria-label="Show longer times" onClick={() => slide(0.25)}>
              longer
            </Press>
            <Press look="quiet" onClick={() => setZoom(1)}>
              the whole ruler
            </Press>
            <Press
              look="quiet"
              aria-label="Show more of the ruler"
              onClick={() => turn(1 / 1.5, ruler.chosen.ms)}
            >
              −
            </Press>
          </>
        )}
        <Press
          look="quiet"
          aria-label="Enlarge the ruler"
          title="+ and − on a value, or the wheel with Ctrl; Shift with arrows or the wheel moves it"
          onClick={() => turn(1.5, ruler.chosen.ms)}
        >
          enlarge
        </Press>
      </Box>
      <svg
        ref={box}
        width={width}
        height={HEIGHT}
        role="group"
        aria-label="Time ruler"
        display="block"
        onPointerDown={onPointerDown}
        onPointerMove={onPointerMove}
        onPointerUp={() => (held.current = null)}
        onPointerLeave={() => (held.current = null)}
        style={zoom > 1 ? { cursor: "grab" } : undefined}
      >
        <defs>
          <pattern
            id="out"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line x1="0" x2="0" y1="0" y2="6" stroke={ink("rule")} strokeWidth="1.2" />
          </pattern>
        </defs>
        <text x="0" y={TOP - 14} fontSize="13" fill={ink("ink2")}>
          log scale
        </text>
        <text x="0" y={TOP + 2} fontSize="13" fill={ink("ink2")}>
          Milliseconds
        </text>
        <rect x={LEFT} y={TOP} width={width - LEFT} height={BOTTOM - TOP} fill={ink("sheet")} />
        {device && (
          <g>
            <rect
              x={LEFT}
              y={TOP}
              width={Math.max(0, x(Math.min(high, Math.max(device.min_ms, low))) - LEFT)}
              height={BOTTOM - TOP}
              fill="url(#out)"
            />
            <rect
              x={x(Math.max(low, Math.min(device.max_ms, high)))}
              y={TOP}
              width={Math.max(0, width - x(Math.max(low, Math.min(device.max_ms, high))))}
              height={BOTTOM - TOP}
              fill="url(#out)"
            />
          </g>
        )}
        <line x1={LEFT} x2={width} y1={TOP} y2={TOP} stroke={ink("ink")} strokeWidth="1.5" />
        <line x1={LEFT} x2={width} y1={BOTTOM} y2={BOTTOM} stroke={ink("ink")} strokeWidth="1.5" />
        {logTicks(low, high).map(({ value, rank }) => (
          <g key={value}>
            <line
              x1={x(value)}
              x2={x(value)}
              y1={TOP}
              y2={TOP - [4, 7, 10][rank]!}
              stroke={ink("ink")}
            />
            {rank > 0 && (
              <text
                x={Math.min(x(value), width)}
                y={TOP - 15}
                textAnchor={x(value) > width - 26 ? "end" : "middle"}
                fontSize="14"
                fill={ink("ink")}
              >
                {value >= 10000 ? num(value, 0) : String(value)}
              </text>
            )}
          </g>
        ))}
        {logTicks(1000 / high, 1000 / low).map(({ value, rank }) => (
          <g key={value}>
            <line
              x1={x(1000 / value)}
              x2={x(1000 / value)}
              y1={BOTTOM}
              y2={BOTTOM + [4, 7, 10][rank]!}
              stroke={ink("ink")}
            />
            {rank > 0 && (
              <text
                x={x(1000 / value)}
                y={BOTTOM + 26}
                textAnchor="middle"
                fontSize="14"
                fill={ink("ink")}
              >
                {String(Number(value.toPrecision(3)))}
              </text>
            )}
          </g>
        ))}
        <text x="0" y={BOTTOM + 16} fontSize="13" fill={ink("ink2")}>
          Hertz
        </text>
        <Marks ruler={ruler} x={x} />
        {ROWS.map((row) => (
          <g key={row.id}>
            <line x1={LEFT} x2={width} y1={row.y} y2={row.y} stroke={ink("fine")} />
            <text
              x="0"
              y={row.y + 4.5}
              fontSize="14"
              fill={ink(ruler.chosen.row === row.id ? "ink" : "ink2")}
              fontWeight={ruler.chosen.row === row.id ? 650 : 400}
            >
              {row.name}
            </text>
          </g>
        ))}
        {at >= LEFT && at <= width && (
          <line
            x1={at}
            x2={at}
            y1={TOP - 12}
            y2={BOTTOM + 12}
            stroke={ink("ink")}
            strokeWidth="1.5"
          />
        )}
        {device && <Reach device={device} x={x} low={low} high={high} width={width} at={at} />}
        <g role="radiogroup" aria-label="Note value">
          {seen.map((note, i) => {
            const row = ROWS.find((r) => r.id === note.row)!;
            const mine = note.id === checked;
            const place = x(note.ms);
            const label = note.id;
            const shown = note.row === "bars" ? num(note.ms, 0) : msShort(note.ms);
            // The next one of the row leaves room for both, or for the name alone.
            const after = seen.find((n) => n.row === note.row && n.ms > note.ms);
            const whole = `${label} ${shown}`.length * 7 + 12;
            const both = mine || !after || place + whole < x(after.ms) + 4;
            const room = both ? whole : label.length * 7.6 + 10;
            const flip = place + room > width;
            return (
              <g
                key={note.id}
                data-note={note.id}
                role="radio"
                aria-checked={mine}
                aria-label={`${note.name}, ${msShort(note.ms)} ms${note.in_reach === false ? ", out of reach" : ""}`}
                tabIndex={mine || (checked === null && i === 0) ? 0 : -1}
                onClick={() => onChoose(note.id)}
                onKeyDown={(event) => move(event, note)}
                style={{ cursor: "pointer" }}
              >
                <rect
                  x={flip ? place - room : place}
                  y={row.y - 14}
                  width={room}
                  height="28"
                  fill={mine ? ink("ink") : "transparent"}
                />
                {!mine && !flip && at > place + 3 && at < place + room && (
                  // The chosen time's line does not cross words.
                  <rect
                    x={place + 3}
                    y={row.y - 11}
                    width={room - 6}
                    height="22"
                    fill={ink("sheet")}
                  />
                )}
                <line
                  x1={place}
                  x2={place}
                  y1={row.y - 10}
                  y2={row.y + 10}
                  stroke={mine ? ink("paper") : ink("ink")}
                  strokeWidth="2"
                />
                <text
                  x={flip ? place - 6 : place + 6}
                  y={row.y + 4.5}
                  textAnchor={flip ? "end" : "start"}
                  fontSize="14"
                  fill={mine ? ink("paper") : ink(note.in_reach === false ? "ink2" : "ink")}
                  style={mine ? undefined : { paintOrder: "stroke" }}
                  stroke={mine ? undefined : ink("sheet")}
                  strokeWidth={mine ? undefined : 3.5}
                >
                  <tspan fontWeight="650">{label}</tspan>
                  {both && <tspan fill={mine ? ink("paper") : ink("ink2")}> {shown}</tspan>}
                </text>
              </g>
            );
          })}
        </g>
        {checked === null && (
          <text x={at + 6} y={TOP + 13} fontSize="14" fontWeight="650" fill={ink("ink")}>
            {msShort(ruler.chosen.ms)} ms, typed
          </text>
        )}
      </svg>
    </Box>
  );
});

type X = (value: number) => number;

function Marks({ ruler, x }: { ruler: Ruler; x: X }) {
  const marks: [string, number][] = [
    ["beat", ruler.beat_ms],
    ["bar", ruler.bar_ms],
  ];
  return (
    <g>
      {marks
        .filter(([, value]) => x(value) >= LEFT)
        .map(([name, value]) => (
          <line
            key={name}
            x1={x(value)}
            x2={x(value)}
            y1={TOP}
            y2={BOTTOM}
            stroke={ink("edge")}
            strokeDasharray="1 3"
            strokeWidth="1.5"
          />
        ))}
    </g>
  );
}

interface ReachProps {
  device: Device;
  x: X;
  low: number;
  high: number;
  width: number;
  /** Where the chosen time stands. */
  at: number;
}

function Reach(props: ReachProps) {
  const { device, x, low, high, width, at } = props;
  if (device.max_ms < low || device.min_ms > high) return null;
  const from = x(Math.max(device.min_ms, low));
  const to = Math.min(width, x(Math.min(device.max_ms, high)));
  const middle = (from + to) / 2;
  const text = `${device.name}: ${num(device.min_ms, device.min_ms % 1 ? 1 : 0)} to ${num(device.max_ms, 0)} ms in steps of ${Number(device.step_ms.toPrecision(4))} ms`;
  const half = text.length * 3.3 + 8;
  return (
    <g>
      <text x="0" y={REACH_Y + 4.5} fontSize="14" fill={ink("ink2")}>
        Reach
      </text>
      <line
        x1={from}
        x2={Math.max(from, middle - half)}
        y1={REACH_Y}
        y2={REACH_Y}
        stroke={ink("ink2")}
      />
      <line
        x1={Math.min(to, middle + half)}
        x2={to}
        y1={REACH_Y}
        y2={REACH_Y}
        stroke={ink("ink2")}
      />
      {device.min_ms >= low && (
        <line
          x1={from}
          x2={from}
          y1={REACH_Y - 8}
          y2={REACH_Y + 8}
          stroke={ink("ink")}
          strokeWidth="2"
        />
      )}
      {device.max_ms <= high && (
        <line
          x1={to}
          x2={to}
          y1={REACH_Y - 8}
          y2={REACH_Y + 8}
          stroke={ink("ink")}
          strokeWidth="2"
        />
      )}
      {Math.abs(at - middle) < half && (
        <rect
          x={middle - half + 4}
          y={REACH_Y - 10}
          width={2 * half - 8}
          height="20"
          fill={ink("sheet")}
        />
      )}
      <text x={middle} y={REACH_Y + 4.5} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
        {text}
      </text>
    </g>
  );
}
