/** Equal loudness by turning down, and the gains of dry and wet stems; nothing is ever raised. */

interface Stem {
  id: string;
  moves?: boolean;
  passes?: { id: string }[];
}

/** Inputs that a stem takes, one at each place that is balanced. */
export const portsOf = (stem: Stem): string[] =>
  stem.passes?.length ? stem.passes.map((p) => p.id) : [stem.id];

/** Which stems a balance moves: those that were chosen, where there are such; else by themselves. */
export function movesOf(stems: Stem[], chosen: string[]): boolean[] {
  const known = chosen.filter((id) => stems.some((s) => portsOf(s).includes(id)));
  return stems.map((s) =>
    known.length ? portsOf(s).some((port) => known.includes(port)) : !!s.moves,
  );
}

/** What a second fader, on inputs of another place, does to a stem (linear). */
export const secondGain = (stem: Stem | undefined, moving: string[], db: number): number =>
  stem && portsOf(stem).some((port) => moving.includes(port)) ? 10 ** (db / 20) : 1;

/** Linear gains of stems with those that move moved by so many dB; the ends leave one side alone. */
export function stemGains(moves: boolean[], shift_db: number): number[] {
  if (!moves.length) return [1];
  return moves.map((one) => {
    if (shift_db === -Infinity) return one ? 0 : 1;
    if (shift_db === Infinity) return one ? 1 : 0;
    return one ? 10 ** (shift_db / 20) : 1;
  });
}

/** The least of the levels that are known; null where none is. */
export function quietestOf(levels: (number | null)[]): number | null {
  const known = levels.filter((l): l is number => l !== null);
  return known.length ? Math.min(...known) : null;
}

/** dB by which a sound is turned down to the quietest; never above 0, and 0 where one is unknown. */
export const downTo = (quietest: number | null, own: number | null): number =>
  quietest !== null && own !== null ? Math.min(0, quietest - own) : 0;

interface Rail {
  strip?: { level_db?: number; muted?: boolean };
}

/** What a level or mute that was changed since a render does to a stem of it (linear). */
export function changedSince(
  stem: Rendered | undefined,
  rails: Record<string, Rail> | undefined,
  nodes?: Record<string, object>,
): number {
  if (stem?.passes?.length)
    return stem.passes.reduce((gain, one) => gain * changedSince(one, rails, nodes), 1);
  const strip = stem && stem.level_db !== null ? rails?.[stem.id]?.strip : undefined;
  if (!stem || !strip) return 1;
  // The fader or return that it leaves alone: it stands before the strip, and all of it goes there.
  const owner =
    stem.owner_db == null
      ? undefined
      : (nodes?.[stem.id.replace(/\.\d+$/, "")] as Gain | undefined);
  if (strip.muted || owner?.muted) return 0;
  // Switched off it is another way: that is rendered.
  if (owner?.bypassed) return 1;
  const own = owner ? (owner.level_db ?? 0) - stem.owner_db! : 0;
  const by = (strip.level_db ?? 0) - stem.level_db! + own;
  return Math.abs(by) < 1e-9 ? 1 : 10 ** (by / 20);
}

/** A stem as it was rendered: what its strip and the fader before it were set to. */
interface Rendered {
  id: string;
  level_db: number | null;
  owner_db?: number | null;
  passes?: Rendered[];
}

interface Gain {
  level_db?: number;
  muted?: boolean;
  bypassed?: boolean;
}

/** Whether a query was of a variant: the second part of its key. */
export const sameVariant = (key: readonly unknown[] | undefined, variant: string | undefined) =>
  variant !== undefined && key?.[1] === variant;

/** A value on the nearest step of a control. */
export const trimmed = (value: number, step: number): number =>
  step > 0 ? Number((Math.round(value / step) * step).toFixed(6)) : value;

interface Place {
  id: string;
  name?: string;
  stems: { id: string; name?: string; moves?: boolean }[];
}

/** What a place is called; of several with one name what moves at each tells them apart. */
export function placeWords(place: Place, all: Place[]): string {
  const name = place.name ?? "";
  if (all.filter((p) => p.name === name).length < 2) return name;
  const moves = place.stems.filter((s) => s.moves).map((s) => s.name);
  return `${name} of ${moves.join(" and ")}`;
}

/** Which inputs a second fader moves: those that move by themselves at its place, once it is rendered. */
export function movingAt(
  places: Place[] | undefined,
  second: string,
  rendered: string | null | undefined,
): string[] {
  if (!second || !rendered?.split("+").slice(1).includes(second)) return [];
  const at = places?.find((p) => p.id === second);
  return (at?.stems ?? []).filter((s) => s.moves).map((s) => s.id);
}
