/** The line of an insert frame: which sidings it calls at, and what moving a stop makes of it. */
import type { Schemas } from "../../api/client";
import { besideOf } from "../../rigs/sections";

export type Frame = Schemas["Frame"];
export type Stage = Schemas["Siding"]["stage"];

/** How manieth a siding is called at; 0 for one that stands by. */
export const turnOf = (calls: number[], place: number) => calls.indexOf(place) + 1;

/** The line with a stop at another turn, counted from 1; what stood there moves on. */
export function movedTo(calls: number[], place: number, turn: number): number[] {
  const rest = calls.filter((p) => p !== place);
  const at = Math.min(rest.length, Math.max(0, turn - 1));
  return [...rest.slice(0, at), place, ...rest.slice(at)];
}

/** Earlier or later by one; the same line at its ends. */
export function stepped(calls: number[], place: number, by: -1 | 1): number[] {
  const turn = turnOf(calls, place);
  if (!turn) return by > 0 ? calls : [...calls, place];
  return movedTo(calls, place, turn + by);
}

/** Passed by, or called at last. */
export const toggled = (calls: number[], place: number) =>
  calls.includes(place) ? calls.filter((p) => p !== place) : [...calls, place];

/** What is otherwise in a line than in another: stops that are called at another turn, or not at all. */
export function differing(line: number[], other: number[]): number[] {
  const all = [...new Set([...line, ...other])];
  return all.filter((p) => turnOf(line, p) !== turnOf(other, p));
}

const ORDINALS = ["", "1st", "2nd", "3rd"];
export const ordinal = (n: number) => ORDINALS[n] ?? `${n}th`;

/** The line in words: 'Equaliser, Compressor with 40 % dry beside it, Drive'. */
export function lineWords(frame: Frame, names: (place: number) => string): string {
  const calls = frame.calls ?? [];
  if (!calls.length) return "nothing: what comes in goes straight out";
  return calls
    .map((place, i) => {
      const beside = besideOf(frame, place, i + 1);
      return beside
        ? `${names(place)} with ${100 - (beside.mix_percent ?? 50)} % dry beside it`
        : names(place);
    })
    .join(", ");
}
