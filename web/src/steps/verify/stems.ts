/** What A was mixed of, as the person gives it: which clips can be that, and what was found of them. */
import type { Clip, NullTestDetail } from "../../api/client";

export const MOST_STEMS = 8;

/** Clips that can be a stem of A: ready, and neither A nor B. */
export function canBeStems(clips: Clip[], a: string | null, b: string | null): Clip[] {
  return clips.filter((c) => c.status === "done" && c.id !== a && c.id !== b);
}

/** Those of the ticked ones that still can be stems, in the order in which they were ticked. */
export function stillStems(ticked: string[], can: Clip[]): string[] {
  return ticked.filter((id) => can.some((c) => c.id === id));
}

/** "Dry, Reverb: no share of theirs differs"; null where none were given. */
export function stemsLine(test: Pick<NullTestDetail, "stems" | "result">): string | null {
  if (test.stems.length === 0) return null;
  const names = test.stems.map((stem) => stem.name).join(", ");
  const wrong = test.result?.stem_notes ?? [];
  if (wrong.length) return `${names}. ${wrong.join(" ")}`;
  const found = test.result?.causes.some((c) => c.code === "mix_share" || c.words.sort === "apart");
  if (found) return names;
  return test.result?.related ? `${names}: no share of theirs was found to differ` : names;
}
