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

export const wetWords = (db: WetDb): string =>
  db === -Infinity
    ? "dry only"
    : db === Infinity
      ? "wet only"
      : `wet ${signed(db, 1)} dB, ${num(shareOf(db), 1)} % of the level`;

export function stepped(value: WetDb, by: number): WetDb {
  if (value === -Infinity) return by > 0 ? LOW : value;
  if (value === Infinity) return by < 0 ? HIGH : value;
  const next = Math.round((value + by) * 100) / 100;
  return next < LOW ? -Infinity : next > HIGH ? Infinity : next;
}
