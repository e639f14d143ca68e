/** Wet against dry: its steps, its ends, and its words. */
import { num, signed } from "../ui/format";

/** Wet against dry in dB; minus and plus infinity are the ends. */
export type WetDb = number;

export const LOW = -30;
export const HIGH = 12;

/** Share of the measured level that is wet, percent: no device's mix setting. */
export const shareOf = (db: WetDb): number => {
  const ratio = 10 ** (db / 20);
  return ratio === Infinity ? 100 : (100 * ratio) / (1 + ratio);
};

/** What is moved against what, in words: wet against dry where nothing else is said. */
export interface Sides {
  moves: string;
  rest: string;
}
export const WET_DRY: Sides = { moves: "wet", rest: "dry" };

export const wetWords = (db: WetDb, { moves, rest }: Sides = WET_DRY): string =>
  db === -Infinity
    ? `${rest} only`
    : db === Infinity
      ? `${moves} only`
      : `${moves} ${signed(db, 1)} dB, ${num(shareOf(db), 1)} % of the level`;

/** One step further. What is stepped is a measured level: rounded to a grid, the fader that it stands for would
 * be set to a step that nobody took.
 */
export function stepped(value: WetDb, by: number): WetDb {
  if (value === -Infinity) return by > 0 ? LOW : value;
  if (value === Infinity) return by < 0 ? HIGH : value;
  const next = Math.round((value + by) * 1e6) / 1e6;
  return next < LOW ? -Infinity : next > HIGH ? Infinity : next;
}
