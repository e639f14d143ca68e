/** Equal loudness by turning down, and the gains of dry and wet stems; nothing is ever raised. */

/** Which stems a balance moves: those that were chosen, where there are such; else by themselves. */
export function movesOf(stems: { id: string; moves?: boolean }[], chosen: string[]): boolean[] {
  const known = chosen.filter((id) => stems.some((s) => s.id === id));
  return stems.map((s) => (known.length ? known.includes(s.id) : !!s.moves));
}

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
  stem: { id: string; level_db: number | null; owner_db?: number | null } | undefined,
  rails: Record<string, Rail> | undefined,
  nodes?: Record<string, object>,
): number {
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
