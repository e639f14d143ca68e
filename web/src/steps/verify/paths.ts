/** What two paths need, in words to be taken elsewhere. */
import type { Schemas } from "../../api/client";
import { num } from "../../ui/format";

type TwoPaths = Schemas["TwoPaths"];

/** The list that is copied: delay, polarity, what it brings. */
export function pathsText(
  found: Pick<TwoPaths, "late_ms" | "late_samples" | "polarity" | "gain_db">,
): string {
  if (found.late_ms === null || found.late_samples === null) return "";
  const earlier = found.late_ms > 0;
  return [
    `Delay ${earlier ? "A" : "B"} by ${num(Math.abs(found.late_ms), 3)} ms (${num(Math.abs(found.late_samples), 2)} samples)`,
    ...(found.polarity < 0 ? ["Turn the polarity of B over"] : []),
    `Together ${num(found.gain_db, 1)} dB louder`,
  ].join("\n");
}
