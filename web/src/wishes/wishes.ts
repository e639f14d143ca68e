/** Wishes as they are shown and made: a scale round the bound, a form's parts, what a proposal says. */
import type { Schemas, Variant } from "../api/client";
import { num, signed } from "../ui/format";

export type Wish = Schemas["Wish"];
export type WishOut = Schemas["WishOut"];
export type WishKind = Schemas["WishKindOut"];
export type Free = Schemas["FreeOut"];
export type Proposals = Schemas["ProposalsOut"];
export type Proposal = Schemas["ProposalOut"];
export type Trade = Schemas["TradeOut"];

/** A wish as somebody writes it down: all texts, until it can be sent. */
export interface Draft {
  kind: Wish["kind"];
  must: boolean;
  bound: NonNullable<Wish["bound"]>;
  value: string;
  within: string;
  parts: string[];
  against: string;
  /** "", "phrases" or "gaps". */
  during: string;
  /** Letter of another variant. */
  variant: string;
  when: string;
  low: string;
  high: string;
}

/** What a new wish of a kind begins with; parts are those that it can be of. */
export function begun(kind: WishKind, parts: string[]): Draft {
  const takes = (slot: WishKind["takes"][number]) => kind.takes.includes(slot);
  return {
    kind: kind.kind,
    must: true,
    bound: kind.bound,
    value: String(kind.usual),
    within: "",
    parts: takes("part") ? parts.slice(0, 1) : [],
    against: "",
    during: "",
    variant: "",
    when: takes("when") || takes("note") ? (takes("note") ? "1/64" : "1/1") : "",
    low: "",
    high: "",
  };
}

const number = (text: string): number | null => {
  const plain = text.trim().replace("−", "-").replace(",", ".");
  if (plain === "" || Number.isNaN(Number(plain))) return null;
  return Number(plain);
};

/** The wish that a draft means, or a sentence that says what is missing. */
export function meant(draft: Draft, kind: WishKind): Wish | string {
  const takes = (slot: WishKind["takes"][number]) => kind.takes.includes(slot);
  const value = number(draft.value);
  if (value === null) return `“${draft.value}” is no number: say how many ${kind.unit}.`;
  if (value < kind.low || value > kind.high)
    return `A wish for ${kind.words} lies between ${kind.low} and ${kind.high} ${kind.unit}.`;
  const within = draft.bound === "about" && draft.within.trim() ? number(draft.within) : null;
  if (draft.bound === "about" && draft.within.trim() && !(within! > 0))
    return `“${draft.within}” is no distance: say how many ${kind.unit} off it may be.`;
  const [low, high] = [draft.low, draft.high].map((t) => (t.trim() ? number(t) : undefined));
  if (takes("band") && (low === null || high === null)) return "A band is two numbers, in Hz.";
  if (takes("part") && draft.parts.length !== 1) return "Choose what it is of.";
  if (takes("variant") && !draft.variant) return "Choose another variant to hold it against.";
  if ((takes("when") || takes("note")) && !draft.when.trim()) return "Say when: 1/1, or 500 ms.";
  return {
    kind: draft.kind,
    must: draft.must,
    bound: draft.bound,
    value,
    within,
    parts: takes("part") || takes("parts") || takes("reverb") ? draft.parts : [],
    against: takes("against") && draft.against ? draft.against : null,
    during: takes("during") && draft.during ? (draft.during as "phrases" | "gaps") : null,
    variant: takes("variant") ? draft.variant : null,
    output: null,
    when: takes("when") || takes("note") ? draft.when.trim() : "",
    low_hz: takes("band") ? (low ?? null) : null,
    high_hz: takes("band") ? (high ?? null) : null,
  };
}

const JOINS = ["split", "merge"];
const FIRST = ["reverb", "delay"];

/** Parts that a wish of a kind can be of, with their names told apart, in the order of the course. */
export function partsFor(kind: WishKind, variant: Variant): [string, string][] {
  const nodes = (variant.document.nodes ?? {}) as Record<string, { kind: string }>;
  const names = new Map(variant.view.layout.nodes.map((n) => [n.id, n.shown]));
  const fits = (id: string) => {
    const sort = nodes[id]!.kind;
    if (kind.of.length) return kind.of.includes(sort);
    if (kind.takes.includes("reverb")) return sort === "reverb" || sort === "convolution";
    // What only parts and joins is a place, and no way of its own.
    if (kind.takes.includes("output") && (sort === "output" || JOINS.includes(sort))) return false;
    return sort !== "source";
  };
  const ids = variant.view.layout.reading.filter((id) => nodes[id] && fits(id));
  const seen = new Map<string, number>();
  return ids.map((id) => {
    const name = names.get(id) ?? id;
    const count = (seen.get(name) ?? 0) + 1;
    seen.set(name, count);
    return [id, count > 1 ? `${name} (${count})` : name];
  });
}

/** What a new wish is likely to be of: the first reverb or delay, else the first part. */
export function likely(parts: [string, string][], variant: Variant): string[] {
  const nodes = (variant.document.nodes ?? {}) as Record<string, { kind: string }>;
  const one = parts.find(([id]) => FIRST.includes(nodes[id]!.kind)) ?? parts[0];
  return one ? [one[0]] : [];
}

/** Those that do not hold, in a few words each. */
export function missing(wishes: WishOut[]): string[] {
  return wishes
    .filter((one) => one.holds !== true)
    .map((one) => `${one.title}: ${shownFigure(one)}`);
}

/** A title within a sentence: names in it keep their letters. */
export const within = (title: string) => title.charAt(0).toLowerCase() + title.slice(1);

/** What may move, by its key, and how far, as it is typed; empty: as far as it goes. */
export type Chosen = Record<string, { low: string; high: string }>;

/** What is free unless somebody says otherwise. */
export const usual = (all: Free[]): Chosen =>
  Object.fromEntries(all.filter((f) => f.usual).map((f) => [f.key, { low: "", high: "" }]));

/** What is asked of the server, or a sentence about a range that is none. */
export function askedOf(
  chosen: Chosen | null,
  all: Free[],
): Schemas["FreeAsked"][] | null | string {
  if (chosen === null) return null;
  const asked: Schemas["FreeAsked"][] = [];
  for (const [key, ends] of Object.entries(chosen)) {
    const of = all.find((f) => f.key === key);
    // One that went with its part is free no more.
    if (!of) continue;
    const [low, high] = [ends.low, ends.high].map((t) => (t.trim() ? number(t) : undefined));
    if (low === null || high === null)
      return `${of.label}: “${low === null ? ends.low : ends.high}” is no number.`;
    if (low !== undefined && high !== undefined && low > high)
      return `${of.label}: the range ends below where it begins.`;
    asked.push({ key, low: low ?? null, high: high ?? null });
  }
  return asked;
}

/** Ends of the scale that shows a figure against its bound: both, the way between and some room. */
export function scaleOf(wish: Wish, figure: number | null): [number, number] {
  const near = wish.bound === "about" ? (wish.within ?? 0.5) : 0;
  const values = [wish.value - near, wish.value + near, ...(figure === null ? [] : [figure])];
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = Math.max((high - low) * 0.35, Math.abs(wish.value) * 0.08, 0.5);
  return [low - room, high + room];
}

/** The stretch of a scale in which a wish holds. */
export function heldOn(wish: Wish, [low, high]: [number, number]): [number, number] {
  const near = wish.within ?? 0.5;
  if (wish.bound === "under") return [low, Math.min(high, wish.value)];
  if (wish.bound === "over") return [Math.max(low, wish.value), high];
  return [Math.max(low, wish.value - near), Math.min(high, wish.value + near)];
}

/** "−21.4 dB", "0.50 ms": a figure as it stands beside its scale. */
export function shownFigure(one: Pick<WishOut, "figure" | "unit" | "wish">): string {
  if (one.figure === null) return "no figure";
  return figureIn(one, one.figure);
}

const SIZES = ["comb", "mono_loss", "reduction", "ducking"];

/** A figure of a wish with its unit. */
export function figureIn(one: Pick<WishOut, "unit" | "wish">, figure: number): string {
  if (one.unit === ":1") return `${num(figure, 1)}:1`;
  const signs = one.unit === "dB" && !SIZES.includes(one.wish.kind);
  const digits = one.unit === "ms" && Math.abs(figure) < 100 ? 2 : one.unit === "ms" ? 0 : 1;
  return `${signs ? signed(figure, digits) : num(figure, digits)} ${one.unit}`;
}

/** "3 of 4 hold": the wishes of a proposal against those that stood before. */
export function gained(before: WishOut[], after: WishOut[]): { title: string; said: string }[] {
  return after.map((one, n) => {
    const was = before[n]!;
    const change = was.holds === one.holds ? "" : one.holds ? ", holds now" : ", no longer holds";
    const heard = one.heard == null ? "" : `; ${figureIn(one, one.heard)} in its render`;
    return { title: one.title, said: `${shownFigure(was)} → ${shownFigure(one)}${change}${heard}` };
  });
}

/** Two wishes between which a trade is worth drawing: of those that contradict each other, or miss. */
export function tradeBetween(out: Proposals): [number, number] | null {
  if (out.contradiction.length >= 2) return [out.contradiction[0]!, out.contradiction[1]!];
  const best = out.proposals[0];
  if (!best) return null;
  const missed = best.wishes.findIndex((w) => w.holds === false);
  const held = best.wishes.findIndex((w, i) => w.holds && i !== missed);
  return missed >= 0 && held >= 0 ? [missed, held] : null;
}

export type WishSearch = Schemas["WishSearch"];

/** What a search is at, in a few words. */
export function atWork(search: WishSearch): string {
  if (search.status === "queued") return "Waiting for its turn";
  const best = search.best ? ` ${search.best.sentence}` : "";
  return `${search.stage || "Beginning"}.${search.proposals ? "" : best}`;
}

/** How a way stands in sound: what it is called, and whether that is good. */
export function standing(one: Proposal, looking: boolean): ["passed" | "caution" | "note", string] {
  if (one.checked === true) return ["passed", one.checked_said];
  if (one.checked === false) return ["caution", one.checked_said];
  if (one.checked_said) return ["note", one.checked_said];
  return ["note", looking ? "In the plan; being rendered." : "In the plan; not rendered."];
}

/** Revisions of the other variants that a wish is held against; none where none is. */
export function othersOf(
  variant: Pick<Variant, "id" | "document">,
  all: { id: string; letter: string; revision: number }[],
): string {
  const wanted = new Set((variant.document.wishes ?? []).map((w) => w.variant).filter(Boolean));
  return all
    .filter((v) => v.id !== variant.id && wanted.has(v.letter))
    .map((v) => `${v.letter}${v.revision}`)
    .join(" ");
}
