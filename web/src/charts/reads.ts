/** Where the readings of a device go over what they do, and which labels have room. */

export interface ReadMark {
  label_ms: number;
  does_ms: number;
  error_ms: number;
}

/** The stretch of true time that is drawn: the readings beside the nearest, the plan and the setting now. */
export function stretchOf(
  marks: ReadMark[],
  wanted: number,
  now: ReadMark | null,
): [number, number] {
  const all = [...marks.map((m) => m.does_ms), wanted, ...(now ? [now.does_ms] : [])];
  const low = Math.min(...all);
  const high = Math.max(...all);
  const air = Math.max((high - low) * 0.06, 1e-3);
  return [low - air, high + air];
}

/** Labels in order of importance, each kept where it lies at least `room` from those kept before. */
export function labelled<T>(items: T[], place: (item: T) => number, room: number): Set<T> {
  const kept: T[] = [];
  for (const item of items)
    if (kept.every((other) => Math.abs(place(other) - place(item)) >= room)) kept.push(item);
  return new Set(kept);
}

/** Digits after the point that a step of a scale needs. */
export const digitsOf = (value: number) => {
  for (let d = 0; d < 4; d++)
    if (Math.abs(value * 10 ** d - Math.round(value * 10 ** d)) < 1e-6) return d;
  return 4;
};

const BESIDE = 8;

/** Where a text stands beside a mark: after it, before it where it would be cut, and whole where neither has room. */
export function besideOf(
  at: number,
  wide: number,
  left: number,
  right: number,
): { x: number; anchor: "start" | "end" } {
  if (at + BESIDE + wide <= right) return { x: at + BESIDE, anchor: "start" };
  if (at - BESIDE - wide >= left) return { x: at - BESIDE, anchor: "end" };
  return { x: Math.max(left, right - wide), anchor: "start" };
}
