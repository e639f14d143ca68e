/** Every note value on one true (logarithmic) time axis, with the device's reach and the chosen value. */
import { Box } from "@chakra-ui/react";
import { scaleLog } from "d3-scale";
import { type KeyboardEvent, useEffect } from "react";

import type { Device, TimeRuler as Ruler } from "../api/client";
import { ink } from "../app/theme";
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

export function TimeRuler({ ruler, device, onChoose }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(1180);
  const times = ruler.notes.map((n) => n.ms);
  const low = Math.min(...times, ruler.chosen.ms) * 0.86;
  const high = Math.max(...times, ruler.chosen.ms) * 2.3;
  const x = scaleLog([low, high], [LEFT, width]);
  const at = x(ruler.chosen.ms);

  // Where the ruler is wider than the screen, keep the chosen value in sight.
  useEffect(() => {
    const box = frame.current;
    if (!box) return;
    const hidden = at < box.scrollLeft + LEFT || at > box.scrollLeft + box.clientWidth - LEFT;
    if (hidden) box.scrollTo({ left: at - box.clientWidth / 2 });
  }, [frame, at]);

  const move = (event: KeyboardEvent, note: Note) => {
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
    const svg = (event.currentTarget as SVGElement).ownerSVGElement;
    svg?.querySelector<SVGElement>(`[data-note="${next.id}"]`)?.focus();
  };

  const checked = ruler.notes.some((n) => n.id === ruler.chosen.id) ? ruler.chosen.id : null;
  return (
    <Box ref={frame} overflowX="auto" overflowY="hidden" tabIndex={-1}>
      <svg width={width} height={HEIGHT} role="group" aria-label="Time ruler" display="block">
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
              width={Math.max(0, x(Math.max(device.min_ms, low)) - LEFT)}
              height={BOTTOM - TOP}
              fill="url(#out)"
            />
            <rect
              x={x(Math.min(device.max_ms, high))}
              y={TOP}
              width={Math.max(0, width - x(Math.min(device.max_ms, high)))}
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
              <text x={x(value)} y={TOP - 15} textAnchor="middle" fontSize="14" fill={ink("ink")}>
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
        {device && <Reach device={device} x={x} low={low} high={high} width={width} />}
        <line x1={at} x2={at} y1="0" y2={HEIGHT} stroke={ink("ink")} strokeWidth="1.5" />
        <g role="radiogroup" aria-label="Note value">
          {ruler.notes.map((note, i) => {
            const row = ROWS.find((r) => r.id === note.row)!;
            const mine = note.id === checked;
            const place = x(note.ms);
            const label = note.id;
            const shown = note.row === "bars" ? num(note.ms, 0) : msShort(note.ms);
            const text = `${label} ${shown}`;
            const room = text.length * 7 + 12;
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
                  <tspan fill={mine ? ink("paper") : ink("ink2")}> {shown}</tspan>
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
}

type X = (value: number) => number;

function Marks({ ruler, x }: { ruler: Ruler; x: X }) {
  const marks: [string, number][] = [
    ["beat", ruler.beat_ms],
    ["bar", ruler.bar_ms],
  ];
  return (
    <g>
      {marks.map(([name, value]) => (
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

function Reach(props: { device: Device; x: X; low: number; high: number; width: number }) {
  const { device, x, low, high, width } = props;
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
      <text x={middle} y={REACH_Y + 4.5} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
        {text}
      </text>
    </g>
  );
}
