/** A setting drawn against the bars: points that are dragged or stepped, lines or steps between them. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";
import { type KeyboardEvent, type PointerEvent, useState } from "react";

import type { Schemas } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { useKinds } from "../../rigs/kinds";
import { placeIn } from "../../playing/bars";
import {
  barsOf,
  cornersOf,
  type Movable,
  movableOf,
  kindred,
  repeated,
  shifted,
  steppedValue,
  withPoints,
} from "../../playing/moves";
import type { Listening } from "../../playing/usePlaying";
import { Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useDrag, useWidth } from "../../ui/hooks";
import { PlayLine } from "./PlayLine";
import { useKey } from "../../ui/keys";
import { Keep } from "../../ui/Links";
import { NumberField } from "../../ui/NumberField";
import { Choice } from "../../ui/QuantityField";
import { ink } from "../../ui/theme";

type Point = Schemas["MovePoint"];

const HEIGHT = 118;
const TOP = 10;
const FOOT = 22;

const shownValue = (of: Movable, value: number) =>
  of.flag
    ? value
      ? "on"
      : "off"
    : `${num(value, Math.abs(value) < 10 ? 2 : Math.abs(value) < 100 ? 1 : 0)}${of.unit ? ` ${of.unit}` : ""}`;

export function MoveLane({ l }: { l: Listening }) {
  const kinds = useKinds().data;
  const { variant, moves } = l;
  const [chosen, setChosen] = useState("");
  const [opened, setOpened] = useState<boolean | null>(null);
  const open = opened ?? moves.moves.length > 0;
  useKey("listen", "V", () => setOpened(!open));
  if (!variant || !kinds) return null;
  const all = movableOf(
    variant.document.nodes as never,
    (variant.document.rails ?? {}) as never,
    kinds,
    (id) => nameOf(variant, id),
    variant.view.report.times_ms,
  );
  const keyOf = (m: { part: string; field: string }) => `${m.part} ${m.field}`;
  const written = moves.moves.map(keyOf);
  const known = all.find((m) => keyOf(m) === chosen);
  const first = all.find((m) => written.includes(keyOf(m)));
  const of = known ?? first ?? all.find((m) => m.field === "level_db") ?? all[0];
  if (!of) return null;
  const points = moves.moves.find((m) => keyOf(m) === keyOf(of))?.points ?? [];
  const gone = moves.moves.filter((m) => !all.some((one) => keyOf(one) === keyOf(m)));
  return (
    <Box
      as="section"
      aria-label="Moves"
      minWidth="0"
      borderBottom="1px solid"
      borderColor="rule"
      paddingBlock="6px"
    >
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 14px">
        <SheetTitle
          sub
          about={
            open
              ? "a setting against the bars; dotted, where it rests and comes back to when the move is taken out"
              : "what a setting does against the bars"
          }
        >
          Moves of {variant.letter}
        </SheetTitle>
        <Press look="quiet" hint="V" aria-expanded={open} onClick={() => setOpened(!open)}>
          {open ? "Put away" : "Draw a move"}
        </Press>
      </Box>
      {open && (
        <>
          <Box
            display="grid"
            gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "200px minmax(0, 1fr) 340px" }}
            gap="4px 14px"
            marginTop="4px"
          >
            <Box
              paddingLeft="9px"
              paddingRight={{ md: "40px" }}
              minWidth="0"
              display="grid"
              gap="4px"
              alignContent="start"
              justifyItems="start"
            >
              <Choice
                aria-label="Setting that moves"
                width="100%"
                value={keyOf(of)}
                onChange={(event) => setChosen(event.target.value)}
              >
                {all.map((m) => (
                  <option key={keyOf(m)} value={keyOf(m)}>
                    {written.includes(keyOf(m)) ? "• " : ""}
                    {m.name}
                    {m.unit ? `, ${m.unit}` : ""}
                  </option>
                ))}
              </Choice>
              <Box color="ink2" fontSize="13px">
                {moves.moves.length
                  ? `${moves.moves.length} ${moves.moves.length === 1 ? "setting moves" : "settings move"}`
                  : "none moves yet: press in the lane, or the key N on it"}
              </Box>
              {points.length > 0 && kindred(all, of).length > 0 && (
                <Choice
                  aria-label="Copy this move to"
                  width="100%"
                  value=""
                  onChange={(event) => {
                    const to = all.find((m) => keyOf(m) === event.target.value);
                    if (!to) return;
                    moves.save.mutate(
                      withPoints(moves.moves, to.part, to.field, points as Point[]),
                    );
                    setChosen(keyOf(to));
                  }}
                >
                  <option value="">copy to …</option>
                  {kindred(all, of).map((m) => (
                    <option key={keyOf(m)} value={keyOf(m)}>
                      {m.name}
                    </option>
                  ))}
                </Choice>
              )}
              {moves.moves.length > 0 && (
                <>
                  <Press look="quiet" onClick={() => moves.save.mutate([])}>
                    Take out all moves
                  </Press>
                  <Keep href={`/api/v1/variants/${variant.id}/moves.mid`}>Moves as MIDI</Keep>
                </>
              )}
              {gone.map((m) => (
                <Press
                  key={keyOf(m)}
                  look="quiet"
                  onClick={() => moves.save.mutate(moves.moves.filter((o) => o !== m))}
                >
                  Take out {m.part} {m.field}: not in this rig
                </Press>
              ))}
            </Box>
            <Lane
              key={`${variant.id} ${keyOf(of)}`}
              l={l}
              of={of}
              points={points as Point[]}
              onPoints={(next) =>
                moves.save.mutate(withPoints(moves.moves, of.part, of.field, next))
              }
            />
          </Box>
        </>
      )}
    </Box>
  );
}

interface LaneProps {
  l: Listening;
  of: Movable;
  points: Point[];
  onPoints: (points: Point[]) => void;
}

export function Lane({ l, of, points: kept, onPoints }: LaneProps) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const [draft, setDraft] = useState<Point[] | null>(null);
  const [at, setAt] = useState<number | null>(null);
  const points = draft ?? kept;
  const { bars } = l;
  const seconds = Math.max(0.1, l.heard?.render?.report?.seconds ?? l.whole);
  const left = 0;
  const inside = width < 500;
  const x = scaleLinear([0, seconds], [left, width - 8]);
  const values = points.map((p) => Number(p.value));
  const low = Math.min(of.low, ...values);
  const high = Math.max(of.high, ...values);
  const span: [number, number] = [HEIGHT - FOOT, TOP];
  const y = of.log
    ? scaleLog([Math.max(1e-4, low), high], span).clamp(true)
    : scaleLinear([low, high], span).clamp(true);
  const resting =
    typeof of.resting === "number"
      ? of.resting
      : of.resting === null
        ? // Off, a cut stands where it takes nothing.
          of.field.includes("high")
          ? high
          : low
        : Number(of.resting);
  const secondsOf = (p: Point) => {
    const bar = bars.find((b) => b.bar === p.bar);
    if (!bar) return p.bar < (bars[0]?.bar ?? 1) ? -1 : seconds + 1;
    const beat = p.beat ?? 1;
    const whole = Math.min(bar.beatsAt.length - 1, Math.floor(beat) - 1);
    const from = bar.beatsAt[whole] ?? bar.at;
    const to = bar.beatsAt[whole + 1] ?? bar.at + bar.length;
    return from + (beat - 1 - whole) * (to - from);
  };
  const line = cornersOf(points, resting, secondsOf, seconds);
  const path = line
    .map(
      (c, i) =>
        `${i ? "L" : "M"}${x(Math.max(0, Math.min(seconds, c.at))).toFixed(1)} ${y(c.value).toFixed(1)}`,
    )
    .join("");
  const pointAt = (event: PointerEvent<SVGElement>, ramp: boolean): Point | null => {
    const box =
      event.currentTarget.ownerSVGElement?.getBoundingClientRect() ??
      event.currentTarget.getBoundingClientRect();
    const when = Math.max(0, Math.min(seconds, x.invert(event.clientX - box.left)));
    const place = placeIn(bars, when);
    if (!place) return null;
    const value = y.invert(Math.max(TOP, Math.min(HEIGHT - FOOT, event.clientY - box.top)));
    // To the nearest half of a beat; a switch is on or off.
    const beat = Math.max(1, Math.round(place.beat * 2) / 2);
    return {
      bar: place.bar,
      beat,
      value: of.flag ? value > 0.5 : Number(value.toPrecision(3)),
      ramp: ramp && !of.flag,
    };
  };
  const [dragged, setDragged] = useState<{ index: number } | null>(null);
  const drag = useDrag<SVGSVGElement>({
    begin: (event) => {
      const mark = (event.target as Element).closest("[data-point]");
      const index = mark ? Number(mark.getAttribute("data-point")) : kept.length;
      const fresh = mark ? null : pointAt(event as never, kept.length > 0);
      if (!mark && !fresh) return false;
      setDraft(mark ? kept : [...kept, fresh!]);
      setDragged({ index });
      setAt(index);
      return true;
    },
    take: (event) => {
      const to = pointAt(event as never, false);
      if (!dragged || !to) return;
      setDraft((now) =>
        (now ?? kept).map((p, i) => (i === dragged.index ? { ...to, ramp: p.ramp } : p)),
      );
    },
    drop: (event) => {
      if (event && draft) commit(draft, dragged?.index ?? null);
      else setDraft(null);
      setDragged(null);
    },
  });
  const commit = (next: Point[], chosen: number | null) => {
    const mine = chosen === null ? undefined : next[chosen];
    const order = [...next].sort((p, q) => p.bar - q.bar || (p.beat ?? 1) - (q.beat ?? 1));
    setAt(mine ? order.indexOf(mine) : null);
    setDraft(null);
    onPoints(order);
  };
  const change = (index: number, more: Partial<Point>) =>
    commit(
      points.map((p, i) => (i === index ? { ...p, ...more } : p)),
      index,
    );
  const add = () => {
    const place = placeIn(bars, l.player.at()) ?? { bar: bars[0]?.bar ?? 1, beat: 1 };
    const point: Point = {
      bar: place.bar,
      beat: Math.max(1, Math.round(place.beat * 2) / 2),
      value: of.flag ? !of.resting : resting,
      ramp: false,
    };
    commit([...points, point], points.length);
  };
  const take = (index: number) =>
    commit(
      points.filter((_, i) => i !== index),
      null,
    );
  const onKeyDown = (event: KeyboardEvent, index: number) => {
    const p = points[index]!;
    const up = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const size = event.shiftKey ? 5 : event.altKey ? 0.2 : 1;
    if (up) {
      const value = steppedValue(of, Number(p.value), up * size);
      change(index, { value: of.flag ? value > 0.5 : value });
    } else if (along) {
      const beats = bars.find((b) => b.bar === p.bar)?.beats ?? 4;
      const by = along * (event.shiftKey ? beats : event.altKey ? 0.25 : 1);
      const beat = (p.beat ?? 1) + by;
      if (beat < 1 && p.bar > 1) {
        const before = bars.find((b) => b.bar === p.bar - 1)?.beats ?? beats;
        change(index, { bar: p.bar - 1, beat: beat + before });
      } else if (beat >= beats + 1) change(index, { bar: p.bar + 1, beat: beat - beats });
      else if (beat >= 1) change(index, { beat });
    } else if (event.key === "Delete" || event.key === "Backspace") take(index);
    else if (event.key.toLowerCase() === "l" && !of.flag) change(index, { ramp: !p.ramp });
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const here = at !== null ? points[at] : undefined;
  const ticks = of.flag
    ? [0, 1]
    : of.log
      ? [low, Math.sqrt(Math.max(1e-4, low) * high), high]
      : y.ticks(4);
  return (
    <>
      <Box ref={frame} minWidth="0">
        <svg
          width={width}
          height={HEIGHT}
          display="block"
          overflow="visible"
          role="group"
          aria-label={`${of.name} over the bars: ${points.length} points; resting at ${of.resting === null ? "off" : shownValue(of, resting)}`}
          style={{ cursor: "crosshair", touchAction: "pan-y" }}
          tabIndex={0}
          onKeyDown={(event) => {
            if (event.target !== event.currentTarget || event.key.toLowerCase() !== "n") return;
            event.preventDefault();
            event.stopPropagation();
            add();
          }}
          {...drag}
        >
          <rect
            x={left}
            y={TOP - 6}
            width={width - left - 8}
            height={HEIGHT - FOOT - TOP + 12}
            fill={ink("sheet")}
          />
          {bars.map((b) => (
            <g key={b.bar}>
              {b.at >= 0 && (
                <line
                  x1={x(b.at)}
                  x2={x(b.at)}
                  y1={TOP - 6}
                  y2={HEIGHT - FOOT + 6}
                  stroke={ink("fine")}
                />
              )}
              {b.at >= 0 &&
                x(b.at) < width - 24 &&
                b.bar % Math.max(1, Math.ceil((34 * bars.length) / width)) === 0 && (
                  <text x={x(b.at) + 2} y={HEIGHT - 3} fontSize="12" fill={ink("ink2")}>
                    {b.bar}
                  </text>
                )}
            </g>
          ))}
          {ticks.map((v) => (
            <g key={v}>
              <line x1={left} x2={width - 8} y1={y(v)} y2={y(v)} stroke={ink("fine")} />
              {!inside && (
                <text x={left - 5} y={y(v) + 4} textAnchor="end" fontSize="12" fill={ink("ink2")}>
                  {of.flag ? (v ? "on" : "off") : num(v, Math.abs(v) < 10 && v % 1 ? 1 : 0)}
                </text>
              )}
            </g>
          ))}
          <line
            x1={left}
            x2={width - 8}
            y1={y(resting)}
            y2={y(resting)}
            stroke={ink("ink2")}
            strokeDasharray="2 4"
          />
          <path d={path} fill="none" stroke={ink(points.length ? "ink" : "edge")} strokeWidth="2" />
          <PlayLine l={l} x={x} y1={TOP - 6} y2={HEIGHT - FOOT + 6} />
          {points.map((p, i) => {
            const px = x(Math.max(0, Math.min(seconds, secondsOf(p))));
            const value = Number(p.value);
            return (
              <g
                key={i}
                data-point={i}
                role="slider"
                tabIndex={0}
                aria-label={`Point at bar ${p.bar}, beat ${num(p.beat ?? 1, 2)}`}
                aria-valuenow={value}
                aria-valuemin={low}
                aria-valuemax={high}
                aria-valuetext={`${shownValue(of, value)}, ${p.ramp ? "reached in a line" : "a step"}`}
                onKeyDown={(event) => onKeyDown(event, i)}
                onFocus={() => setAt(i)}
                style={{ cursor: "grab" }}
              >
                <circle cx={px} cy={y(value)} r="14" fill="transparent" />
                <circle
                  cx={px}
                  cy={y(value)}
                  r={i === at ? 6.5 : 4.5}
                  fill={ink(i === at ? "ink" : "sheet")}
                  stroke={ink("ink")}
                  strokeWidth="1.75"
                />
              </g>
            );
          })}
        </svg>
      </Box>
      <Box display="flex" flexWrap="wrap" gap="4px 10px" alignItems="center" alignContent="start">
        {here && at !== null ? (
          <>
            <span>bar</span>
            <NumberField
              label="Bar of the point"
              unit=""
              width="64px"
              value={here.bar}
              least={1}
              most={10_000}
              digits={0}
              onCommit={(bar) => change(at, { bar: Math.round(bar) })}
            />
            <span>beat</span>
            <NumberField
              label="Beat of the point"
              unit=""
              width="72px"
              value={here.beat ?? 1}
              least={1}
              most={64}
              digits={2}
              step={0.5}
              onCommit={(beat) => change(at, { beat })}
            />
            {of.flag ? (
              <Press onClick={() => change(at, { value: !here.value })}>
                {here.value ? "on" : "off"}
              </Press>
            ) : (
              <>
                <NumberField
                  label="Value of the point"
                  unit={of.unit}
                  width="112px"
                  value={Number(here.value)}
                  least={low}
                  most={high}
                  digits={2}
                  onCommit={(value) => change(at, { value })}
                />
                <Choice
                  aria-label="How the point is reached"
                  width="auto"
                  value={here.ramp ? "line" : "step"}
                  onChange={(event) => change(at, { ramp: event.target.value === "line" })}
                >
                  <option value="step">a step</option>
                  <option value="line">in a line</option>
                </Choice>
              </>
            )}
            <Press look="quiet" onClick={() => take(at)}>
              Take out
            </Press>
          </>
        ) : (
          <Press onClick={add}>A point here</Press>
        )}
        {points.length > 0 && (
          <>
            <Press look="quiet" onClick={() => onPoints(shifted(points, -1))}>
              A bar earlier
            </Press>
            <Press look="quiet" onClick={() => onPoints(shifted(points, 1))}>
              A bar later
            </Press>
            <Press look="quiet" onClick={() => onPoints(repeated(points, barsOf(points), 2))}>
              Once more after it
            </Press>
            <Press look="quiet" onClick={() => onPoints([])}>
              Take out this move
            </Press>
          </>
        )}
      </Box>
    </>
  );
}
