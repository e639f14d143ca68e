/** A song's log as it is shown: days, places on the rail of time, and what is asked for. */
import type { Schemas } from "../../api/client";
import { dateAndTime, wholeDay } from "../../ui/format";

export type Entry = Schemas["LogEntryOut"];
export type Step = Entry["step"];

export const STEPS: Step[] = ["route", "time", "space", "blend", "listen", "verify", "log"];
export const PAGE = 50;
/** Height of a row on wide screens: the rail beside is drawn to it. */
export const ROW = 52;

/** "Sunday 29 November 2026" where a day begins, going down from the newest; null within a day. */
export function dayOf(entry: Entry, above: Entry | undefined): string | null {
  const day = (e: Entry) => wholeDay(e.created_at);
  const own = day(entry);
  return above && day(above) === own ? null : own;
}

/** "29 Nov 2026, 14:20", and that it was kept without being asked. */
export function whenKept(one: { kind: string; created_at: string }): string {
  const when = dateAndTime(one.created_at);
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

/** What two entries have between them: the time, and the figures where both have one of the same unit. */
export function between(a: Entry, b: Entry): { words: string; figures: string | null } {
  const [first, second] = [a, b].sort(
    (x, y) => Date.parse(x.created_at) - Date.parse(y.created_at),
  );
  const words = `${span(Date.parse(second!.created_at) - Date.parse(first!.created_at))} between them`;
  const [from, to] = [figureOf(first!.number), figureOf(second!.number)];
  if (!from || !to || from.unit !== to.unit) return { words, figures: null };
  const change = to.value - from.value;
  const digits = Math.max(from.digits, to.digits);
  const shown = change.toFixed(digits).replace("-", "−");
  const sign = change > 0 ? "+" : "";
  return {
    words,
    figures: `${first!.number} → ${second!.number}: ${sign}${shown} ${to.unit}`.trim(),
  };
}

interface Figure {
  value: number;
  unit: string;
  digits: number;
}

export function figureOf(text: string): Figure | null {
  const plain = text.replace("−", "-").replace(/[\u202f\u00a0](?=\d{3})/g, "");
  const match = /^([+-]?\d+(?:\.(\d+))?)\s*(\D*)$/.exec(plain);
  return (
    match && { value: Number(match[1]), unit: match[3]!.trim(), digits: match[2]?.length ?? 0 }
  );
}

/** "3 minutes", "2 hours", "4 days". */
export function span(ms: number): string {
  const steps: [number, string][] = [
    [86_400_000, "day"],
    [3_600_000, "hour"],
    [60_000, "minute"],
    [1000, "second"],
  ];
  const [size, word] = steps.find(([s]) => ms >= s) ?? steps.at(-1)!;
  const count = Math.floor(ms / size);
  return `${count} ${word}${count === 1 ? "" : "s"}`;
}

/** Two at most: the oldest choice gives way to a third. */
export function marked(chosen: string[], id: string): string[] {
  if (chosen.includes(id)) return chosen.filter((one) => one !== id);
  return [...chosen, id].slice(-2);
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
