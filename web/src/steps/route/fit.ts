/**
 * A laid-out rig fitted to a sheet: where each mark, name, caption, flag and rail stands in pixels, so
 * that none lies over another and none leaves the sheet. It is drawn wide where there is room; else
 * closer, then without captions, then with short names, then with runs of stages folded into one ring;
 * what is wider even then gets a sheet of its own to look at through a window.
 */
import type { RigView } from "../../api/client";
import { cutTo, textWidth } from "../../ui/measure";
import { type Folding, foldsOf } from "./folds";

type Layout = RigView["layout"];
type LaidNode = Layout["nodes"][number];
type LaidRail = Layout["rails"][number];

export interface Flag {
  at: string;
  mark: string;
  kind: "caution" | "note" | "fault";
}

export interface Box {
  of: string;
  what: "mark" | "name" | "caption" | "flag" | "strip" | "upright" | "level";
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

export interface FittedNode {
  node: LaidNode;
  x: number;
  y: number;
  name: string;
  caption: string;
  /** Where the middle, the start or the end of its words stands. */
  anchor: "start" | "middle" | "end";
  /** Its caption stands behind its name, over the line: rails leave or come in below. */
  above: boolean;
  flags: { flag: Flag; x: number; y: number }[];
  /** Stages that stand behind this one mark, itself among them; empty for one that stands for itself. */
  folded: string[];
}

export interface FittedRail {
  rail: LaidRail;
  points: [number, number][];
  strip: { text: string; x: number; y: number; anchor: "middle" | "end" } | null;
  flags: { flag: Flag; x: number; y: number }[];
}

export type Closeness = "wide" | "close" | "names" | "short" | "folded";

export interface Fitted {
  width: number;
  height: number;
  /** How close things stand: what was left out to make them fit. */
  closeness: Closeness;
  /** The sheet is wider than what it is looked at through. */
  windowed: boolean;
  nodes: FittedNode[];
  rails: FittedRail[];
  boxes: Box[];
}

export interface FitOptions extends Folding {
  width: number;
  flags: Flag[];
  /** The course should be no higher: captions then stand behind their names. */
  height?: number;
  /** As close as this, whatever the width: what is wider is looked at through a window. */
  atLeast?: Closeness | null;
}

const NAME = 14;
const SMALL = 13;
const GAP = 7;
const LEFT = 34;
const RIGHT = 18;
const PITCH = 124;
/** A short course is drawn out to so many times its natural width. */
const WIDEST = 2.5;
const FLAG = 23;
/** From a lane's line up to the top of its names, and down to the foot of its captions. */
const OVER = 31;
const UNDER = 33;
const BARE_UNDER = 11;
const BETWEEN = 4;
const TRACK = 24;
const MARK = 11;
const ENTRY = 13;
const STEP = 9;
const ORDER: Closeness[] = ["wide", "close", "names", "short", "folded"];
/** The closeness next to one: things further apart, or closer together. */
export function wider(from: Closeness, by: "apart" | "together"): Closeness {
  const at = ORDER.indexOf(from) + (by === "apart" ? -1 : 1);
  return ORDER[Math.min(ORDER.length - 1, Math.max(0, at))]!;
}

const SHORT_NAME = 62;
const LONGEST_NAME = 150;
const LONGEST_CAPTION = 190;
const LONGEST_STRIP = 170;

/** Kinds whose name says nothing more than their mark. */
const SILENT: Record<string, string> = { split: "Split", merge: "Merge" };

interface Item {
  node: LaidNode;
  folded: string[];
  name: string;
  caption: string;
  above: boolean;
  /** Half the room that it takes of its own lane, left and right of its mark. */
  left: number;
  right: number;
  words: number;
  flags: Flag[];
  /** Further room in lanes: uprights that leave or reach it. */
  blocks: { lane: number; left: number; right: number }[];
}

interface Upright {
  rail: LaidRail;
  item: string;
  offset: number;
  from: number;
  to: number;
}

export function fit(layout: Layout, options: FitOptions): Fitted {
  const { width, atLeast } = options;
  let made: Fitted | null = null;
  for (const closeness of atLeast ? [atLeast] : ORDER) {
    made = place(layout, options, closeness, false);
    if (made.width > width + 0.5) continue;
    return lower(made, options.height, () => place(layout, options, closeness, true), width);
  }
  const high = { ...made!, windowed: true };
  const flat = place(layout, options, high.closeness, true);
  return high.height > (options.height ?? Infinity) ? { ...flat, windowed: true } : high;
}

/** The flat one where the other is too high and the flat one still fits across. */
function lower(
  made: Fitted,
  height: number | undefined,
  flat: () => Fitted,
  width: number,
): Fitted {
  if (height === undefined || made.height <= height) return made;
  const other = flat();
  return other.width <= width + 0.5 && other.height < made.height ? other : made;
}

/** flat: captions stand behind names, so that lanes lie closer. */
function place(layout: Layout, options: FitOptions, closeness: Closeness, flat: boolean): Fitted {
  const { flags, selected, width } = options;
  const folds = foldsOf(layout, options, closeness === "folded");
  const hidden = new Map([...folds].flatMap(([head, all]) => all.map((id) => [id, head])));
  const standing = (id: string) => hidden.get(id) ?? id;
  const sourceOf = (rail: LaidRail) => rail.port.slice(0, rail.port.lastIndexOf("."));
  const nodes = layout.nodes.filter((n) => standing(n.id) === n.id);
  const known = new Set(nodes.map((n) => n.id));
  const rails = layout.rails.filter((rail) => {
    const [from, to] = [standing(sourceOf(rail)), standing(rail.target ?? "")];
    return known.has(from) && known.has(to) && !(from === to && folds.has(from));
  });
  const captions = closeness === "wide" || closeness === "close";
  const items = new Map<string, Item>();
  const outs = nodes.filter((n) => n.kind === "output");
  const widestOut = Math.max(0, ...outs.map((n) => textWidth(shown(n, closeness), NAME, true)));

  // Which rails leave or come in below a mark: its caption goes over the line then.
  const beneath = new Set<string>();
  const shape = rails.map((rail) => shapeOf(rail));
  rails.forEach((rail, i) => {
    const s = shape[i]!;
    if (s.leaves > s.lane0) beneath.add(standing(sourceOf(rail)));
    if (s.enters > s.lane1) beneath.add(standing(rail.target ?? ""));
  });

  for (const node of nodes) {
    const held = folds.get(node.id) ?? [];
    const mine = flags.filter((f) => standing(f.at) === node.id && !isPort(layout, f.at));
    const name = held.length ? `${held.length} stages` : shown(node, closeness);
    const full = held.length
      ? ""
      : captions || node.id === selected || mine.length > 0 || node.off
        ? cutTo(node.caption, LONGEST_CAPTION, SMALL)
        : "";
    const above = (flat || beneath.has(node.id)) && full !== "";
    const line = textWidth(name, NAME, true) + (above ? 5 + textWidth(full, SMALL) : 0);
    const under = above ? 0 : textWidth(full, SMALL);
    const words = Math.max(line, under);
    const flagged = mine.length * FLAG;
    // Names hang to the right of a source's mark and to the left of an output's.
    const hang = anchorOf(node.kind);
    const left =
      hang === "start" ? MARK / 2 : hang === "end" ? words + 2 : Math.max(MARK, words / 2);
    const right =
      (hang === "start" ? words + 2 : hang === "end" ? MARK / 2 : Math.max(MARK, words / 2)) +
      flagged;
    items.set(node.id, {
      node,
      folded: held,
      name,
      caption: full,
      above,
      left,
      right,
      words,
      flags: mine,
      blocks: [],
    });
  }

  // Uprights: each keeps its own distance from the mark that it belongs to.
  const uprights: (Upright | null)[][] = rails.map(() => [null, null]);
  const exits = new Map<string, number>();
  const entryAt = entriesOf(rails, shape, (rail) => standing(rail.target ?? ""), items);
  const tracks: { rail: LaidRail; below: number }[] = [];
  const groupOf = (rail: LaidRail) => {
    const to = items.get(standing(rail.target ?? ""))!;
    return to.node.kind === "output" ? "outputs" : to.node.id;
  };
  const deepest = new Map<string, number>();
  for (const rail of rails) {
    const n = entryAt.get(rail.port);
    if (n !== undefined) deepest.set(groupOf(rail), Math.max(n, deepest.get(groupOf(rail)) ?? 0));
  }
  /** How far left of a mark the uprights reach that come in there. */
  const bandAt = (group: string, base: number) => {
    const most = deepest.get(group);
    return most === undefined ? 0 : base + ENTRY + STEP * most + 6;
  };
  const bandOf = (rail: LaidRail) =>
    bandAt(groupOf(rail), groupOf(rail) === "outputs" ? widestOut : 0);
  rails.forEach((rail, i) => {
    const s = shape[i]!;
    const [from, to] = [standing(sourceOf(rail)), standing(rail.target ?? "")];
    const [a, b] = [items.get(from)!, items.get(to)!];
    const offset = -entryOf(b, widestOut) - STEP * (entryAt.get(rail.port) ?? 0);
    if (rail.back) {
      const n = exits.get(from) ?? 0;
      exits.set(from, n + 1);
      uprights[i] = [
        { rail, item: from, offset: ENTRY + STEP * n, from: s.lane0, to: s.lane0 },
        { rail, item: to, offset, from: s.lane1, to: s.lane1 },
      ];
      const base = Math.floor(Math.max(s.lane0, s.lane1));
      tracks.push({ rail, below: base });
      for (const [k, item] of [a, b].entries()) {
        const up = uprights[i]![k]!;
        const start = Math.round(k === 0 ? s.lane0 : s.lane1);
        for (let lane = start + 1; lane <= base; lane++)
          item.blocks.push({ lane, left: 6 - up.offset, right: up.offset + 6 });
        spread(item, up.offset);
      }
      return;
    }
    const band = bandOf(rail);
    const early = isEarly(s);
    const room = stripRoom(rail, flags);
    if (s.leaves !== s.lane0) {
      uprights[i]![0] = { rail, item: from, offset: 0, from: s.lane0, to: s.leaves };
      for (const lane of between(s.lane0, s.leaves))
        a.blocks.push({ lane, left: 6, right: 8 + (early && lane === s.leaves ? room : 0) });
    }
    if (s.enters !== s.lane1) {
      uprights[i]![1] = { rail, item: to, offset, from: s.enters, to: s.lane1 };
      for (const lane of between(s.lane1, s.enters))
        b.blocks.push({
          lane,
          left: !early && lane === s.enters ? band + room : 6 - offset,
          right: offset + 6,
        });
      spread(b, offset);
    }
  });
  // Names of outputs keep clear of what comes in at the others; strips stand before all of that.
  for (const item of items.values())
    if (item.node.kind === "output") item.left = Math.max(item.left, bandAt("outputs", widestOut));
  const bare = new Map([...items].map(([id, item]) => [id, item.left]));
  rails.forEach((rail, i) => {
    const s = shape[i]!;
    const to = standing(rail.target ?? "");
    if (!rail.back && s.enters === s.lane1)
      items.get(to)!.left = Math.max(items.get(to)!.left, bare.get(to)! + stripRoom(rail, flags));
  });

  const ends = (item: Item) => Number(item.node.kind === "output");
  const order = [...items.values()].sort(
    (p, q) => ends(p) - ends(q) || p.node.x - q.node.x || p.node.lane - q.node.lane,
  );
  const solved = (stretch: number) => solve(order, stretch, flat ? 2 * GAP : GAP);
  let xs = solved(0);
  let total = right(xs, items);
  if (total < width) {
    let [low, high] = [0, WIDEST];
    for (let n = 0; n < 14; n++) {
      const middle = (low + high) / 2;
      if (right(solved(middle), items) <= width) low = middle;
      else high = middle;
    }
    xs = solved(low);
    total = right(xs, items);
  }
  // What is left over goes to the outputs' side, so that the course ends where the sheet does.
  const spare = width - total;
  if (spare > 0 && outs.length) {
    const first = Math.min(...outs.map((n) => n.x));
    for (const item of order)
      if (item.node.x >= first && item.node.kind === "output")
        xs.set(item.node.id, xs.get(item.node.id)! + spare);
    total = width;
  }
  const sheet = Math.ceil(total);

  const heights = lanesOf(layout, items, tracks, rails, xs, uprights, flags);
  const { y, trackY, height } = heights;

  const boxes: Box[] = [];
  const fittedNodes = order.map((item): FittedNode => {
    const x = xs.get(item.node.id)!;
    const at = y(item.node.lane);
    const anchor = anchorOf(item.node.kind);
    const id = item.node.id;
    const spanOf = (w: number) =>
      anchor === "start"
        ? [x, x + w]
        : anchor === "end"
          ? [x - w + 4, x + 4]
          : [x - w / 2, x + w / 2];
    const line =
      textWidth(item.name, NAME, true) + (item.above ? 5 + textWidth(item.caption, SMALL) : 0);
    const [n1, n2] = spanOf(line);
    if (item.name) boxes.push({ of: id, what: "name", x1: n1!, x2: n2!, y1: at - 29, y2: at - 13 });
    if (item.caption && !item.above) {
      const [c1, c2] = spanOf(textWidth(item.caption, SMALL));
      boxes.push({ of: id, what: "caption", x1: c1!, x2: c2!, y1: at + 17, y2: at + 32 });
    }
    boxes.push({ of: id, what: "mark", x1: x - 8, x2: x + 8, y1: at - 9, y2: at + 9 });
    const begin = item.name ? n2! + 4 : x + MARK + 2;
    const raised = item.flags.map((flag, n) => ({ flag, x: begin + n * FLAG, y: at - 31 }));
    for (const f of raised)
      boxes.push({ of: id, what: "flag", x1: f.x, x2: f.x + 20, y1: f.y, y2: f.y + 20 });
    return {
      node: item.node,
      x,
      y: at,
      name: item.name,
      caption: item.caption,
      anchor,
      above: item.above,
      flags: raised,
      folded: item.folded,
    };
  });

  const fittedRails = rails.map((rail, i): FittedRail => {
    const s = shape[i]!;
    const from = xs.get(standing(sourceOf(rail)))!;
    const to = xs.get(standing(rail.target ?? ""))!;
    const [u, v] = uprights[i]!;
    const [ya, yb] = [y(s.lane0), y(s.lane1)];
    let points: [number, number][];
    const mine = flags.filter((f) => f.at === rail.port);
    const text = rail.caption ? cutTo(rail.caption, LONGEST_STRIP, SMALL) : "";
    const room = textWidth(text, SMALL);
    let strip: FittedRail["strip"] = null;
    let raised: FittedRail["flags"] = [];
    if (rail.back) {
      const ty = trackY(rail.port);
      const [x1, x2] = [from + u!.offset, to + v!.offset];
      points = [
        [from, ya],
        [x1, ya],
        [x1, ty],
        [x2, ty],
        [x2, yb],
        [to, yb],
      ];
    } else {
      const down = u ? y(u.to) : ya;
      const ends = v ? to + v.offset : to;
      points = [[from, ya]];
      if (u) points.push([from, down]);
      if (v) points.push([ends, v.from === s.lane0 && !u ? ya : y(v.from)], [ends, yb]);
      points.push([to, yb]);
      const turn = v ? y(v.from) : yb;
      if (isEarly(s)) {
        const begin = from + 9;
        if (text) strip = { text, x: begin + room, y: down - 6, anchor: "end" };
        raised = mine.map((flag, n) => ({
          flag,
          x: begin + (text ? room + 4 : 0) + n * FLAG,
          y: down - 24,
        }));
      } else {
        const target = standing(rail.target ?? "");
        const end = v ? to - bandOf(rail) - 2 : to - bare.get(target)! - 4;
        const begin = end - room - (text ? 4 : 0);
        if (text) strip = { text, x: end, y: turn - 6, anchor: "end" };
        raised = mine.map((flag, n) => ({ flag, x: begin - (n + 1) * FLAG, y: turn - 24 }));
      }
      if (strip)
        boxes.push({
          of: rail.port,
          what: "strip",
          x1: strip.x - room,
          x2: strip.x,
          y1: strip.y - 12,
          y2: strip.y + 3,
        });
    }
    for (const f of raised)
      boxes.push({ of: rail.port, what: "flag", x1: f.x, x2: f.x + 20, y1: f.y, y2: f.y + 20 });
    points = tidied(points);
    for (let n = 1; n < points.length; n++) {
      const [p, q] = [points[n - 1]!, points[n]!];
      const [x1, x2] = [Math.min(p[0], q[0]), Math.max(p[0], q[0])];
      const [y1, y2] = [Math.min(p[1], q[1]), Math.max(p[1], q[1])];
      if (x1 === x2) boxes.push({ of: rail.port, what: "upright", x1: x1 - 1, x2: x2 + 1, y1, y2 });
      else boxes.push({ of: rail.port, what: "level", x1, x2, y1: y1 - 1, y2: y2 + 1 });
    }
    return { rail, points, strip, flags: raised };
  });
  // Words and flags of rails that run back stand where nothing crosses them.
  for (const one of fittedRails.filter((r) => r.rail.back)) {
    const ty = one.points[2]![1];
    const ends = [one.points[2]![0], one.points[3]![0]].sort((p, q) => p - q) as [number, number];
    const crossed = boxes
      .filter((b) => b.what === "upright" && b.of !== one.rail.port && b.y1 < ty && b.y2 > ty - 22)
      .map((b) => (b.x1 + b.x2) / 2)
      .filter((x) => x > ends[0] && x < ends[1])
      .sort((p, q) => p - q);
    const stops = [ends[0], ...crossed, ends[1]];
    let best: [number, number] = ends;
    let widest = -1;
    for (let n = 1; n < stops.length; n++)
      if (stops[n]! - stops[n - 1]! > widest) {
        widest = stops[n]! - stops[n - 1]!;
        best = [stops[n - 1]! + 6, stops[n]! - 6];
      }
    const mine = flags.filter((f) => f.at === one.rail.port);
    const fitting = mine.slice(0, Math.max(0, Math.floor((best[1] - best[0]) / FLAG)));
    one.flags = fitting.map((flag, n) => ({ flag, x: best[0] + n * FLAG, y: ty - 22 }));
    for (const f of one.flags)
      boxes.push({ of: one.rail.port, what: "flag", x1: f.x, x2: f.x + 20, y1: f.y, y2: f.y + 20 });
    const begin = best[0] + fitting.length * FLAG;
    const text = one.rail.caption ? cutTo(one.rail.caption, best[1] - begin, SMALL) : "";
    const room = textWidth(text, SMALL);
    if (text.length < 2 || room > best[1] - begin) continue;
    one.strip = { text, x: begin + room, y: ty - 4, anchor: "end" };
    boxes.push({
      of: one.rail.port,
      what: "strip",
      x1: begin,
      x2: begin + room,
      y1: ty - 16,
      y2: ty - 1,
    });
  }
  return {
    width: sheet,
    height,
    closeness,
    windowed: false,
    nodes: fittedNodes,
    rails: fittedRails,
    boxes,
  };
}

function shown(node: LaidNode, closeness: Closeness): string {
  if (SILENT[node.kind] === node.shown) return "";
  const room = closeness === "short" || closeness === "folded" ? SHORT_NAME : LONGEST_NAME;
  return cutTo(node.shown, room, NAME, true);
}

function isPort(layout: Layout, at: string): boolean {
  return at.includes(".") && layout.rails.some((r) => r.port === at);
}

export function anchorOf(kind: string): "start" | "middle" | "end" {
  return kind === "output" ? "end" : kind === "source" ? "start" : "middle";
}

/** Outputs are entered left of all their names. */
function entryOf(item: Item, widestOut: number): number {
  return item.node.kind === "output" ? widestOut + ENTRY : ENTRY;
}

function spread(item: Item, offset: number): void {
  if (offset < 0) item.left = Math.max(item.left, 6 - offset);
  else item.right = Math.max(item.right, offset + 6);
}

function stripRoom(rail: LaidRail, flags: Flag[]): number {
  const mine = flags.filter((f) => f.at === rail.port).length * FLAG;
  const text = rail.caption ? textWidth(cutTo(rail.caption, LONGEST_STRIP, SMALL), SMALL) + 12 : 0;
  return text + mine;
}

/** Lanes that an upright passes: all from one to the other but the first. */
function between(first: number, last: number): number[] {
  const way = Math.sign(last - first);
  const found: number[] = [];
  for (let lane = first + way; way && lane !== last + way; lane += way) found.push(lane);
  return found;
}

/** Of each rail that comes in over a corner, the how manieth from its mark: the deepest is nearest. */
function entriesOf(
  rails: LaidRail[],
  shapes: Shape[],
  targetOf: (rail: LaidRail) => string,
  items: Map<string, Item>,
): Map<string, number> {
  const found = new Map<string, number>();
  const turning = rails
    .map((rail, i) => ({ rail, s: shapes[i]! }))
    .filter(({ rail, s }) => rail.back || s.enters !== s.lane1);
  const groups = new Map<string, typeof turning>();
  for (const one of turning) {
    const target = targetOf(one.rail);
    // Outputs stand over each other: what comes in at any of them keeps its own place.
    const key = items.get(target)!.node.kind === "output" ? "outputs" : target;
    groups.set(key, [...(groups.get(key) ?? []), one]);
  }
  const depth = ({ rail, s }: (typeof turning)[number]) =>
    Math.abs(s.enters - s.lane1) + (rail.back ? 0.5 : 0);
  for (const group of groups.values()) {
    const sorted = group.sort((p, q) => depth(q) - depth(p) || q.s.lane1 - p.s.lane1);
    let n = 0;
    const shared = new Map<string, number>();
    for (const { rail, s } of sorted) {
      // Rails that share their lane on the way to one place are one from there on.
      const trunk = `${targetOf(rail)} ${s.enters}`;
      const known = rail.back ? undefined : shared.get(trunk);
      if (known === undefined) shared.set(trunk, n);
      found.set(rail.port, known ?? n++);
    }
  }
  return found;
}

/** A rail without a stage on it, in a lane of its own: its strip stands where it begins. */
function isEarly(s: Shape): boolean {
  return s.leaves !== s.lane0 && s.enters !== s.lane1;
}

interface Shape {
  lane0: number;
  lane1: number;
  /** Lane of its long part, where it has left its start and before it reaches its end. */
  leaves: number;
  enters: number;
}

function shapeOf(rail: LaidRail): Shape {
  const { lanes, xs } = rail;
  const lane0 = lanes[0]!;
  const lane1 = lanes.at(-1)!;
  if (rail.back) return { lane0, lane1, leaves: lanes[1]!, enters: lanes[1]! };
  if (lanes.length === 2) return { lane0, lane1, leaves: lane0, enters: lane1 };
  if (lanes.length === 4) return { lane0, lane1, leaves: lanes[1]!, enters: lanes[2]! };
  // Three points: down at once, or along and then up.
  return xs[0] === xs[1]
    ? { lane0, lane1, leaves: lanes[1]!, enters: lane1 }
    : { lane0, lane1, leaves: lane0, enters: lanes[1]! };
}

function solve(order: Item[], stretch: number, gap: number): Map<string, number> {
  const xs = new Map<string, number>();
  const filled = new Map<number, number>();
  let before = 0;
  let at = LEFT;
  for (const item of order) {
    const natural = at + stretch * PITCH * (item.node.x - before);
    let x = natural;
    const lanes = [{ lane: item.node.lane, left: item.left, right: item.right }, ...item.blocks];
    for (const b of lanes) x = Math.max(x, (filled.get(b.lane) ?? LEFT - gap) + gap + b.left);
    for (const b of lanes) filled.set(b.lane, Math.max(filled.get(b.lane) ?? 0, x + b.right));
    xs.set(item.node.id, x);
    // Things of one column share it where they can.
    at = Math.max(at, x);
    before = item.node.x;
  }
  // Outputs end together.
  const outs = order.filter((item) => item.node.kind === "output");
  const last = Math.max(0, ...outs.map((item) => xs.get(item.node.id)!));
  for (const item of outs) xs.set(item.node.id, last);
  return xs;
}

function right(xs: Map<string, number>, items: Map<string, Item>): number {
  let most = 0;
  for (const [id, item] of items) {
    const x = xs.get(id)!;
    most = Math.max(most, x + item.right, ...item.blocks.map((b) => x + b.right));
  }
  return most + RIGHT - MARK / 2;
}

/** Heights: a lane takes what stands in it, and a track under it for each rail that runs back there. */
function lanesOf(
  layout: Layout,
  items: Map<string, Item>,
  tracks: { rail: LaidRail; below: number }[],
  rails: LaidRail[],
  xs: Map<string, number>,
  uprights: (Upright | null)[][],
  flags: Flag[],
) {
  const count = Math.max(
    1,
    ...layout.nodes.map((n) => n.lane + 1),
    ...rails.map(
      (r) => Math.floor(Math.max(...r.lanes.filter((_, i) => !r.back || i === 0 || i === 3))) + 1,
    ),
  );
  const over = new Array<number>(count).fill(14);
  const under = new Array<number>(count).fill(12);
  for (const item of items.values()) {
    const lane = item.node.lane;
    over[lane] = Math.max(over[lane]!, item.name || item.flags.length || item.above ? OVER : 16);
    under[lane] = Math.max(under[lane]!, item.caption && !item.above ? UNDER : BARE_UNDER);
  }
  for (const rail of rails)
    if (!rail.back && (rail.caption || flags.some((f) => f.at === rail.port))) {
      const s = shapeOf(rail);
      const lane = isEarly(s) ? s.leaves : s.enters;
      over[lane] = Math.max(over[lane]!, flags.some((f) => f.at === rail.port) ? 27 : 20);
    }
  // Rails that run back: each under the lane that it passes below, in a track that is free there.
  const taken: number[][][] = Array.from({ length: count }, () => []);
  const trackOf = new Map<string, [number, number]>();
  for (const t of tracks) {
    const index = rails.indexOf(t.rail);
    const [u, v] = uprights[index]!;
    const [x1, x2] = [xs.get(u!.item)! + u!.offset, xs.get(v!.item)! + v!.offset];
    const [low, high] = [Math.min(x1, x2) - 6, Math.max(x1, x2) + 6];
    const rows = taken[t.below]!;
    let row = rows.findIndex((r) => {
      for (let n = 0; n < r.length; n += 2) if (low < r[n + 1]! && high > r[n]!) return false;
      return true;
    });
    if (row < 0) row = rows.push([]) - 1;
    rows[row]!.push(low, high);
    trackOf.set(t.rail.port, [t.below, row]);
  }
  const ys: number[] = [];
  let at = 6;
  for (let lane = 0; lane < count; lane++) {
    at += over[lane]!;
    ys.push(at);
    at += under[lane]! + taken[lane]!.length * TRACK + BETWEEN;
  }
  return {
    y: (lane: number) => ys[Math.round(lane)] ?? ys.at(-1)!,
    trackY: (port: string) => {
      const [lane, row] = trackOf.get(port)!;
      return ys[lane]! + under[lane]! + 20 + row * TRACK;
    },
    height: at,
  };
}

function tidied(points: [number, number][]): [number, number][] {
  return points.filter((p, i) => {
    const before = points[i - 1];
    return !before || before[0] !== p[0] || before[1] !== p[1];
  });
}
