/** One truth over everything that is saved: the song's own edits and those of its rigs. */
import type { Flow } from "../rigs/outbox";
import type { Saved } from "./useSong";

export interface SavedWords {
  words: string;
  kind: "saved" | "sending" | "waiting" | "refused";
  /** Why, where something is not saved. */
  why: string;
}

/** at: when the song was last saved, as a time of day. */
export function savedWords(song: Saved, rigs: Flow, at: string): SavedWords {
  if (song.state === "refused") return { words: "Not saved", kind: "refused", why: song.sentence };
  if (song.state === "clash")
    return { words: "Not saved", kind: "refused", why: "Changed in another tab." };
  if (rigs.refused) return { words: "Not saved", kind: "refused", why: rigs.refused };
  const waiting = (song.state === "offline" ? song.waiting : 0) + (rigs.offline ? rigs.waiting : 0);
  if (waiting)
    return {
      words: `${waiting} ${waiting === 1 ? "edit waits" : "edits wait"}`,
      kind: "waiting",
      why: "The server cannot be reached; they are kept here and go out by themselves.",
    };
  if (song.state === "saving" || rigs.waiting)
    return { words: "Sending", kind: "sending", why: "" };
  return { words: `Saved ${at}`, kind: "saved", why: "" };
}

/** The later of two times, as one of them may be unknown. */
export function latest(...times: (Date | null)[]): Date | null {
  const known = times.filter((t): t is Date => t !== null);
  return known.length ? new Date(Math.max(...known.map(Number))) : null;
}
