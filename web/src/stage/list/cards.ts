/** A set list on stage: what a key means, where a count-in stands, what a tempo that was tapped asks for. */
import type { Schemas } from "../../api/client";

export type OnStage = Schemas["OnStage"];
export type Card = Schemas["Card"];
export type CountIn = Schemas["CountIn"];

/** Of the cards that this release reads; others were kept by another. */
const CARDS = 1;

/** Whether what was kept can be read here. */
export function readable(kept: unknown): kept is OnStage {
  if (typeof kept !== "object" || kept === null) return false;
  const { cards, name } = kept as Partial<OnStage>;
  return (
    typeof name === "string" &&
    Array.isArray(cards) &&
    cards.every((c) => c?.version === CARDS && Array.isArray(c.lines) && Array.isArray(c.programs))
  );
}

// Keys ---------------------------------------------------------------------------------------------
export type Meaning = "next" | "back" | "count" | "tap" | "leave";

export interface Pressed {
  key: string;
  repeat?: boolean;
  ctrlKey?: boolean;
  metaKey?: boolean;
  altKey?: boolean;
}

const BACK = new Set(["ArrowLeft", "ArrowUp", "PageUp", "Backspace", "MediaTrackPrevious"]);
const NOT_MEANT =
  /^(?:Tab|Shift|Control|Alt|AltGraph|Meta|CapsLock|NumLock|ScrollLock|Fn|Dead|Process|Unidentified|F\d+|Audio.*|Volume.*|Home|End|PrintScreen|ContextMenu)$/;

/** Foot switches send whatever key they were made for: all but a few mean the next song. */
export function meaningOf(pressed: Pressed): Meaning | null {
  const { key } = pressed;
  if (pressed.repeat || pressed.ctrlKey || pressed.metaKey || pressed.altKey) return null;
  if (key === "Escape") return "leave";
  if (BACK.has(key)) return "back";
  if (key === "c" || key === "C") return "count";
  if (key === "t" || key === "T") return "tap";
  return NOT_MEANT.test(key) ? null : "next";
}

/** A switch that bounces is one press. */
export const BOUNCE_MS = 250;

/** The place after a step; the list has an end at both sides. */
export const placeAfter = (at: number, by: number, count: number) =>
  Math.min(Math.max(at + by, 0), Math.max(count - 1, 0));

// Count-in -----------------------------------------------------------------------------------------
export interface Counted {
  /** From 1; the last one when it is over. */
  bar: number;
  /** From 1. */
  pulse: number;
  over: boolean;
  /** Whether this pulse lights up: never more than three in a second. */
  lit: boolean;
}

export function countedAt(count: CountIn, sinceMs: number): Counted {
  const all = count.bars * count.pulses;
  const n = Math.floor(sinceMs / count.pulse_ms + 1e-9);
  if (n >= all || all === 0)
    return { bar: count.bars, pulse: count.pulses, over: true, lit: false };
  return {
    bar: Math.floor(n / count.pulses) + 1,
    pulse: (n % count.pulses) + 1,
    over: false,
    lit: count.lit_every > 0 && n % count.lit_every === 0,
  };
}

/** Which pulses of a bar light up, in words. */
export function litWords(count: CountIn): string {
  if (count.lit_every === 0) return "the line moves, nothing lights";
  if (count.lit_every > count.pulses)
    return `lights on 1 of every ${count.lit_every / count.pulses} bars`;
  const lit = Array.from({ length: count.pulses }, (_, i) => i).filter(
    (i) => i % count.lit_every === 0,
  );
  return `lights on ${lit.map((i) => i + 1).join(" and ")}`;
}

// Tempo that was tapped ----------------------------------------------------------------------------
const MOST_TAPS = 8;
const PAUSE_MS = 2500;

/** Taps so far with one more; after a pause they begin anew. */
export function tapped(taps: readonly number[], at: number): number[] {
  const last = taps.at(-1);
  const begins = last === undefined || at - last > PAUSE_MS || at <= last;
  return begins ? [at] : [...taps, at].slice(-MOST_TAPS);
}

/** Beats a minute of taps: the middle of their distances, so that one slip does not count. */
export function tempoOf(taps: readonly number[]): number | null {
  if (taps.length < 3) return null;
  const gaps = taps.slice(1).map((t, i) => t - taps[i]!);
  gaps.sort((a, b) => a - b);
  const half = gaps.length / 2;
  const middle = gaps.length % 2 ? gaps[Math.floor(half)]! : (gaps[half - 1]! + gaps[half]!) / 2;
  return 60_000 / middle;
}

/** What a card's lines are set to at a tempo, to the nearest whole one; null beyond what was computed. */
export function figuresAt(
  card: Card,
  bpm: number,
): { bpm: number; figures: Map<string, string> } | null {
  const near = Math.round(bpm);
  const at = card.tempos.indexOf(near);
  if (at < 0) return null;
  const moved = card.lines.filter((line) => line.by_tempo.length > at);
  return { bpm: near, figures: new Map(moved.map((l) => [l.name, l.by_tempo[at]!])) };
}

/** The figure that says most of a song that is not on yet: its first delay. */
export function ahead(card: Card): string {
  const first = card.lines.find((line) => line.shown && line.unit === "ms");
  return first ? `${first.figure} ms` : "";
}
