/** A null while it plays: two inputs, one taken from the other, with trims; nothing of it is played. */

const WINDOW_S = 0.4;
const HISTORY = 300;
/** Delays are looked for up to this, either way. */
const REACH_S = 0.005;
const SILENT_DB = -120;
const CLEARLY = 1.0005;
/** Less is no sound to find trims by. */
const LEAST_POWER = 1e-7;

export interface Trims {
  /** Of B, in dB. */
  gain_db: number;
  /** B is moved earlier by, in samples; may have parts, may be below 0. */
  early: number;
  turned: boolean;
}

export interface Reading {
  a_db: number;
  b_db: number;
  residual_db: number;
  /** Residual against A; below 0 where something cancels. */
  relative_db: number;
}

const decibels = (power: number) => (power > 1e-12 ? 10 * Math.log10(power) : SILENT_DB);

/** x between its samples, by a cubic through four of them. */
export function between(x: Float32Array, at: number): number {
  const k = Math.floor(at);
  const t = at - k;
  const a = x[k - 1] ?? 0;
  const b = x[k] ?? 0;
  const c = x[k + 1] ?? 0;
  const d = x[k + 2] ?? 0;
  return b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
}

export class LiveNull {
  readonly length: number;
  private readonly a: Float32Array;
  private readonly b: Float32Array;
  history: number[] = [];
  best: { relative_db: number; trims: Trims } | null = null;

  constructor(private readonly rate: number) {
    this.length = Math.round((WINDOW_S + 2 * REACH_S) * rate);
    this.a = new Float32Array(this.length);
    this.b = new Float32Array(this.length);
  }

  /** One block of both inputs; a mono input has nothing to compare. */
  push(channels: Float32Array[]): void {
    const [a, b] = channels;
    if (!a || !b) return;
    for (const [line, piece] of [
      [this.a, a],
      [this.b, b],
    ] as const) {
      line.copyWithin(0, piece.length);
      line.set(piece.subarray(Math.max(0, piece.length - this.length)), this.length - piece.length);
    }
  }

  private get edge(): number {
    return Math.ceil(REACH_S * this.rate) + 3;
  }

  read(trims: Trims): Reading {
    const gain = 10 ** (trims.gain_db / 20) * (trims.turned ? -1 : 1);
    let [pa, pb, pr] = [0, 0, 0];
    for (let n = this.edge; n < this.length - this.edge; n++) {
      const a = this.a[n]!;
      const b = gain * between(this.b, n + trims.early);
      pa += a * a;
      pb += b * b;
      pr += (a - b) * (a - b);
    }
    const count = this.length - 2 * this.edge;
    const residual_db = decibels(pr / count);
    const a_db = decibels(pa / count);
    return { a_db, b_db: decibels(pb / count), residual_db, relative_db: residual_db - a_db };
  }

  /** A reading that is kept: its line over time, and the best so far with its trims. */
  look(trims: Trims): Reading {
    const now = this.read(trims);
    if (now.a_db <= -70) return now;
    this.history = [...this.history.slice(1 - HISTORY), now.relative_db];
    if (!this.best || now.relative_db < this.best.relative_db)
      this.best = { relative_db: now.relative_db, trims };
    return now;
  }

  forget(): void {
    this.history = [];
    this.best = null;
  }

  /** Trims that leave least of what was heard last; null where nothing was. */
  found(): Trims | null {
    const reach = Math.ceil(REACH_S * this.rate);
    const first = this.edge;
    const last = this.length - this.edge;
    // Against B's own power at that lag: a tone that swells fits best a period away otherwise.
    const at = (lag: number) => {
      let [shared, power] = [0, 0];
      for (let n = first; n < last; n++) {
        const b = Number.isInteger(lag) ? this.b[n + lag]! : between(this.b, n + lag);
        shared += this.a[n]! * b;
        power += b * b;
      }
      return { shared, power, like: power > 0 ? Math.abs(shared) / Math.sqrt(power) : 0 };
    };
    const count = last - first;
    if (at(0).power / count < LEAST_POWER) return null;
    // What repeats fits at many lags: the shortest that is as good as any.
    let top = 0;
    let most = at(0).like;
    for (let k = 1; k <= reach; k++)
      for (const lag of [k, -k]) {
        const { like } = at(lag);
        if (like > CLEARLY * most) [top, most] = [lag, like];
      }
    // Between the samples: whatever leaves least, by halves.
    let step = 0.5;
    while (step > 0.002) {
      const [before, here, after] = [top - step, top, top + step].map((l) => at(l).like);
      if (before! > here! && before! >= after!) top -= step;
      else if (after! > here!) top += step;
      else step /= 2;
    }
    const { shared: common, power } = at(top);
    if (power / count < LEAST_POWER || common === 0) return null;
    return {
      gain_db: 20 * Math.log10(Math.abs(common) / power),
      early: top,
      turned: common < 0,
    };
  }
}

/** What a reading is worth beside the set-up's own floor. */
export function liveVerdict(relative: number, floor: number | null): string {
  if (floor === null)
    return "Make a control run: the same sound into both inputs says how deep this set-up can go.";
  if (relative <= floor + 3)
    return "As deep as the set-up itself: no difference can be told from it.";
  return `${(relative - floor).toFixed(1)} dB above the set-up's own floor: that much is the device.`;
}
