/** Arithmetic of playing a test signal. */

/** What is late is still recorded after the signal has ended. */
export const TAIL_S = 1.2;

/** Gain of a level that is at most the signal's own. */
export const gainOf = (db: number) => Math.min(1, 10 ** (db / 20));

/** The halt that is on at a share of the course; nothing before the first. */
export function haltAt<H extends { start_s: number; length_s: number }>(
  halts: readonly H[],
  share: number,
  seconds: number,
): H | undefined {
  const at = share * seconds;
  return halts.find((halt) => at >= halt.start_s && at < halt.start_s + halt.length_s);
}

/** How much of a signal has been played. */
export const shareOf = (now: number, start: number, seconds: number) =>
  Math.max(0, Math.min(1, (now - start) / seconds));
