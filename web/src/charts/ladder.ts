/** The rows of "what to set" and where their lines stand, down against A. */
import type { NullResult } from "../api/client";

export interface Rung {
  /** dB down before and after; above A is negative. Null: nothing left. */
  from: number | null;
  to: number | null;
}

/** "As delivered" first, then every correction: each begins where the one before ended. */
export function rungs(result: Pick<NullResult, "raw_null_db" | "to_set">): Rung[] {
  let at = down(result.raw_null_db);
  const rows: Rung[] = [{ from: 0, to: at }];
  for (const step of result.to_set) {
    const to = down(step.leaves_db);
    rows.push({ from: at, to });
    at = to;
  }
  return rows;
}

function down(level: number | null): number | null {
  return level === null ? null : level === 0 ? 0 : -level;
}

/** Left end (for what is above A) and right end of the scale, in whole tens. */
export function ends(rows: Rung[], limit: number | null): [number, number] {
  const known = rows.flatMap((r) => [r.from, r.to]).filter((v): v is number => v !== null);
  const least = Math.min(0, ...known);
  const most = Math.max(40, (limit ?? 0) + 12, ...known.map((v) => v + 14));
  return [least < -0.5 ? Math.floor(least / 10) * 10 : 0, Math.ceil(most / 10) * 10];
}

/** All corrections as lines of text, to be pasted beside the device. */
export function asText(
  result: Pick<NullResult, "to_set">,
  inSteps: (code: string) => string = () => "",
): string {
  return result.to_set
    .map((s, i) => {
      const more = [s.beside, inSteps(s.code)].filter(Boolean).join("; ");
      return `${i + 1}. ${s.words} ${s.value}${more ? ` (${more})` : ""}`;
    })
    .join("\n");
}
