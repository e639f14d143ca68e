/** What stands where on the paper: the course in small, the numbers on it, and how blocks fall on pages. */
import type { Schemas } from "../api/client";
import { cutTo, drawnWidth } from "../ui/measure";

export type Sheet = Schemas["StageSheet"];
export type Row = Schemas["StageRow"];
type Layout = Sheet["layout"];

/** A4 at 96 dots an inch, and what of it is printed on. */
export const PAPER = { width: 794, height: 1123, margin: 40, top: 30, foot: 34 };
export const ACROSS = PAPER.width - 2 * PAPER.margin;
export const DOWN = PAPER.height - PAPER.top - PAPER.foot;

// The drawing --------------------------------------------------------------------------------------
const LEAST_PITCH = 50;
const MOST_PITCH = 130;
const SIDE = 22;
const HEAD = 26;

export interface Point {
  x: number;
  y: number;
}
export interface Placed {
  id: string;
  kind: string;
  x: number;
  y: number;
  number: number | undefined;
  /** As much of its name as has room; the whole stands in the table. */
  name: string;
  wet: boolean;
  off: boolean;
  box: boolean;
}
export interface Line {
  port: string;
  points: Point[];
  dry: boolean;
  wet: boolean;
}
export interface Square extends Point {
  number: number;
}
export interface Course {
  nodes: Placed[];
  lines: Line[];
  squares: Square[];
  /** Windows of the drawing, one under the other: where each begins. */
  decks: number[];
  deckWidth: number;
  deckHeight: number;
  height: number;
}

export function courseOf(sheet: Pick<Sheet, "layout" | "rows" | "patch">): Course {
  const { layout } = sheet;
  const room = ACROSS - 2 * SIDE;
  const columns = Math.max(1, layout.columns);
  const count = Math.max(1, Math.ceil((columns * LEAST_PITCH) / room));
  const pitch = Math.min(MOST_PITCH, (room * count) / columns);
  const lanes = Math.max(1, layout.lanes);
  // However many lanes there are, a deck is no higher than a page.
  const lane = Math.min(46, Math.max(33, 190 / lanes), (DOWN - 120) / lanes);
  const x = (column: number) => SIDE + column * pitch;
  const y = (at: number) => HEAD + at * lane;
  const deckHeight = HEAD + (Math.max(1, layout.lanes) - 1) * lane + 20;
  const numbers = new Map(sheet.rows.map((r) => [r.id, r]));
  const nodes = namesIn(layout, x).map(({ node, name }) => ({
    id: node.id,
    kind: node.kind,
    x: x(node.x),
    y: y(node.lane),
    number: numbers.get(node.id)?.number,
    name,
    wet: node.wet,
    off: node.off,
    box: numbers.get(node.id)?.box ?? false,
  }));
  const lines = layout.rails.map((rail) => ({
    port: rail.port,
    points: rail.xs.map((value, i) => ({ x: x(value), y: y(rail.lanes[i]!) })),
    dry: rail.dry ?? false,
    wet: rail.wet ?? false,
  }));
  const decks = Array.from({ length: count }, (_, i) => i * room);
  return {
    nodes,
    lines,
    squares: squaresOn(lines, nodes, sheet.patch.cables),
    decks,
    deckWidth: ACROSS,
    deckHeight,
    height: deckHeight * count,
  };
}

/** Names as far as they have room between their neighbours on the same lane. */
function namesIn(layout: Layout, x: (column: number) => number) {
  const nameless = (n: Layout["nodes"][number]) =>
    ["split", "merge"].includes(n.kind) && /^(Split|Merge)$/.test(n.shown);
  return layout.nodes.map((node) => {
    const near = layout.nodes
      .filter((other) => other.id !== node.id && other.lane === node.lane && !nameless(other))
      .map((other) => Math.abs(x(other.x) - x(node.x)));
    const plain = nameless(node);
    // Names of ends begin or end at their mark; the neighbour's is centred on its own.
    const ends = ["source", "output"].includes(node.kind);
    const free = Math.min(150, ...near.map((gap) => (ends ? gap - 30 : gap - 6)));
    return { node, name: plain ? "" : cutTo(node.shown, Math.max(free, 24), 11.5, true) };
  });
}

const HALF = 9;

/** Each cable's number on the longest free stretch of its rail; the mixer's own way out stands at its end. */
function squaresOn(lines: Line[], nodes: Placed[], cables: Sheet["patch"]["cables"]): Square[] {
  const found: Square[] = [];
  for (const cable of cables) {
    const line = lines.find((l) => l.port === cable.port);
    const at = line ? middleOfLongest(line.points, nodes) : endOf(nodes, cable.to_id);
    if (!at) continue;
    let { x } = at;
    // Two never stand on each other.
    while (found.some((s) => Math.abs(s.x - x) < 2 * HALF && Math.abs(s.y - at.y) < 2 * HALF))
      x += 2 * HALF + 1;
    found.push({ number: cable.number, x, y: at.y });
  }
  return found;
}

function middleOfLongest(points: Point[], nodes: Placed[]): Point | undefined {
  let best: { at: Point; long: number } | undefined;
  for (let i = 1; i < points.length; i += 1) {
    const [a, b] = [points[i - 1]!, points[i]!];
    if (a.y === b.y) {
      const [low, high] = [Math.min(a.x, b.x), Math.max(a.x, b.x)];
      // Marks that stand on this stretch cut it in pieces.
      const cuts = nodes
        .filter((n) => n.y === a.y && n.x >= low - 12 && n.x <= high + 12)
        .map((n) => n.x)
        .sort((p, q) => p - q);
      const edges = [low, ...cuts, high];
      for (let k = 1; k < edges.length; k += 1) {
        const from = edges[k - 1]! + (cuts.includes(edges[k - 1]!) ? 12 : 0);
        const to = edges[k]! - (cuts.includes(edges[k]!) ? 12 : 0);
        if (!best || to - from > best.long + 0.01)
          best = { at: { x: (from + to) / 2, y: a.y }, long: to - from };
      }
    } else {
      const long = Math.abs(a.y - b.y) - 24;
      if (!best || long > best.long + 20) best = { at: { x: a.x, y: (a.y + b.y) / 2 }, long };
    }
  }
  return best?.at;
}

function endOf(nodes: Placed[], id: string): Point | undefined {
  const end = nodes.find((n) => n.id === id);
  return end && { x: end.x - 22, y: end.y };
}

// Text ---------------------------------------------------------------------------------------------
/** Lines that a text takes in a column; a word that is wider than it is broken. */
export function linesIn(text: string, room: number, size: number, bold = false): number {
  let lines = 1;
  let at = 0;
  // A hair is held back: what just fits is broken by some printers.
  const own = (part: string) => drawnWidth(part, size, bold) * 1.005;
  const blank = own(" ");
  for (const word of text.split(/\s+/).filter(Boolean)) {
    const wide = own(word);
    if (at > 0 && at + blank + wide > room) {
      lines += 1;
      at = 0;
    }
    if (wide > room) {
      // Broken where the next letter would go beyond; letters side by side are not their sum.
      let piece = "";
      for (const letter of word) {
        if (piece && own(piece + letter) > room) {
          lines += 1;
          piece = "";
        }
        piece += letter;
      }
      at = own(piece);
    } else at += (at > 0 ? blank : 0) + wide;
  }
  return lines;
}

/** Plugs with a letter each, in the order in which they are met, and what the letters mean. */
export function plugsOf(cables: { plug: string }[]) {
  const all = [...new Set(cables.map((c) => c.plug))];
  const name = (at: number) =>
    String.fromCharCode(97 + (at % 26)) + (at >= 26 ? `${Math.floor(at / 26)}` : "");
  return {
    letter: (plug: string) => name(all.indexOf(plug)),
    words: all.map((plug, at) => `${name(at)}: ${plug}`).join("; "),
  };
}

// Blocks -------------------------------------------------------------------------------------------
export const BESIDE_SCENES = { rows: 14, scenes: 5 };
export const COLUMN = (ACROSS - 26) / 2;
export const SIZES = { number: 31, name: 108, scene: 62, line: 15, small: 13.5 };

export interface TableRow {
  number: string;
  name: string;
  box: boolean;
  wet: boolean;
  said: string;
  beside: string;
  scenes: Row["scenes"];
}

/** The rows of "Set to": stages, and what stands at the sidings of a frame under it. */
export function tableOf(sheet: Sheet): TableRow[] {
  return sheet.rows.flatMap((row) => [
    {
      number: `${row.number}`,
      name: row.name,
      box: row.box,
      wet: row.wet,
      said: (row.on ? "" : "off; ") + (row.said || "nothing to set"),
      beside: row.settings
        .filter((s) => s.beside)
        .map((s) => `${s.label} ${s.beside}`)
        .join("; "),
      scenes: row.scenes,
    },
    ...row.inner.map((one) => ({
      number: `${row.number}.${one.place}`,
      name: one.name,
      box: false,
      wet: row.wet,
      said: one.said + (one.called ? "" : " (passed by)"),
      beside: "",
      scenes: [],
    })),
  ]);
}

/** Whether scenes share the rows of the settings; else they have a table of their own. */
export const scenesBeside = (sheet: Sheet): boolean =>
  sheet.scenes.length <= BESIDE_SCENES.scenes && tableOf(sheet).length <= BESIDE_SCENES.rows;

/** How close things stand: closer where that saves a page. */
export interface Density {
  pad: number;
  row: number;
  title: number;
  gap: number;
  /** Lines to write on by hand, with what is said among the notes. */
  lines: number;
}
export const DENSITIES: Density[] = [
  { pad: 7, row: 17, title: 24, gap: 8, lines: 4 },
  { pad: 4, row: 16, title: 21, gap: 5, lines: 2 },
  { pad: 2, row: 15, title: 20, gap: 3, lines: 0 },
];

/** The most open of the densities with the fewest pages. */
export function fewest<T extends { pages: unknown[] }>(build: (density: Density) => T): T {
  let best = build(DENSITIES[0]!);
  for (const density of DENSITIES.slice(1)) {
    if (best.pages.length === 1) break;
    const other = build(density);
    if (other.pages.length < best.pages.length) best = other;
  }
  return best;
}

export function rowHeight(row: TableRow, scenes: number, pad = DENSITIES[0]!.pad): number {
  const room = ACROSS - SIZES.number - SIZES.name - SIZES.scene * scenes - 10;
  const said = linesIn(row.said, room, 12.5, true) * SIZES.line;
  const beside = row.beside ? linesIn(row.beside, room, 11) * SIZES.small : 0;
  const name = linesIn(row.name, SIZES.name - 6, 12.5, true) * SIZES.line;
  return Math.max(said + beside + pad, name + pad, 19.5);
}

/** What a scene does with a stage, on paper. */
export function cellWords(cell: Row["scenes"][number]): string {
  if (!cell.on) return "off";
  return cell.values.join(", ");
}

export interface Block {
  key: string;
  /** Over its rows, and again over what of them is on another page. */
  head: number;
  rows: number[];
  foot?: number;
}
export interface Piece {
  key: string;
  from: number;
  to: number;
}
export interface Page {
  full: Piece[];
  left: Piece[];
  right: Piece[];
}

/** Blocks across the page first, then two columns beside each other; what has no room goes on behind. */
export function pagesOf(full: Block[], left: Block[], right: Block[], down = DOWN): Page[] {
  const pages: Page[] = [];
  const page = (n: number) => (pages[n] ??= { full: [], left: [], right: [] });
  const used: number[] = [];
  const end = pour(full, [0], down, (n, piece) => page(n).full.push(piece), used);
  for (const [side, blocks] of [
    ["left", left],
    ["right", right],
  ] as const) {
    const own = [...used];
    pour(blocks, [end], down, (n, piece) => page(n)[side].push(piece), own);
  }
  return pages.length ? Array.from(pages, (_, n) => page(n)) : [page(0)];
}

function pour(
  blocks: Block[],
  [start]: [number],
  down: number,
  put: (page: number, piece: Piece) => void,
  used: number[],
): number {
  let at = start;
  for (const { key, head, rows, foot = 0 } of blocks) {
    for (let from = 0, whole = false; !whole;) {
      const free = down - (used[at] ?? 0) - head - foot;
      let [sum, to] = [0, from];
      while (to < rows.length && sum + rows[to]! <= free) sum += rows[to++]!;
      whole = to === rows.length && free >= 0;
      const few = to - from < Math.min(3, rows.length - from);
      if (!whole && (few || free < 0) && (used[at] ?? 0) > 0) {
        at += 1;
        continue;
      }
      // On an empty page something is put, however high it is.
      if (to === from && rows.length) sum += rows[to++]!;
      whole = to === rows.length;
      put(at, { key, from, to });
      used[at] = (used[at] ?? 0) + head + sum + foot;
      from = to;
      if (!whole) at += 1;
    }
  }
  return at;
}

// Setting up -----------------------------------------------------------------------------------------
export interface Stop {
  key: string;
  sort: "cable" | "stage";
  number: string;
  name: string;
  /** What to do, as a whole: once it is another, it is to be done again. */
  content: string;
}

/** In the order of work: what is plugged first, then what is set. */
export function stopsOf(sheet: Sheet): Stop[] {
  const cables = sheet.patch.cables.map((c) => ({
    key: `cable ${c.port || c.target}`,
    sort: "cable" as const,
    number: `${c.number}`,
    name: `${end(c.from_number, c.source)} to ${end(c.to_number, c.target)}`,
    content: [
      c.source,
      c.from_jack,
      c.target,
      c.to_jack,
      c.plug,
      c.carries,
      c.length_m,
      c.adaptor,
    ].join("|"),
  }));
  const stages = sheet.rows.map((r) => ({
    key: `stage ${r.id}`,
    sort: "stage" as const,
    number: `${r.number}`,
    name: r.name,
    content: [r.on, r.said, ...r.inner.map((one) => one.said)].join("|"),
  }));
  return [...cables, ...stages];
}

export const end = (number: number | null | undefined, name: string): string =>
  number === null || number === undefined ? name : `${number} ${name}`;

export type Done = Record<string, string>;

export type State = "done" | "changed" | "open";
export function stateOf(stop: Stop, done: Done): State {
  const was = done[stop.key];
  return was === undefined ? "open" : was === stop.content ? "done" : "changed";
}

/** The next that is not done, from a place on and round; -1 once all are. */
export function nextOpen(stops: Stop[], done: Done, from: number): number {
  for (let n = 1; n <= stops.length; n += 1) {
    const at = (from + n) % stops.length;
    if (stateOf(stops[at]!, done) !== "done") return at;
  }
  return -1;
}

/** "4 set, next: 6 Send to reverb". */
export function progressWords(stops: Stop[], done: Done, at: number): string {
  const count = stops.filter((s) => stateOf(s, done) === "done").length;
  if (count === stops.length) return `All ${count} done.`;
  const next = nextOpen(stops, done, at);
  const stop = stops[next]!;
  return `${count} of ${stops.length} done, next: ${stop.sort} ${stop.number} ${stop.name}`;
}

/** The one setting in large type: the first that is a figure, else the first. */
export function largest(row: Row): Row["settings"][number] | undefined {
  return row.settings.find((s) => s.value !== null) ?? row.settings[0];
}

/** A setting as it is read from afar: the figure, and the note value or name that it stands for. */
export function afar(shown: string): { figure: string; of: string } {
  const match = /^(\S.*) (\d[\d\u202f.]* ms)$/.exec(shown);
  return match ? { figure: match[2]!, of: match[1]! } : { figure: shown, of: "" };
}
