/** The course: rails laid out by the core, stages on them, levels along them, time under them. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type KeyboardEvent, useEffect, useRef } from "react";

import type { RigView } from "../../api/client";
import { ink } from "../../ui/theme";
import { halo } from "../../charts/axes";
import { num } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Glyph, PennantMark } from "./Glyph";

type Layout = RigView["layout"];
type PlacedNode = Layout["nodes"][number];
type PlacedRail = Layout["rails"][number];

const LANE = 84;
/** Room for a flag above the first lane. */
const TOP = 62;
const PROFILE = 96;
const ELAPSED = 26;
const LEFT = 34;
const RADIUS = 9;

export interface Flag {
  at: string;
  mark: string;
  kind: "caution" | "note" | "fault";
}

interface Props {
  view: RigView;
  /** Keyed stage to the tap it listens to. */
  keys: Record<string, { tap: string }>;
  selected: string;
  /** Parts of a marked run. */
  run: string[];
  through: string[];
  flags: Flag[];
  onSelect: (id: string) => void;
}

export function Plan({ view, keys, selected, run, through, flags, onSelect }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const { layout } = view;
  // Drawn to fit where names stay clear of each other; else at their natural width, to scroll.
  const fit = (width - LEFT - 26) / Math.max(1, layout.columns);
  const column = fit >= 80 ? Math.min(124, fit) : 98;
  const whole = Math.max(width, LEFT + layout.columns * column + 26);
  const x = (value: number) => LEFT + value * column;
  const y = (lane: number) => TOP + lane * LANE;
  const foot = TOP + (layout.lanes - 1) * LANE + 48;
  const places = new Map(layout.nodes.map((n) => [n.id, n]));
  const chosen = places.get(selected);
  const at = chosen ? x(chosen.x) : 0;

  useEffect(() => {
    const box = frame.current;
    if (!box || !at) return;
    if (at < box.scrollLeft + 60 || at > box.scrollLeft + box.clientWidth - 60)
      box.scrollTo({ left: at - box.clientWidth / 2 });
  }, [frame, at]);

  return (
    <Box
      ref={frame}
      overflowX="auto"
      overflowY="hidden"
      background="sheet"
      borderTop="1.5px solid"
      borderBottom="1.5px solid"
      borderColor="ink"
      tabIndex={-1}
    >
      <svg width={whole} height={foot + PROFILE + ELAPSED} display="block">
        <g role="radiogroup" aria-label="Course">
          {layout.rails.map((rail) => (
            <RailLine
              key={rail.port}
              rail={rail}
              x={x}
              y={y}
              lit={through.includes(rail.port)}
              chosen={selected === rail.port}
              onSelect={onSelect}
            />
          ))}
          {Object.entries(keys).map(([keyed, key]) => {
            const [from, to] = [places.get(key.tap), places.get(keyed)];
            if (!from || !to) return null;
            const [x1, y1, x2, y2] = [x(from.x), y(from.lane), x(to.x), y(to.lane)];
            return (
              <g key={keyed}>
                <path
                  d={`M${x1} ${y1 + 12}C${x1} ${y1 + 44} ${x2} ${y2 - 44} ${x2} ${y2 - 12}`}
                  fill="none"
                  stroke={ink("ink2")}
                  strokeWidth="1.25"
                  strokeDasharray="2 3"
                />
                <text
                  x={(x1 + x2) / 2 + 6}
                  y={(y1 + y2) / 2}
                  fontSize="13"
                  fill={ink("ink2")}
                  {...halo("sheet")}
                >
                  key
                </text>
              </g>
            );
          })}
          {layout.nodes.map((node) => (
            <Stage
              key={node.id}
              node={node}
              layout={layout}
              x={x}
              y={y}
              chosen={node.id === selected}
              first={!chosen && node.id === layout.reading[0]}
              lit={through.includes(node.id)}
              marked={run.includes(node.id)}
              onSelect={onSelect}
            />
          ))}
        </g>
        {flags.map((flag, i) => {
          const place = placeOf(flag.at, places, layout.rails);
          if (!place) return null;
          // Flags of one place stand side by side.
          const before = flags.slice(0, i).filter((f) => f.at === flag.at).length;
          return (
            <g
              key={flag.mark}
              transform={`translate(${x(place.x) + place.beside + before * 24}, ${y(place.lane) - place.above})`}
            >
              <PennantMark kind={flag.kind} mark={flag.mark} />
            </g>
          );
        })}
        <Profile view={view} x={x} top={foot} width={whole} />
        <Elapsed view={view} x={x} y={foot + PROFILE} width={whole} />
      </svg>
    </Box>
  );
}

function placeOf(at: string, nodes: Map<string, PlacedNode>, rails: PlacedRail[]) {
  const node = nodes.get(at);
  if (node) return { x: node.x, lane: node.lane, beside: -4, above: 54 };
  const rail = rails.find((r) => r.port === at);
  if (!rail) return null;
  const end = rail.xs.length - 1;
  if (rail.back) return { x: rail.xs[2]!, lane: rail.lanes[1]!, beside: 10, above: 14 };
  const straight = rail.lanes[end] === rail.lanes[end - 1];
  return {
    x: straight ? (rail.xs[end - 1]! + rail.xs[end]!) / 2 : rail.xs[end - 1]!,
    lane: rail.lanes[end - 1]!,
    beside: straight ? -8 : 6,
    above: 30,
  };
}

type Along = (value: number) => number;

/** Ink where it is dry, long teal dashes where it is wet, both side by side where both pass. */
function RailLine({
  rail,
  x,
  y,
  lit,
  chosen,
  onSelect,
}: {
  rail: PlacedRail;
  x: Along;
  y: Along;
  lit: boolean;
  chosen: boolean;
  onSelect: (id: string) => void;
}) {
  const points = rail.xs.map((value, i) => [x(value), y(rail.lanes[i]!)] as const);
  const path = bent(points);
  const silent = !rail.dry && !rail.wet;
  // The strip belongs to the end of the rail: its caption stands before it joins, or turns up to.
  const end = points.at(-1)!;
  const turn = points.at(-2)!;
  const straight = end[1] === turn[1];
  const label = rail.back
    ? { x: (points[1]![0] + points[2]![0]) / 2, y: points[1]![1] - 8, anchor: "middle" as const }
    : {
        x: (straight ? end[0] : turn[0]) - 12,
        y: turn[1] + (straight ? 18 : -9),
        anchor: "end" as const,
      };
  return (
    <g onClick={() => onSelect(rail.port)} style={{ cursor: "pointer" }}>
      <path d={path} fill="none" stroke="transparent" strokeWidth="16" />
      {(lit || chosen) && (
        <path
          d={path}
          fill="none"
          stroke={ink(chosen ? "wet" : "band")}
          strokeOpacity={chosen ? 0.35 : 0.6}
          strokeWidth="9"
        />
      )}
      {rail.dry && (
        <path
          d={path}
          fill="none"
          stroke={ink("ink")}
          strokeWidth={rail.wet ? 1.5 : 2.25}
          transform={rail.wet ? "translate(0, -2.5)" : undefined}
        />
      )}
      {rail.wet && (
        <path
          d={path}
          fill="none"
          stroke={ink("wet")}
          strokeWidth={rail.back ? 1.6 : 2.25}
          strokeDasharray={rail.back ? "7 3" : "11 4"}
          transform={rail.dry ? "translate(0, 2)" : undefined}
        />
      )}
      {silent && (
        <path d={path} fill="none" stroke={ink("edge")} strokeWidth="1.5" strokeDasharray="1 4" />
      )}
      {rail.caption && (
        <text
          x={label.x}
          y={label.y}
          textAnchor={label.anchor}
          fontSize="13"
          fontWeight="600"
          fill={ink("ink")}
          {...halo("sheet")}
        >
          {rail.caption}
        </text>
      )}
    </g>
  );
}

function bent(points: (readonly [number, number])[]): string {
  let path = `M${points[0]![0]} ${points[0]![1]}`;
  for (let i = 1; i < points.length; i++) {
    const [px, py] = points[i - 1]!;
    const [cx, cy] = points[i]!;
    const next = points[i + 1];
    if (!next) {
      path += `L${cx} ${cy}`;
      continue;
    }
    const r = Math.min(
      7,
      Math.hypot(cx - px, cy - py) / 2,
      Math.hypot(next[0] - cx, next[1] - cy) / 2,
    );
    const from = [cx - Math.sign(cx - px) * r, cy - Math.sign(cy - py) * r];
    const to = [cx + Math.sign(next[0] - cx) * r, cy + Math.sign(next[1] - cy) * r];
    path += `L${from[0]} ${from[1]}Q${cx} ${cy} ${to[0]} ${to[1]}`;
  }
  return path;
}

function Stage({
  node,
  layout,
  x,
  y,
  chosen,
  first,
  lit,
  marked,
  onSelect,
}: {
  node: PlacedNode;
  layout: Layout;
  x: Along;
  y: Along;
  chosen: boolean;
  first: boolean;
  lit: boolean;
  marked: boolean;
  onSelect: (id: string) => void;
}) {
  const mark = useRef<SVGGElement>(null);
  const move = (event: KeyboardEvent) => {
    const next = beside(layout, node, event.key);
    if (event.shiftKey || !next) return;
    event.preventDefault();
    onSelect(next);
    const svg = mark.current?.ownerSVGElement;
    svg?.querySelector<SVGElement>(`[data-stage="${next}"]`)?.focus();
  };
  const wetName = node.wet && ["delay", "reverb", "chorus"].includes(node.kind);
  const small = node.kind === "split" || node.kind === "merge";
  return (
    <g
      ref={mark}
      data-stage={node.id}
      role="radio"
      aria-checked={chosen}
      aria-label={`${node.shown}${node.caption ? `, ${node.caption}` : ""}`}
      tabIndex={chosen || first ? 0 : -1}
      transform={`translate(${x(node.x)}, ${y(node.lane)})`}
      onClick={() => onSelect(node.id)}
      onKeyDown={move}
      style={{ cursor: "pointer", outline: "none" }}
    >
      <rect x="-30" y="-28" width="60" height="56" fill="transparent" />
      {marked && (
        <circle r={RADIUS + 6} fill={ink("band")} stroke={ink("ink")} strokeDasharray="2 3" />
      )}
      {chosen && <circle r={RADIUS + 6} fill="none" stroke={ink("wet")} strokeWidth="2.5" />}
      <Glyph kind={node.kind} off={node.off} wet={node.wet} lit={lit} />
      {!(small && node.shown === (node.kind === "split" ? "Split" : "Merge")) && (
        <text
          y="-17"
          textAnchor={anchor(node.kind)}
          fontSize="14"
          fontWeight="650"
          fontStyle={wetName ? "italic" : undefined}
          fill={ink(wetName ? "wet" : "ink")}
          {...halo("sheet")}
        >
          {short(node.shown)}
        </text>
      )}
      {node.caption && (
        <text
          y="29"
          textAnchor={anchor(node.kind)}
          fontSize="13"
          fontWeight={node.off ? 650 : 400}
          fill={ink(node.off ? "diff" : "ink2")}
          {...halo("sheet")}
        >
          {node.caption}
        </text>
      )}
    </g>
  );
}

function anchor(kind: string) {
  return kind === "output" ? "end" : kind === "source" ? "start" : "middle";
}

function short(name: string): string {
  return name.length > 17 ? `${name.slice(0, 16)}…` : name;
}

/** The stage that an arrow key leads to: along the rail, or to the nearest in the next lane. */
function beside(layout: Layout, node: PlacedNode, key: string): string | undefined {
  if (key === "ArrowRight" || key === "ArrowLeft") {
    const row = layout.nodes.filter((n) => n.lane === node.lane).sort((a, b) => a.x - b.x);
    const place = row.findIndex((n) => n.id === node.id);
    return row[place + (key === "ArrowRight" ? 1 : -1)]?.id;
  }
  if (key !== "ArrowUp" && key !== "ArrowDown") return undefined;
  const down = key === "ArrowDown";
  const lanes = layout.nodes
    .map((n) => n.lane)
    .filter((l) => (down ? l > node.lane : l < node.lane));
  if (!lanes.length) return undefined;
  const lane = down ? Math.min(...lanes) : Math.max(...lanes);
  return layout.nodes
    .filter((n) => n.lane === lane)
    .sort((a, b) => Math.abs(a.x - node.x) - Math.abs(b.x - node.x))[0]?.id;
}

/** Nominal level along the course, on the same x: dry in ink, wet in dashes. */
function Profile({ view, x, top, width }: { view: RigView; x: Along; top: number; width: number }) {
  const places = new Map(view.layout.nodes.map((n) => [n.id, n]));
  const runs = view.report.rails.flatMap((rail) => {
    const drawn = view.layout.rails.find((r) => r.port === rail.port);
    if (!drawn || drawn.back) return [];
    return [{ rail, from: x(drawn.xs[0]!), to: x(drawn.xs.at(-1)!) }];
  });
  const levels = runs
    .flatMap((r) => [r.rail.dry_dbfs, r.rail.wet_dbfs, r.rail.measured_dbfs])
    .filter((v): v is number => v !== null && v > -70);
  if (!levels.length) return null;
  const high = Math.ceil((Math.max(...levels) + 1) / 10) * 10;
  const low = Math.floor((Math.min(...levels) - 1) / 10) * 10;
  const y = scaleLinear([low, high], [top + PROFILE - 20, top + 12]);
  const ticks = y.ticks(Math.min(4, (high - low) / 10));
  return (
    <g aria-label="Level along the course, dBFS" role="img">
      <line x1="0" x2={width} y1={top} y2={top} stroke={ink("rule")} />
      {ticks.map((tick) => (
        <g key={tick}>
          <line x1={LEFT} x2={width} y1={y(tick)} y2={y(tick)} stroke={ink("fine")} />
          <text x={LEFT - 4} y={y(tick) + 4.5} textAnchor="end" fontSize="13" fill={ink("ink2")}>
            {num(tick, 0)}
          </text>
        </g>
      ))}
      {view.layout.nodes.map((n) => (
        <line
          key={n.id}
          x1={x(n.x)}
          x2={x(n.x)}
          y1={top + 4}
          y2={top + PROFILE - 8}
          stroke={ink("edge")}
          strokeDasharray="1 3"
          strokeOpacity="0.7"
        />
      ))}
      {runs.map(({ rail, from, to }) => (
        <g key={rail.port}>
          {rail.dry_dbfs !== null && rail.dry_dbfs > low - 10 && (
            <line
              x1={from}
              x2={to}
              y1={y(rail.dry_dbfs)}
              y2={y(rail.dry_dbfs)}
              stroke={ink("ink")}
              strokeWidth="2"
            />
          )}
          {rail.wet_dbfs !== null && rail.wet_dbfs > low - 10 && (
            <line
              x1={from}
              x2={to}
              y1={y(rail.wet_dbfs)}
              y2={y(rail.wet_dbfs)}
              stroke={ink("wet")}
              strokeWidth="2"
              strokeDasharray="11 4"
            />
          )}
          {rail.measured_dbfs !== null && rail.measured_dbfs > low - 3 && (
            <circle
              cx={(from + to) / 2}
              cy={y(rail.measured_dbfs)}
              r="3.5"
              fill={ink("sheet")}
              stroke={ink("ink")}
              strokeWidth="1.5"
            />
          )}
          {places.get(rail.port.split(".")[0]!)?.lane === 0 &&
            rail.level_dbfs !== null &&
            to - from > 52 && (
              <text
                x={from + 6}
                y={y(rail.level_dbfs) - 5}
                fontSize="13"
                fill={ink("ink")}
                {...halo("sheet")}
              >
                {num(rail.level_dbfs, 1)}
              </text>
            )}
        </g>
      ))}
      <text x={LEFT + 6} y={top + PROFILE - 3} fontSize="13" fill={ink("ink2")} {...halo("sheet")}>
        Level along the course, dBFS at nominal level
        {view.report.measured_clip !== null && `; ○ measured on “${view.report.measured_clip}”`}
      </text>
    </g>
  );
}

function Elapsed({ view, x, y, width }: { view: RigView; x: Along; y: number; width: number }) {
  const shown: { at: number; text: string }[] = [];
  for (const rail of [...view.report.rails].sort((a, b) => (a.dry_ms ?? 0) - (b.dry_ms ?? 0))) {
    const drawn = view.layout.rails.find((r) => r.port === rail.port);
    if (!drawn || drawn.back || rail.dry_ms === null || drawn.lanes[0] !== 0) continue;
    const at = x(drawn.xs[0]!);
    if (shown.every((s) => Math.abs(s.at - at) > 40)) shown.push({ at, text: num(rail.dry_ms, 2) });
  }
  return (
    <g>
      <line x1="0" x2={width} y1={y} y2={y} stroke={ink("rule")} />
      <text x="4" y={y + 18} fontSize="13" fill={ink("ink2")}>
        ms
      </text>
      {shown.map((s) => (
        <text key={s.at} x={s.at} y={y + 18} textAnchor="middle" fontSize="13" fill={ink("ink")}>
          {s.text}
        </text>
      ))}
    </g>
  );
}
