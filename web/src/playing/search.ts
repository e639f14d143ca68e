/** A search for the null: which paths of B are moved, how, and what is written of it. */
export interface Search {
  /** The sound whose paths are moved. */
  id: string;
  /** Paths by id. */
  paths: string[];
  db: number;
  inverted: boolean;
  /** By how much they come later (ms); earlier below 0. */
  ms: number;
}

/**
 * Seconds by which each stem of a sound is held back, so that what is moved comes later, or all else
 * does; null where nothing is moved in time.
 */
export function heldBack(
  search: Search | null,
  sound: string,
  stems: { id: string }[],
): number[] | null {
  if (!search || search.ms === 0) return null;
  const early = Math.max(0, -search.ms) / 1e3;
  const mine = (id: string) => search.id === sound && search.paths.includes(id);
  return stems.length ? stems.map((s) => (mine(s.id) ? early + search.ms / 1e3 : early)) : [early];
}

/** What is left at a change of delay, between the places that were worked out. */
export function depthAt(changes_ms: number[], depths_db: number[], ms: number): number | null {
  const next = changes_ms.findIndex((c) => c >= ms - 1e-9);
  if (next < 0 || !depths_db.length) return null;
  if (next === 0) return depths_db[0]!;
  const [a, b] = [changes_ms[next - 1]!, changes_ms[next]!];
  const share = (ms - a) / (b - a);
  return depths_db[next - 1]! + share * (depths_db[next]! - depths_db[next - 1]!);
}

interface Stem {
  id: string;
  name: string;
  level_db?: number | null;
  moves?: boolean;
}

/** All paths as a choice: without the rest, which goes round the place. */
export const WHOLE = "*";

/** Linear gain by which a search changes a stem. */
export const factorOf = (search: Search | null, sound: string, stem: string | undefined): number =>
  search?.id === sound && stem !== undefined && search.paths.includes(stem)
    ? (search.inverted ? -1 : 1) * 10 ** (search.db / 20)
    : 1;

/** Paths that can be moved by themselves, each once, and their names without what source it is of. */
export function pathsIn(stems: Stem[]): { id: string; name: string }[] {
  const found = new Map<string, string>();
  for (const s of stems)
    if (s.id !== "rest" && s.level_db != null && !found.has(s.id))
      found.set(s.id, s.name.split(",")[0]!);
  return [...found].map(([id, name]) => ({ id, name }));
}

/** Which choice a search begins with: what is balanced, the path that moves by itself, the first. */
export function begun(stems: Stem[], balanced: string[]): string {
  const known = pathsIn(stems).map((p) => p.id);
  const one = balanced.filter((id) => known.includes(id));
  const moves = [...new Set(stems.filter((s) => s.moves).map((s) => s.id))].filter((id) =>
    known.includes(id),
  );
  return (one.length === 1 ? one[0] : undefined) ?? moves[0] ?? known[0] ?? "";
}

/** Ids behind a choice. */
export const chosen = (stems: Stem[], choice: string): string[] =>
  choice === WHOLE ? pathsIn(stems).map((p) => p.id) : choice ? [choice] : [];

interface Strip {
  level_db?: number | null;
  delay_ms?: number;
  inverted?: boolean;
}

/** What a strip is set to by a level and a polarity that were found; a sentence where it cannot be. */
export function levelOf(
  strip: Strip,
  db: number,
  inverted: boolean,
): { values: Record<string, number | boolean> } | { said: string } {
  const level = Number(((strip.level_db ?? 0) + db).toFixed(3));
  if (level < -120 || level > 60) return { said: "Its level would leave what can be set." };
  return {
    values: { level_db: level, ...(inverted ? { inverted: !strip.inverted } : {}) },
  };
}

/** The same of a delay. */
export function delayOf(
  strip: Strip,
  ms: number,
): { values: Record<string, number> } | { said: string } {
  const delay = Number(((strip.delay_ms ?? 0) + ms).toFixed(5));
  if (delay < 0) return { said: "It would have to come before it begins: delay the other one." };
  if (delay > 2000) return { said: "A path is delayed by 2000 ms at most." };
  return { values: { delay_ms: delay } };
}
