/** A song's log as it is shown: days, places on the rail of time, and what is asked for. */
import type { Schemas } from "../../api/client";

export type Entry = Schemas["LogEntryOut"];
export type Step = Entry["step"];

export const STEPS: Step[] = ["route", "time", "space", "blend", "listen", "verify", "log"];
export const PAGE = 50;
/** Height of a row on wide screens: the rail beside is drawn to it. */
export const ROW = 52;

/** "Sunday 29 November 2026" where a day begins, going down from the newest; null within a day. */
export function dayOf(entry: Entry, above: Entry | undefined): string | null {
  const day = (e: Entry) =>
    new Date(e.created_at).toLocaleDateString("en-GB", {
      weekday: "long",
      day: "numeric",
      month: "long",
      year: "numeric",
    });
  const own = day(entry);
  return above && day(above) === own ? null : own;
}

/** "29 Nov 2026, 14:20", and that it was kept without being asked. */
export function whenKept(one: { kind: string; created_at: string }): string {
  const when = new Date(one.created_at).toLocaleString("en-GB", {
    dateStyle: "medium",
    timeStyle: "short",
  });
  return one.kind === "named" ? when : `${when}, kept by itself`;
}

export interface Knot {
  /** Where it stands on the rail of time, and where its row stands, in pixels from the top. */
  at: number;
  row: number;
}

/**
 * The rail of time beside the rows: the newest at the top, the oldest at the bottom, the others by when
 * they were. One entry alone, or several at one moment, stand beside their rows.
 */
export function knots(times: number[], tops: number[]): Knot[] {
  const rows = tops.map((top) => top + ROW / 2);
  const [first, last] = [times[0] ?? 0, times.at(-1) ?? 0];
  const [top, bottom] = [rows[0] ?? 0, rows.at(-1) ?? 0];
  return rows.map((row, i) => ({
    row,
    at: first === last ? row : top + ((first - times[i]!) / (first - last)) * (bottom - top),
  }));
}

/** "12 entries", "3 of 40 entries": what stands here of what was found. */
export function howMany(shown: number, total: number): string {
  const word = total === 1 ? "entry" : "entries";
  return shown < total ? `${shown} of ${total} ${word}` : `${total} ${word}`;
}

/** Steps that have entries, with how many; the one that is asked for stays, even with none. */
export function stepsIn(counts: Record<string, number>, asked: Step | ""): [Step, number][] {
  return STEPS.filter((s) => (counts[s] ?? 0) > 0 || s === asked).map((s) => [s, counts[s] ?? 0]);
}
