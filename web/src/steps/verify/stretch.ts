/** Which stretch of a null test is heard, in seconds from the start of what was compared. */
import type { NullResult } from "../../api/client";

export const EXCERPT_S = 12;

export interface Stretch {
  from: number;
  length: number;
}

/** From `wanted` on, with at least `least` seconds before the end. */
export function stretch(
  result: Pick<NullResult, "compared_s">,
  wanted: number,
  least: number,
): Stretch {
  return { from: Math.max(0, Math.min(wanted, result.compared_s - least)), length: EXCERPT_S };
}

/** Where only an excerpt was kept of what a step leaves: that excerpt; null where matching makes it. */
export function keptStretch(
  result: Pick<NullResult, "to_set" | "rests">,
  after: number | null,
): Stretch | null {
  const step = after ? result.to_set[after - 1] : undefined;
  const { rests } = result;
  if (!step || !rests || !rests.codes.includes(step.code)) return null;
  return { from: rests.start_s, length: rests.frames / rests.rate_hz };
}

const MATCHED = new Set([
  "channel_swap",
  "offset",
  "channel_offset",
  "polarity",
  "channel_polarity",
  "level",
  "channel_level",
]);

/** Whether what is left after so many steps can be heard: matching makes it, or it was kept. */
export function canBeHeard(result: Pick<NullResult, "to_set" | "rests">, after: number): boolean {
  if (result.to_set.slice(0, after).every((step) => MATCHED.has(step.code))) return true;
  return keptStretch(result, after) !== null;
}
