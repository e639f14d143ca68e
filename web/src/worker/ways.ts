/** How the service worker answers a request: what is kept for when the network is gone, and what never is. */

export type Way =
  /** A view of the application: the network first, else the page as it was kept. */
  | "page"
  /** A file whose name says what is in it: as it was kept. */
  | "file"
  /** What the server last said: the network first, else what it said then. */
  | "answer"
  /** Not for the worker. */
  | "network";

const ID = "[0-9a-f-]{36}";
/** What is needed to open the application, a song, its rigs and a set list: JSON, and small. */
const KEPT = new RegExp(
  "^/api/v1/(?:session|songs|devices|panels|rig-kinds|rig-templates|set-lists|" +
    `set-lists/${ID}(?:/stage)?|` +
    `songs/${ID}(?:/(?:rigs|clips|steps|log|snapshots))?|` +
    `rigs/${ID}/(?:feeds|minis)|` +
    `variants/${ID}(?:/(?:layout|returns|sheet|moves))?)$`,
);

export interface Asked {
  method: string;
  mode: string;
  url: string;
}

export function wayOf(asked: Asked, origin: string): Way {
  const url = new URL(asked.url);
  if (asked.method !== "GET" || url.origin !== origin) return "network";
  const path = url.pathname;
  if (path.startsWith("/static/")) return "file";
  if (path.startsWith("/api/")) {
    // A file that is kept on disk is a view of the browser's, not of the application's.
    const asFile = asked.mode === "navigate" || /[?&]form=(?:md|csv)/.test(url.search);
    return KEPT.test(path) && !asFile ? "answer" : "network";
  }
  return asked.mode === "navigate" && path !== "/healthy" ? "page" : "network";
}

/** Who the answers in a cache are of changes with these: nothing of theirs stays. */
export function leaves(asked: Asked): boolean {
  const path = new URL(asked.url).pathname;
  return asked.method !== "GET" && /^\/api\/v1\/(?:session|accounts|demo|password)$/.test(path);
}

export const FILES = "fonodrome-files-";
export const ANSWERS = "fonodrome-answers-";

/** Caches that no release in use needs: of answers all but this one's, of files all but this one's and the one before. */
export function outdated(names: string[], release: string): string[] {
  const files = names.filter((n) => n.startsWith(FILES) && n !== FILES + release);
  const answers = names.filter((n) => n.startsWith(ANSWERS) && n !== ANSWERS + release);
  return [...files.slice(0, -1), ...answers];
}

/** Of what was said longest ago, as many as are too many. */
export function tooMany<T>(kept: readonly T[], most: number): readonly T[] {
  return kept.slice(0, Math.max(0, kept.length - most));
}
