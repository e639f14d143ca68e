/** Where a picture's axes begin and end, and what stands at their ticks. */
import type { Schemas } from "../api/client";
import { clock, num, signed } from "../ui/format";

export type Picture = Schemas["Picture"];

/** The least height of each unit, so that a hundredth of a decibel does not fill the sheet. */
const LEAST: Record<Picture["y_unit"], number> = {
  dB: 1,
  dBFS: 10,
  samples: 0.2,
  ms: 0.02,
  s: 0.2,
  "of full scale": 0.2,
  "%": 1,
  gain: 0.2,
};

export interface Domain {
  x: [number, number];
  y: [number, number];
}

/** Room for all that is drawn, with some to spare; never less than the unit's least. */
export function domainOf(picture: Picture): Domain {
  const xs = picture.series.flatMap((s) => s.x);
  const ys = picture.series.flatMap((s) => s.y.filter((v): v is number => v !== null));
  const wide: [number, number] = xs.length ? [Math.min(...xs), Math.max(...xs)] : [0, 1];
  if (wide[0] === wide[1]) wide[1] = wide[0] + 1;
  let [low, high] = ys.length ? [Math.min(...ys), Math.max(...ys)] : [0, 1];
  const short = LEAST[picture.y_unit] - (high - low);
  if (short > 0) [low, high] = [low - short / 2, high + short / 2];
  // A length of time begins at nothing.
  if (picture.y_unit === "s") return { x: wide, y: [0, 1.08 * high] };
  const spare = 0.08 * (high - low);
  return { x: wide, y: [low - spare, high + spare] };
}

/** Dots at the ends of an axis stand beside its edge, in pixels. */
export const insetOf = (picture: Picture): number =>
  picture.series.some((s) => s.look === "points") ? 9 : 0;

/** Of several clouds the first is filled, the others are rings. */
export const hollowOf = (
  names: Pick<Picture["series"][number], "name" | "look">[],
  one: { name: string },
): boolean => names.find((s) => s.look === "points")?.name !== one.name;

const DECADES = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000, 20_000];

/** Ticks of a frequency axis: few enough for the width. */
export function octaveTicks([low, high]: [number, number], width: number): number[] {
  const inside = DECADES.filter((f) => f >= low && f <= high);
  const each = Math.max(1, Math.ceil((inside.length * 46) / Math.max(width, 1)));
  return inside.filter((_, i) => i % each === 0);
}

/** A label of the upright axis: seconds are a length there, and no time of day. */
export const upright = (picture: Picture, value: number) =>
  picture.y_unit === "s" ? num(value, 1) : labelOf(picture.y_unit, value);

export function labelOf(unit: Picture["x_unit"] | Picture["y_unit"], value: number): string {
  if (unit === "s") return clock(value);
  if (unit === "Hz") return value >= 1000 ? `${num(value / 1000, 0)} k` : num(value, 0);
  if (unit === "dB") return signed(value, Number.isInteger(value) ? 0 : 1);
  return num(value, Number.isInteger(value) ? 0 : Math.abs(value) < 0.1 ? 2 : 1);
}
