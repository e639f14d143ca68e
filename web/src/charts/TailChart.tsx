/** A clip's phrases, the tail that falls into each gap, and the wet level under a ducker. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type PointerEvent, useRef, useState } from "react";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, halo } from "./axes";

const LEFT = 66;
const TOP = 20;
const WAVE = 66;
const TAIL_TOP = TOP + WAVE + 14;
const TAIL = 128;
const LANE_TOP = TAIL_TOP + TAIL + 20;
const LANE = 42;
const FLOOR = -60;

interface Props {
  data: Schemas["ClipSpace"];
  drop: number;
  start: number;
  ducking: Schemas["DuckingOut"] | null;
  chosen: number | null;
  onChoose: (gap: number) => void;
  onPhrases: (phrases: Schemas["Phrase"][]) => void;
}

export function TailChart(props: Props) {
  const { data, drop, start, ducking, chosen, onChoose, onPhrases } = props;
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const { space, seconds } = data;
  const grabbed = useRef<{ phrase: number; end: boolean } | null>(null);
  const [moving, setMoving] = useState<Schemas["Phrase"][] | null>(null);
  const phrases = moving ?? space.phrases;
  const x = scaleLinear([0, Math.max(0.1, seconds)], [LEFT, width - 8]);
  const top = Math.max(6, Math.ceil(start / 6) * 6);
  const y = scaleLinear([top, FLOOR], [TAIL_TOP, TAIL_TOP + TAIL]).clamp(true);
  const duckLow = ducking ? Math.min(-6, ...ducking.gain_db.map((v) => Math.max(v, -36))) : -12;
  const d = scaleLinear([0, duckLow], [LANE_TOP + 4, LANE_TOP + LANE - 6]).clamp(true);
  const pre = space.pre_delay_ms / 1000;
  const fall = space.falls_db_per_s;
  const foot = ducking ? LANE_TOP + LANE : TAIL_TOP + TAIL + 4;
  const at = (event: PointerEvent) =>
    Math.max(
      0,
      Math.min(seconds, x.invert(event.clientX - event.currentTarget.getBoundingClientRect().left)),
    );
  const grab = (event: PointerEvent<SVGSVGElement>) => {
    const time = at(event);
    const near = 7 * (seconds / Math.max(1, width - LEFT));
    let best: { phrase: number; end: boolean } | null = null;
    let least = near;
    space.phrases.forEach((p, i) => {
      for (const end of [false, true]) {
        const away = Math.abs((end ? p.end_s : p.start_s) - time);
        if (away < least) {
          least = away;
          best = { phrase: i, end };
        }
      }
    });
    if (best) {
      event.currentTarget.setPointerCapture(event.pointerId);
      grabbed.current = best;
      setMoving(space.phrases);
    } else {
      const gap = space.gaps.findIndex((g) => time >= g.start_s && time <= g.entry_s);
      if (gap >= 0) onChoose(gap);
    }
  };
  const drag = (event: PointerEvent<SVGSVGElement>) => {
    const held = grabbed.current;
    if (!held || !moving) return;
    const low = held.end
      ? moving[held.phrase]!.start_s + 0.03
      : (moving[held.phrase - 1]?.end_s ?? 0);
    const high = held.end
      ? (moving[held.phrase + 1]?.start_s ?? seconds)
      : moving[held.phrase]!.end_s - 0.03;
    const time = Math.round(Math.max(low, Math.min(high, at(event))) * 100) / 100;
    setMoving(
      moving.map((p, i) =>
        i === held.phrase ? { ...p, [held.end ? "end_s" : "start_s"]: time } : p,
      ),
    );
  };
  const drop_ = () => {
    if (moving) onPhrases(moving);
    grabbed.current = null;
    setMoving(null);
  };
  const wave = outline(data.low, data.high, x(0), x(seconds));
  let duck = "";
  ducking?.gain_db.forEach((v, i) => {
    duck += `${i ? "L" : "M"}${x((i + 0.5) * 0.02).toFixed(1)} ${d(v).toFixed(1)}`;
  });
  // Words stand over their point, or under it where the line of what is asked would cross them.
  const clash = (db: number) => y(-drop) < y(db) + 2 && y(-drop) > y(db) - 18;
  const roomy = (g: Schemas["Gap"]) => x(g.entry_s) - x(g.start_s) > 30;
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={foot + 28}
        display="block"
        role="img"
        aria-label={`${space.phrases.length} phrases; ${space.sentence}`}
        style={{ touchAction: "pan-y" }}
        onPointerDown={grab}
        onPointerMove={drag}
        onPointerUp={drop_}
        onPointerCancel={drop_}
      >
        <rect x={LEFT} y={TOP} width={width - LEFT - 8} height={foot - TOP} fill={ink("sheet")} />
        {space.gaps.map((g, i) => (
          <g key={g.start_s}>
            {!g.clear && (
              <rect
                x={x(g.start_s)}
                y={TOP}
                width={Math.max(1, x(g.entry_s) - x(g.start_s))}
                height={foot - TOP}
                fill={ink("cautionWash")}
              />
            )}
            {chosen === i && (
              <rect
                x={x(g.start_s)}
                y={TOP}
                width={Math.max(1, x(g.entry_s) - x(g.start_s))}
                height={foot - TOP}
                fill="none"
                stroke={ink("wet")}
                strokeWidth="2"
              />
            )}
            <line
              x1={x(g.start_s)}
              x2={x(g.start_s)}
              y1={TOP - 6}
              y2={TOP + WAVE}
              stroke={ink("ink2")}
            />
            <line
              x1={x(g.entry_s)}
              x2={x(g.entry_s)}
              y1={TOP - 6}
              y2={TOP + WAVE}
              stroke={ink("ink2")}
            />
            {(roomy(g) || !g.clear) && (
              <text
                x={(x(g.start_s) + x(g.entry_s)) / 2}
                y="13"
                textAnchor="middle"
                fontSize="13"
                fontWeight="650"
                fill={ink(g.clear ? "ink" : "caution")}
              >
                {num(g.length_s, 2)}
              </text>
            )}
          </g>
        ))}
        <path d={wave} fill={ink("ink")} />
        <text x="0" y={TOP + WAVE / 2 + 4} fontSize="13" fill={ink("ink2")}>
          Dry
        </text>
        <text x="0" y={TAIL_TOP - 2} fontSize="13" fill={ink("ink2")}>
          Tail, dB
        </text>
        <AxisLeft scale={y} at={LEFT} ticks={[0, -20, -40, -60]} format={(v) => signed(v, 0)} />
        {[0, -20, -40, -60].map((v) => (
          <line key={v} x1={LEFT} x2={width - 8} y1={y(v)} y2={y(v)} stroke={ink("fine")} />
        ))}
        <line
          x1={LEFT}
          x2={width - 8}
          y1={y(-drop)}
          y2={y(-drop)}
          stroke={ink("ink")}
          strokeWidth="1.25"
        />
        <text x={LEFT + 6} y={y(-drop) - 5} fontSize="13" fill={ink("ink2")} {...halo()}>
          {width < 520 ? "" : "asked at an entry: "}
          {num(drop, 0)} dB down
        </text>
        {phrases.map((p, i) => {
          const next = phrases[i + 1];
          const entry = next?.start_s ?? seconds;
          const stop = Math.min(entry, p.end_s + pre + (start - FLOOR) / fall);
          const level = start - Math.max(0, stop - p.end_s - pre) * fall;
          const rest = Math.min(seconds, p.end_s + pre + (start - FLOOR) / fall);
          return (
            <g key={i}>
              <line
                x1={x(p.start_s)}
                x2={x(p.end_s)}
                y1={y(0)}
                y2={y(0)}
                stroke={ink("ink")}
                strokeWidth="3.5"
              />
              <path
                d={`M${x(p.end_s)} ${y(start)}L${x(Math.min(stop, p.end_s + pre))} ${y(start)}L${x(stop)} ${y(level)}`}
                fill="none"
                stroke={ink("wet")}
                strokeWidth="2.25"
                strokeDasharray="9 4"
              />
              {rest > stop && (
                <line
                  x1={x(stop)}
                  y1={y(level)}
                  x2={x(rest)}
                  y2={y(start - (rest - p.end_s - pre) * fall)}
                  stroke={ink("wet")}
                  strokeWidth="1.1"
                  strokeDasharray="2 3"
                />
              )}
            </g>
          );
        })}
        {space.gaps.map((g, i) => (
          <g key={g.entry_s}>
            <circle
              cx={x(g.entry_s)}
              cy={y(g.tail_db)}
              r="4.5"
              fill={ink(g.clear ? "sheet" : "cautionFill")}
              stroke={ink(g.clear ? "wet" : "ink")}
              strokeWidth="1.75"
            />
            {(roomy(g) || !g.clear || chosen === i) && (
              <text
                x={x(g.entry_s) + 8}
                y={y(g.tail_db) + (clash(g.tail_db) ? 16 : -4)}
                fontSize="13"
                fontStyle={g.clear ? "italic" : undefined}
                fontWeight={g.clear ? 400 : 650}
                fill={ink(g.clear ? "wet" : "caution")}
                {...halo()}
              >
                {g.tail_db < -60 ? "under \u221260" : signed(g.tail_db, 1)}
              </text>
            )}
          </g>
        ))}
        {ducking && (
          <g>
            <text x="0" y={LANE_TOP + 4} fontSize="13" fill={ink("ink2")}>
              Wet
            </text>
            <AxisLeft
              scale={d}
              at={LEFT}
              ticks={[0, Math.round(duckLow)]}
              format={(v) => signed(v, 0)}
            />
            <path
              d={duck}
              fill="none"
              stroke={ink("wet")}
              strokeWidth="1.75"
              strokeDasharray="7 3"
            />
          </g>
        )}
        <AxisBottom
          scale={x}
          at={foot}
          ticks={x.ticks(Math.max(3, Math.floor(width / 110)))}
          unit="s"
        />
      </svg>
    </Box>
  );
}

function outline(low: number[], high: number[], from: number, to: number): string {
  const count = high.length;
  if (!count) return "";
  const middle = TOP + WAVE / 2;
  const most = Math.max(0.01, ...high, ...low.map((v) => -v));
  const px = (i: number) => (from + ((i + 0.5) / count) * (to - from)).toFixed(1);
  const py = (v: number) => (middle - (v / most) * (WAVE / 2 - 2)).toFixed(1);
  let path = "";
  for (let i = 0; i < count; i++) path += `${i ? "L" : "M"}${px(i)} ${py(high[i]!)}`;
  for (let i = count - 1; i >= 0; i--) path += `L${px(i)} ${py(low[i]!)}`;
  return `${path}Z`;
}
