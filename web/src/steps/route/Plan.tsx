/** The course: rails and marks fitted to the sheet, levels along them, what is to be laid in ink dots. */
import { Box } from "@chakra-ui/react";
import {
  memo,
  type FocusEvent,
  type KeyboardEvent,
  type ReactNode,
  useEffect,
  useMemo,
  useState,
} from "react";

import type { RigView } from "../../api/client";
import { halo } from "../../charts/axes";
import { useSteady, useWidth } from "../../ui/hooks";
import { textWidth } from "../../ui/measure";
import { ink } from "../../ui/theme";
import {
  type Fitted,
  type FittedNode,
  type FittedRail,
  fit,
  type FitOptions,
  type Flag,
} from "./fit";
import { Glyph, PennantMark } from "./Glyph";
import { Levels, levelHeight } from "./Levels";
import { type Arrow, headsOf, middleOf, type Stop, stopsOf, waysOf } from "./nav";
import { Overview } from "./Overview";

export type { Flag } from "./fit";

/** A place where a rail may land, with the letter that chooses it. */
export interface Place {
  letter: string;
  at: string;
  chosen: boolean;
  possible: boolean;
}

interface Props {
  view: Pick<RigView, "layout" | "report">;
  /** Keyed stage to the tap it listens to. */
  keys: Record<string, { tap: string }>;
  selected: string;
  /** Parts that are marked. */
  run: string[];
  through: string[];
  flags: Flag[];
  /** Parts and rails that are not there yet. */
  ghosts: Set<string>;
  places: Place[];
  foldedBy: string[];
  openedBy: string[];
  atLeast: FitOptions["atLeast"];
  hasStrip: (kind: string) => boolean;
  onSelect: (id: string) => void;
  onPlace: (letter: string) => void;
  onZoom: (by: "apart" | "together" | "all", from: Fitted["closeness"]) => void;
  /** Without levels: what stands below needs the room. */
  bare?: boolean;
  /** On the line over it, before and behind the overview. */
  head?: ReactNode;
  tools?: ReactNode;
}

/** So high that settings and arrivals stay in view on a laptop. */
const LOW = 225;
const ALONG = new Set(["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"]);

export function Plan(props: Props) {
  const { view, keys, selected, run, through, flags, ghosts, places, onSelect } = props;
  const { foldedBy, openedBy, atLeast, hasStrip } = props;
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const fitted = useMemo(
    () => fit(view.layout, { width, flags, selected, foldedBy, openedBy, atLeast, height: LOW }),
    [view.layout, width, flags, selected, foldedBy, openedBy, atLeast],
  );
  const stops = useMemo(() => stopsOf(fitted, hasStrip), [fitted, hasStrip]);
  const head = headsOf(fitted);
  const at = stops.find((s) => s.id === head(selected));
  const [seen, setSeen] = useState({ left: 0, top: 0, width: 0, height: 0 });
  const look = () => {
    const box = frame.current;
    if (box)
      setSeen({
        left: box.scrollLeft,
        top: box.scrollTop,
        width: box.clientWidth,
        height: box.clientHeight,
      });
  };
  const [ax, ay] = [at?.x, at?.y];
  useEffect(() => {
    const box = frame.current;
    if (!box || ax === undefined || ay === undefined) return;
    if (ax < box.scrollLeft + 60 || ax > box.scrollLeft + box.clientWidth - 60)
      box.scrollTo({ left: ax - box.clientWidth / 2 });
    if (ay < box.scrollTop + 40 || ay > box.scrollTop + box.clientHeight - 40)
      box.scrollTo({ top: ay - box.clientHeight / 2 });
  }, [frame, ax, ay]);
  const stages = view.layout.nodes.length;
  return (
    <Box borderBottom="1.5px solid" borderColor="ink">
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="0 12px" paddingBottom="2px">
        {props.head}
        <Box flex="1 1 200px" minWidth="0">
          {(stages >= 9 || fitted.windowed || atLeast) && (
            <Overview
              fitted={fitted}
              stages={stages}
              seen={seen}
              selected={head(selected)}
              onLook={(left) => frame.current?.scrollTo({ left })}
              onZoom={props.onZoom}
            />
          )}
        </Box>
        {props.tools}
      </Box>
      <Box
        ref={frame}
        overflow="auto"
        maxHeight={{ base: "none", lg: "max(260px, calc(100vh - 474px))" }}
        background="sheet"
        borderTop="1.5px solid"
        borderColor="ink"
        tabIndex={-1}
        onScroll={look}
      >
        <Drawing
          {...{ fitted, stops, keys, selected, run, through, ghosts, places, onSelect }}
          report={view.report}
          bare={props.bare ?? false}
          onPlace={props.onPlace}
        />
      </Box>
    </Box>
  );
}

interface DrawingProps extends Pick<
  Props,
  "keys" | "selected" | "run" | "through" | "ghosts" | "places" | "onSelect" | "onPlace"
> {
  fitted: Fitted;
  stops: Stop[];
  report: RigView["report"];
  bare: boolean;
}

/** Drawn anew only where something of it changed: settings move many times a second beside it. */
const Drawing = memo(function Drawing(props: DrawingProps) {
  const { fitted, stops, keys, selected, run, through, ghosts, places, report, bare } = props;
  const { onSelect, onPlace } = props;
  const ways = useMemo(() => waysOf(fitted, stops), [fitted, stops]);
  const head = headsOf(fitted);
  const at = stops.find((s) => s.id === head(selected));
  const first = at?.id ?? stops[0]?.id;
  const marks = new Map(fitted.nodes.map((n) => [n.node.id, n]));
  const foot = fitted.height;
  const whole = foot + (bare ? 4 : levelHeight(foot, report.measured_clip !== null));
  const onKey = useSteady((event: KeyboardEvent, id: string) => {
    if (event.shiftKey || event.altKey || !ALONG.has(event.key)) return;
    event.preventDefault();
    const to = ways.get(id)?.[event.key as Arrow];
    if (!to) return;
    onSelect(to);
    const svg = (event.currentTarget as SVGElement).ownerSVGElement;
    svg?.querySelector<SVGElement>(`[data-stage="${CSS.escape(to)}"]`)?.focus();
  });
  // Who comes here with keys means what is marked by the focus.
  const onFocus = useSteady((event: FocusEvent, id: string) => {
    const came = event.relatedTarget !== null && event.currentTarget.matches(":focus-visible");
    if (!selected && came) onSelect(id);
  });
  const item = (id: string) => ({
    selected: head(selected) === id,
    first: id === first,
    onSelect,
    onKey,
    onFocus,
  });
  return (
    <svg width={fitted.width} height={whole} display="block" data-closeness={fitted.closeness}>
      <g role="radiogroup" aria-label="Course">
        {fitted.rails.map((one) => (
          <RailLine
            key={one.rail.port}
            one={one}
            stop={stops.find((s) => s.id === one.rail.port)}
            name={railName(one, marks)}
            lit={through.includes(one.rail.port)}
            ghost={ghosts.has(one.rail.port)}
            {...item(one.rail.port)}
          />
        ))}
        {Object.entries(keys).map(([keyed, key]) => (
          <KeyLine key={keyed} from={marks.get(head(key.tap))} to={marks.get(head(keyed))} />
        ))}
        {fitted.nodes.map((one) => (
          <Stage
            key={one.node.id}
            one={one}
            lit={through.includes(one.node.id)}
            marked={run.some((id) => id === one.node.id || one.folded.includes(id))}
            ghost={ghosts.has(one.node.id)}
            {...item(one.node.id)}
          />
        ))}
      </g>
      {[...fitted.nodes, ...fitted.rails].flatMap((one) =>
        one.flags.map((f) => (
          <g key={f.flag.mark} transform={`translate(${f.x}, ${f.y})`}>
            <PennantMark kind={f.flag.kind} mark={f.flag.mark} />
          </g>
        )),
      )}
      {!bare && <Levels fitted={fitted} report={report} top={foot} />}
      {places.map((place) => (
        <PlaceMark key={place.letter} place={place} fitted={fitted} onPlace={onPlace} />
      ))}
    </svg>
  );
});

function railName(one: FittedRail, marks: Map<string, FittedNode>): string {
  const from = marks.get(one.rail.port.slice(0, one.rail.port.lastIndexOf(".")))?.node.shown ?? "";
  const to = marks.get(one.rail.target ?? "")?.node.shown ?? "";
  return `Rail into ${to} from ${from}${one.rail.caption ? `, ${one.rail.caption}` : ""}`;
}

interface ItemProps {
  selected: boolean;
  first: boolean;
  onSelect: (id: string) => void;
  onKey: (event: KeyboardEvent, id: string) => void;
  onFocus: (event: FocusEvent, id: string) => void;
}

/** Ink where it is dry, long teal dashes where it is wet, both side by side where both pass. */
const RailLine = memo(function RailLine({
  one,
  stop,
  name,
  lit,
  ghost,
  selected,
  first,
  onSelect,
  onKey,
  onFocus,
}: ItemProps & {
  one: FittedRail;
  stop: Stop | undefined;
  name: string;
  lit: boolean;
  ghost: boolean;
}) {
  const { rail, points, strip } = one;
  const path = bent(points);
  const silent = !rail.dry && !rail.wet;
  const words = strip && (
    <text
      x={strip.x}
      y={strip.y}
      textAnchor={strip.anchor}
      fontSize="13"
      fontWeight="600"
      fill={ink("ink")}
      {...halo("sheet")}
    >
      {strip.text}
    </text>
  );
  const reached = stop && {
    "data-stage": rail.port,
    role: "radio",
    "aria-checked": selected,
    "aria-label": name,
    tabIndex: first ? 0 : -1,
    onKeyDown: (event: KeyboardEvent) => onKey(event, rail.port),
    onFocus: (event: FocusEvent) => onFocus(event, rail.port),
  };
  return (
    <g
      onClick={() => onSelect(rail.port)}
      style={{ cursor: "pointer", outline: selected ? "none" : undefined }}
      {...reached}
    >
      <path d={path} fill="none" stroke="transparent" strokeWidth="14" />
      {stop && <rect x={stop.x - 14} y={stop.y - 10} width="28" height="20" fill="transparent" />}
      {(lit || selected) && (
        <path
          d={path}
          fill="none"
          stroke={ink(selected ? "wet" : "band")}
          strokeOpacity={selected ? 0.35 : 0.6}
          strokeWidth="9"
        />
      )}
      {ghost ? (
        <path
          d={path}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="3.5"
          strokeLinecap="round"
          strokeDasharray="0.1 6.5"
        />
      ) : (
        <>
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
            <path
              d={path}
              fill="none"
              stroke={ink("edge")}
              strokeWidth="1.5"
              strokeDasharray="1 4"
            />
          )}
        </>
      )}
      {selected && stop && (
        <circle
          cx={stop.x}
          cy={stop.y}
          r="6"
          fill={ink("sheet")}
          stroke={ink("wet")}
          strokeWidth="2.5"
        />
      )}
      {words}
    </g>
  );
});

export function bent(points: (readonly [number, number])[]): string {
  let path = `M${points[0]![0]} ${points[0]![1]}`;
  for (let i = 1; i < points.length; i++) {
    const [px, py] = points[i - 1]!;
    const [cx, cy] = points[i]!;
    const after = points[i + 1];
    if (!after) {
      path += `L${cx} ${cy}`;
      continue;
    }
    const r = Math.min(
      7,
      Math.hypot(cx - px, cy - py) / 2,
      Math.hypot(after[0] - cx, after[1] - cy) / 2,
    );
    const from = [cx - Math.sign(cx - px) * r, cy - Math.sign(cy - py) * r];
    const to = [cx + Math.sign(after[0] - cx) * r, cy + Math.sign(after[1] - cy) * r];
    path += `L${from[0]} ${from[1]}Q${cx} ${cy} ${to[0]} ${to[1]}`;
  }
  return path;
}

/** What a keyed stage listens to. */
function KeyLine({ from, to }: { from?: FittedNode; to?: FittedNode }) {
  if (!from || !to) return null;
  return (
    <path
      d={`M${from.x} ${from.y + 11}C${from.x} ${from.y + 40} ${to.x} ${to.y - 40} ${to.x} ${to.y - 11}`}
      fill="none"
      stroke={ink("ink2")}
      strokeWidth="1.25"
      strokeDasharray="2 3"
    >
      <title>{`${to.node.shown} listens to ${from.node.shown}`}</title>
    </path>
  );
}

const WET_NAMES = new Set(["delay", "reverb", "chorus", "convolution"]);

const Stage = memo(function Stage({
  one,
  lit,
  marked,
  ghost,
  selected,
  first,
  onSelect,
  onKey,
  onFocus,
}: ItemProps & { one: FittedNode; lit: boolean; marked: boolean; ghost: boolean }) {
  const { node, x, y, name, caption, above, anchor, folded } = one;
  const wet = node.wet && WET_NAMES.has(node.kind);
  const full = folded.length
    ? `${folded.length} stages folded, from ${node.shown}`
    : `${node.shown}${node.caption ? `, ${node.caption}` : ""}`;
  // Words that hang to one side of their mark belong to it, with the rail between them.
  const hung = above ? textWidth(caption, 13) + 8 : 0;
  const words = Math.max(24, textWidth(name, 14, true) + hung);
  const hit =
    anchor === "middle"
      ? { x: -16, width: 32 }
      : { x: anchor === "start" ? -8 : -words, width: words + 8 };
  const captioned = (
    <tspan
      fontSize="13"
      fontWeight={node.off ? 650 : 400}
      fontStyle="normal"
      fill={ink(node.off ? "diff" : "ink2")}
    >
      {caption}
    </tspan>
  );
  return (
    <g
      data-stage={node.id}
      role="radio"
      aria-checked={selected}
      aria-label={full}
      tabIndex={first ? 0 : -1}
      transform={`translate(${x}, ${y})`}
      onClick={() => onSelect(node.id)}
      onKeyDown={(event) => onKey(event, node.id)}
      onFocus={(event) => onFocus(event, node.id)}
      style={{ cursor: "pointer", outline: selected ? "none" : undefined }}
      opacity={ghost ? 0.75 : undefined}
    >
      <title>{full}</title>
      <rect x={hit.x} y="-28" width={hit.width} height="56" fill="transparent" />
      {marked && <circle r="15" fill={ink("band")} stroke={ink("ink")} strokeDasharray="2 3" />}
      {selected && <circle r="15" fill="none" stroke={ink("wet")} strokeWidth="2.5" />}
      {folded.length ? (
        <g>
          <circle
            r="9"
            fill={ink("sheet")}
            stroke={ink(node.wet ? "wet" : "ink")}
            strokeWidth="2"
          />
          <circle r="12.5" fill="none" stroke={ink(node.wet ? "wet" : "ink")} strokeWidth="1" />
          <text y="4.5" textAnchor="middle" fontSize="12" fontWeight="650" fill={ink("ink")}>
            {folded.length}
          </text>
        </g>
      ) : (
        <Glyph kind={node.kind} off={node.off || ghost} wet={node.wet} lit={lit} />
      )}
      {(name || (above && caption)) && (
        <text
          x={anchor === "end" ? 4 : 0}
          y="-17"
          textAnchor={anchor}
          fontSize="14"
          fontWeight="650"
          fontStyle={wet ? "italic" : undefined}
          fill={ink(wet ? "wet" : "ink")}
        >
          {name}
          {above && caption && (
            <>
              {name ? "\u00a0 " : ""}
              {captioned}
            </>
          )}
        </text>
      )}
      {caption && !above && (
        <text x={anchor === "end" ? 4 : 0} y="29" textAnchor={anchor} fontSize="13">
          {captioned}
        </text>
      )}
    </g>
  );
});

/** An open triangle with its letter where a rail may land; the chosen one in full ink. */
function PlaceMark({
  place,
  fitted,
  onPlace,
}: {
  place: Place;
  fitted: Fitted;
  onPlace: (letter: string) => void;
}) {
  const head = headsOf(fitted);
  const node = fitted.nodes.find((n) => n.node.id === head(place.at));
  const rail = fitted.rails.find((r) => r.rail.port === place.at);
  let [x, y] = [fitted.width - 26, fitted.height - 22];
  if (node) [x, y] = [node.x - 20, node.y];
  else if (rail) [x, y] = middleOf(rail.points);
  // On the line itself: words stand over it and under it.
  const left = node ? x - 25 : x + 10;
  return (
    <g
      onClick={() => place.possible && onPlace(place.letter)}
      style={{ cursor: place.possible ? "pointer" : "not-allowed" }}
      opacity={place.possible ? 1 : 0.45}
      aria-hidden
    >
      <path
        d={`M${x - 5} ${y - 8}L${x + 8} ${y}L${x - 5} ${y + 8}Z`}
        fill={ink(place.chosen ? "wet" : "sheet")}
        stroke={ink(place.chosen ? "wet" : "ink")}
        strokeWidth="1.75"
      />
      <rect
        x={left}
        y={y - 9}
        width="17"
        height="18"
        fill={ink(place.chosen ? "ink" : "well")}
        stroke={ink("edge")}
      />
      <text
        x={left + 8.5}
        y={y + 4.5}
        textAnchor="middle"
        fontSize="13"
        fontWeight="650"
        fill={ink(place.chosen ? "paper" : "ink")}
      >
        {place.letter}
      </text>
    </g>
  );
}
