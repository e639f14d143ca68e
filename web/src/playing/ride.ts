/** Rides: what is moved while it plays, written as a move against the bars. */
import { type Bar, placeIn } from "./bars";
import { type Movable, withPoints, type WrittenMove } from "./moves";

export interface Touch {
  /** Seconds into the stretch. */
  at: number;
  value: number;
}

/** A line between points may miss what was ridden by so much of the scale. */
const MISS = 0.01;

/** Where on its scale a value lies, 0 to 1: by ratio where the scale goes by ratio. */
const along = (of: Movable, value: number): number =>
  of.log && value > 0 && of.low > 0
    ? Math.log(value / of.low) / Math.log(of.high / of.low)
    : (value - of.low) / (of.high - of.low || 1);

/** Rides apart: what plays in a loop comes back to its beginning. */
export function runsOf(touches: Touch[]): Touch[][] {
  const runs: Touch[][] = [];
  for (const touch of touches) {
    const run = runs.at(-1);
    if (run && touch.at >= run.at(-1)!.at) run.push(touch);
    else runs.push([touch]);
  }
  return runs;
}

/** The fewest touches of one run between which straight lines miss nothing by more than a hundredth. */
export function thinnedRide(touches: Touch[], of: Movable): Touch[] {
  // Of two at one time the last counts.
  const run = touches.filter((t, i) => touches[i + 1] === undefined || touches[i + 1]!.at > t.at);
  if (of.flag) return run.filter((t, i) => i === 0 || t.value !== run[i - 1]!.value);
  const kept = new Set([0, run.length - 1]);
  const halve = (from: number, to: number) => {
    const a = run[from]!;
    const b = run[to]!;
    let worst = MISS;
    let at = -1;
    for (let i = from + 1; i < to; i++) {
      const share = (run[i]!.at - a.at) / (b.at - a.at);
      // Lines of a move are straight in the setting's own unit.
      const line = a.value + share * (b.value - a.value);
      const off = Math.abs(along(of, run[i]!.value) - along(of, line));
      if (off > worst) [worst, at] = [off, i];
    }
    if (at < 0) return;
    kept.add(at);
    halve(from, at);
    halve(at, to);
  };
  if (run.length > 2) halve(0, run.length - 1);
  return run.filter((_, i) => kept.has(i));
}

type Point = WrittenMove["points"][number];
const placeOf = (p: Point) => p.bar * 64 + (p.beat ?? 1);

/**
 * Moves with a ride written into them. What was written before between its beginning and its end is
 * replaced; before and after it all stays.
 */
export function withRide(
  moves: WrittenMove[],
  of: Movable,
  touches: Touch[],
  bars: Bar[],
): WrittenMove[] {
  let points = moves.find((m) => m.part === of.part && m.field === of.field)?.points ?? [];
  for (const run of runsOf(touches)) {
    const fresh = thinnedRide(run, of).flatMap((touch, i): Point[] => {
      const place = placeIn(bars, touch.at);
      const value = of.flag ? touch.value > 0.5 : touch.value;
      // It begins where the hand came to it, and goes on in lines.
      return place ? [{ ...place, value, ramp: i > 0 && !of.flag }] : [];
    });
    if (!fresh.length) continue;
    const [from, to] = [placeOf(fresh[0]!), placeOf(fresh.at(-1)!)];
    points = [...points.filter((p) => placeOf(p) < from || placeOf(p) > to), ...fresh];
  }
  return withPoints(moves, of.part, of.field, points);
}
