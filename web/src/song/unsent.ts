/**
 * A song's edits that the server does not have yet, as they are kept in this browser: each tab for itself, so
 * that none writes over another's; what a tab left that is gone is taken up by the next.
 */
import type { SongChanges } from "../api/client";
import { gone, thisTab } from "../ui/tabs";

export interface Pending {
  base: number;
  changes: SongChanges;
  /** What was sent and never answered, by field: it may be stored all the same. */
  tried?: Record<string, unknown[]>;
  at?: number;
}

const PREFIX = "fonodrome.unsent.";
const ASIDE = "fonodrome.set-aside.unsent.";
const keyOf = (song: string, tab: string) => `${PREFIX}${song}.${tab}`;

/** What was stored, if it can be read. */
export function pendingIn(text: string | null): Pending | null {
  try {
    const found: unknown = JSON.parse(text ?? "null");
    if (!found || typeof found !== "object") return null;
    const { base, changes } = found as Record<string, unknown>;
    const sound =
      Number.isInteger(base) && !!changes && typeof changes === "object" && !Array.isArray(changes);
    return sound ? (found as Pending) : null;
  } catch {
    return null;
  }
}

export const keptOf = (song: string): Pending | null =>
  pendingIn(localStorage.getItem(keyOf(song, thisTab)));

/** Whether it could be kept. */
export function keepPending(song: string, pending: Pending | null): boolean {
  try {
    if (pending)
      localStorage.setItem(keyOf(song, thisTab), JSON.stringify({ ...pending, at: Date.now() }));
    else localStorage.removeItem(keyOf(song, thisTab));
    return true;
  } catch {
    return false;
  }
}

/**
 * Several made into one: of a field the later counts, and all are made on the oldest, so that what somebody
 * else changed since then asks.
 */
export function merged(all: Pending[]): Pending | null {
  const [first, ...rest] = [...all].sort((a, b) => (a.at ?? 0) - (b.at ?? 0));
  if (!first) return null;
  return rest.reduce((sum, one) => {
    const tried = { ...sum.tried };
    for (const [field, values] of Object.entries(one.tried ?? {}))
      tried[field] = [...(tried[field] ?? []), ...values];
    return {
      base: Math.min(sum.base, one.base),
      changes: { ...sum.changes, ...one.changes },
      tried,
    };
  }, first);
}

/** What was left of a song by tabs that are gone, taken out of the store, and how much could not be read. */
export async function takeLeft(song: string): Promise<{ left: Pending | null; aside: number }> {
  let aside = 0;
  const found = new Map<string, Pending>();
  for (const key of Object.keys(localStorage)) {
    if (key !== PREFIX + song && !key.startsWith(`${PREFIX}${song}.`)) continue;
    const text = localStorage.getItem(key);
    const pending = pendingIn(text);
    if (pending) found.set(key, pending);
    else {
      aside++;
      localStorage.setItem(ASIDE + key.slice(PREFIX.length), text ?? "");
      localStorage.removeItem(key);
    }
  }
  const tabOf = (key: string) => key.slice(PREFIX.length + song.length + 1);
  const away = await gone(new Map([...found].map(([key, p]) => [tabOf(key), p.at ?? 0])));
  const taken = [...found].filter(([key]) => tabOf(key) === "" || away.has(tabOf(key)));
  taken.forEach(([key]) => localStorage.removeItem(key));
  return { left: merged(taken.map(([, p]) => p)), aside };
}

/** With what is being sent noted, until an answer comes. */
export function trying(pending: Pending): Pending {
  const tried = { ...pending.tried };
  for (const [field, value] of Object.entries(pending.changes)) {
    const before = tried[field] ?? [];
    if (!before.some((one) => within(one, value))) tried[field] = [...before, value].slice(-20);
  }
  return { ...pending, tried };
}

/** Whether all that clashes is what this browser sent itself, and only the answer was lost. */
export function allOwn(
  clashes: { field: string; theirs: unknown }[],
  tried: Record<string, unknown[]> = {},
): boolean {
  return clashes.every(({ field, theirs }) => tried[field]?.some((one) => within(one, theirs)));
}

/** Whether a value says what another does; the server may add what was left to its default. */
function within(value: unknown, other: unknown): boolean {
  if (Array.isArray(value))
    return (
      Array.isArray(other) &&
      value.length === other.length &&
      value.every((one, i) => within(one, other[i]))
    );
  if (value && typeof value === "object")
    return (
      !!other &&
      typeof other === "object" &&
      Object.entries(value).every(([k, v]) => within(v, (other as Record<string, unknown>)[k]))
    );
  return value === other;
}
