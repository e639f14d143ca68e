/** A measured figure beside its plan, in words. */
import { num, signed } from "../../../ui/format";
import type { BenchResult } from "./queries";

type Row = BenchResult["compared"][number];

/** The figure as it is shown, without its unit; words stand in place of figures. */
export function rowText(row: Row, value: number | null | undefined, words: string): string {
  if (words) return words;
  return value == null ? "" : num(value, row.digits ?? 2);
}

/** How far plan and measurement are apart; `off` where that is more than the reading may be wrong. */
export function apartOf(row: Row): { text: string; off: boolean } {
  if (row.words && row.planned_words)
    return row.words === row.planned_words
      ? { text: "same", off: false }
      : { text: "differs", off: true };
  if (row.planned == null || row.measured == null) return { text: "", off: false };
  const apart = row.measured - row.planned;
  return {
    text: signed(apart, row.digits ?? 2),
    off: Math.abs(apart) > (row.holds_within ?? 0.5 * 10 ** -(row.digits ?? 2)),
  };
}
