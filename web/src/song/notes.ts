/** Note values as lengths under the song's tempo. */
import type { Frame } from "../api/client";

const WRITTEN = /^(\d{1,3})\/(\d{1,4})(\.{0,2})([tq]?)$/i;

/** Share of a whole note that a written value is: 1/8. is 3/16, 1/8T 1/12, 1/8Q 1/10; null for others. */
export function wholeOf(text: string): number | null {
  const found = WRITTEN.exec(text.trim());
  if (!found) return null;
  const [, top, bottom, dots, letter] = found;
  if (Number(bottom) === 0) return null;
  const dotted = { "": 1, ".": 1.5, "..": 1.75 }[dots!]!;
  const tuplet = { "": 1, t: 2 / 3, q: 4 / 5 }[letter!.toLowerCase()]!;
  return (Number(top) / Number(bottom)) * dotted * tuplet;
}

/** Milliseconds of a written note value; null where it is none. */
export function noteMs(text: string, frame: Frame): number | null {
  const [value, beat] = [wholeOf(text), wholeOf(frame.beat_unit)];
  if (value === null || !beat) return null;
  return (60_000 / frame.tempo_bpm) * (value / beat);
}
