/** What the playing engine gives to the loudspeakers, by a context that writes down every gain. */
import { afterEach, beforeEach, expect, test } from "vitest";

import { CEILING, Engine, placeAfter, type Voice } from "../src/playing/engine";
import { PLAIN } from "../src/playing/toggles";
import type { Samples, Streamed } from "../src/playing/stream";

class Param {
  value = 1;
  ramps: [number, number][] = [];
  cancelScheduledValues() {}
  setValueAtTime(value: number) {
    this.value = value;
  }
  linearRampToValueAtTime(value: number, at: number) {
    this.ramps.push([value, at]);
    this.value = value;
  }
}
class Gain {
  gain = new Param();
  to: unknown[] = [];
  connect(next: unknown) {
    this.to.push(next);
    return next;
  }
  disconnect() {
    this.to = [];
  }
}
class Delay extends Gain {
  delayTime = new Param();
}
class Source extends Gain {
  buffer: { length: number } | null = null;
  started: number[] = [];
  stopped: number | null = null;
  start(at: number) {
    this.started = [at];
  }
  stop(at: number) {
    this.stopped = at;
  }
}
const RATE = 48_000;
class Context {
  currentTime = 0;
  sampleRate = RATE;
  destination = {};
  gains: Gain[] = [];
  sources: Source[] = [];
  shaper: { curve: Float32Array | null } | null = null;
  createGain() {
    const made = new Gain();
    this.gains.push(made);
    return made;
  }
  delays: Delay[] = [];
  createDelay() {
    const made = new Delay();
    made.delayTime.value = 0;
    this.delays.push(made);
    return made;
  }
  createBufferSource() {
    const made = new Source();
    this.sources.push(made);
    return made;
  }
  createBuffer(channels: number, length: number) {
    const sides = Array.from({ length: channels }, () => new Float32Array(length));
    return {
      length,
      sides,
      copyToChannel: (from: Float32Array, side: number) => sides[side]!.set(from),
    };
  }
  createBiquadFilter() {
    return Object.assign(new Gain(), { type: "", frequency: new Param(), Q: new Param() });
  }
  createChannelSplitter() {
    return new Gain();
  }
  createChannelMerger() {
    return new Gain();
  }
  createAnalyser() {
    return Object.assign(new Gain(), { fftSize: 0, getFloatTimeDomainData: () => undefined });
  }
  createWaveShaper() {
    const made = Object.assign(new Gain(), { curve: null as Float32Array | null });
    this.shaper = made;
    return made;
  }
}

/** A sound whose samples count up from its beginning, in pieces of half a second. */
class Counting implements Streamed {
  readonly rate = RATE;
  readonly piece = RATE / 2;
  late = new Set<number>();
  constructor(
    readonly frames: number,
    readonly stems: number,
  ) {}
  ready(index: number): Samples | undefined {
    if (this.late.has(index)) return undefined;
    const from = index * this.piece;
    const count = Math.max(0, Math.min(this.piece, this.frames - from));
    return Array.from({ length: this.stems }, () => [
      Float32Array.from({ length: count }, (_, i) => from + i),
    ]);
  }
  load(index: number) {
    return Promise.resolve(this.ready(index)!);
  }
}

const voice = (match: number, wet = [false, true], seconds = 4): Voice => ({
  sound: new Counting(seconds * RATE, wet.length),
  gains: [1, 0.5].slice(0, wet.length),
  wet,
  match,
});

let context: Context;
let engine: Engine;
// As the engine makes them: entry, master, the four of the matrix, before and after the clipping;
// then a deck of what plays together, and per voice one whole and its stems.
const master = () => context.gains[1]!.gain;
const matrix = () => context.gains.slice(2, 6).map((g) => g.gain.value);
const FIRST = 9;
const whole = (i: number) => context.gains[FIRST + 3 * i]!.gain.value;
const stems = (i: number) => [1, 2].map((k) => context.gains[FIRST + k + 3 * i]!.gain.value);
/** What a stem gives the loudspeakers over a stretch of frames of the context; NaN where nothing. */
const heardBy = (gain: Gain, from: number, count: number): number[] => {
  const out = Array<number>(count).fill(NaN);
  for (const source of context.sources) {
    if (source.to[0] !== gain) continue;
    const start = Math.round(source.started[0]! * RATE);
    const end = source.stopped === null ? Infinity : Math.round(source.stopped * RATE);
    const { sides } = source.buffer as unknown as { sides: Float32Array[] };
    sides[0]!.forEach((value, i) => {
      const at = start + i;
      if (at < end && at >= from && at < from + count) {
        expect(out[at - from], "two pieces at once").toBeNaN();
        out[at - from] = value;
      }
    });
  }
  return out;
};
const run = (seconds: number, step = 0.2) => {
  for (let t = 0; t < seconds - 1e-9; t += step) {
    context.currentTime += step;
    engine.pump();
  }
};

beforeEach(() => {
  context = new Context();
  engine = new Engine(context as unknown as BaseAudioContext);
  engine.set("a", voice(0.8));
  engine.set("b", voice(0.6));
});
afterEach(() => engine.stop());

test("all voices start at one instant, one of them heard, and it fades in from silence", () => {
  engine.play("a", 1.5, null);
  const first = context.sources.slice(0, 1)[0]!.started[0]!;
  expect(first * RATE).toBeCloseTo(Math.round(first * RATE), 6);
  for (const gain of [1, 2, 4, 5])
    expect(heardBy(context.gains[FIRST + gain]!, Math.round(first * RATE), 1)).toEqual([
      1.5 * RATE,
    ]);
  expect([whole(0), whole(1)]).toEqual([0.8, 0]);
  expect(master().ramps).toEqual([[1, first + 0.4]]);
  expect(stems(0)).toEqual([1, 0.5]);
});

test("pieces follow each other sample by sample, round a loop too", () => {
  engine.play("a", 0.9, { from: 0.3, to: 1.2 });
  const first = Math.round(context.sources[0]!.started[0]! * RATE);
  run(3);
  const count = 3 * RATE;
  const heard = heardBy(context.gains[FIRST + 1]!, first, count);
  const [from, to] = [0.3 * RATE, 1.2 * RATE];
  const want = heard.map((_, i) => placeAfter(0.9 * RATE, i, { from, to }));
  expect(heard).toEqual(want);
  expect(Math.max(...heard)).toBe(to - 1);
});

test("a piece that comes too late is left out, and all go on together", () => {
  const late = new Counting(4 * RATE, 1);
  engine.set("late", { sound: late, gains: [1], wet: [false], match: 1 });
  late.late.add(1);
  engine.play("late", 0, null);
  const first = Math.round(context.sources[0]!.started[0]! * RATE);
  run(0.8);
  expect(engine.waits).toBe(true);
  late.late.clear();
  run(1);
  const gain = context.gains[FIRST + 6 + 1]!;
  const heard = heardBy(gain, first, RATE * 1.2);
  expect(heard[0]).toBe(0);
  expect(heard[Math.round(0.6 * RATE)]).toBeNaN();
  // What sounds sounds where it belongs.
  heard.forEach((v, i) => Number.isNaN(v) || expect(v).toBe(i));
  expect(heard[Math.round(1.15 * RATE)]).toBe(Math.round(1.15 * RATE));
  expect(engine.waits).toBe(false);
});

test("switching fades and stops nothing", () => {
  engine.play("a", 0, null);
  engine.hear("b");
  expect([whole(0), whole(1)]).toEqual([0, 0.6]);
  expect(context.sources.some((s) => s.stopped !== null)).toBe(false);
});

test("no match raises a sound, however it comes in", () => {
  engine.set("c", voice(3));
  engine.setMatch("a", 2);
  engine.play("c", 0, null);
  expect([whole(0), whole(1), whole(2)]).toEqual([0, 0, 1]);
  engine.hear("a");
  expect(whole(0)).toBe(1);
});

test("it clips at -1 dBFS and changes nothing below", () => {
  const curve = [...context.shaper!.curve!];
  // A shaper is straight between its points and flat beyond -1 and 1.
  expect(curve).toEqual([-1, 0, 1]);
  const [before, after] = [context.gains[6]!.gain.value, context.gains[7]!.gain.value];
  expect(before * after).toBeCloseTo(1, 12);
  expect(20 * Math.log10(after)).toBeCloseTo(-1, 9);
  expect(CEILING).toBe(after);
});

test("the difference takes the other voice away at its own match", () => {
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, difference: "b" });
  expect([whole(0), whole(1)]).toEqual([0.8, -0.6]);
});

test("what is pressed before anything plays counts from the first sound on", () => {
  engine.setToggles({ ...PLAIN, difference: "b", mono: true, left: true, solo: 1 });
  engine.play("a", 0, null);
  expect([whole(0), whole(1)]).toEqual([0.8, -0.6]);
  expect(stems(0)).toEqual([0, 0.5]);
  expect(matrix()).toEqual([-0.5, 0.5, -0.5, 0.5]);
});

test("mono, swap and polarity at the loudspeakers: left and right for left and right in", () => {
  engine.play("a", 0, null);
  const heard = (toggles: Partial<typeof PLAIN>, left: number, right: number) => {
    engine.setToggles({ ...PLAIN, ...toggles });
    const [ll, rl, lr, rr] = matrix();
    return [ll! * left + rl! * right, lr! * left + rr! * right].map((v) => v + 0);
  };
  expect(heard({}, 0.3, 0.7)).toEqual([0.3, 0.7]);
  expect(heard({ swap: true }, 0.3, 0.7)).toEqual([0.7, 0.3]);
  expect(heard({ right: true }, 0.3, 0.7)).toEqual([0.3, -0.7]);
  expect(heard({ left: true }, 0.3, 0.7)).toEqual([-0.3, 0.7]);
  expect(heard({ left: true, right: true }, 0.3, 0.7)).toEqual([-0.3, -0.7]);
  // Polarity is that of the side on which it is heard.
  expect(heard({ swap: true, left: true }, 0.3, 0.7)).toEqual([-0.7, 0.3]);
  expect(heard({ mono: true }, 0.3, 0.7)).toEqual([0.5, 0.5]);
  // Polarity of one side, then mono: what both sides share is gone.
  expect(heard({ mono: true, right: true }, 0.5, 0.5)).toEqual([0, 0]);
});

test("exaggeration turns dry down and raises nothing; a sound without wet stays", () => {
  engine.set("dry", voice(1, [false, false]));
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, exaggerate: true });
  expect(stems(0)).toEqual([0.25, 0.5]);
  expect(stems(2)).toEqual([1, 0.5]);
});

test("a source that is muted is gone where it is alone, and stays where others are in it", () => {
  engine.set("a", { ...voice(1), sources: [["g"], ["g", "k"]] });
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, silent: ["g"] });
  expect(stems(0)).toEqual([0, 0.5]);
  engine.setToggles({ ...PLAIN, silent: ["g", "k"] });
  expect(stems(0)).toEqual([0, 0]);
});

test("a stem alone, and others where a voice has fewer", () => {
  engine.set("one", { ...voice(1), sound: new Counting(RATE, 1), wet: [false], gains: [1] });
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, solo: 1 });
  expect(stems(0)).toEqual([0, 0.5]);
  expect(context.gains[FIRST + 3 * 2 + 1]!.gain.value).toBe(1);
});

test("position and laps of a loop, and going on through when it is let go", () => {
  engine.play("a", 3, { from: 1, to: 3.5 });
  const first = context.sources[0]!.started[0]!;
  context.currentTime = first + 0.25;
  expect(engine.position()).toBeCloseTo(3.25, 6);
  context.currentTime = first + 0.75;
  expect(engine.position()).toBeCloseTo(1.25, 6);
  expect(engine.lap()).toBe(2);
  engine.setLoop(null);
  const gain = context.gains[FIRST + 1]!;
  run(1.6);
  expect(engine.position()).toBeCloseTo(2.85, 4);
  // Over the seam and on, nothing is left out and nothing comes twice.
  const from = Math.round((first + 0.75) * RATE);
  const heard = heardBy(gain, from, RATE);
  heard.forEach((v, i) => expect(v).toBe(1.25 * RATE + i));
});

test("a jump fades from where it was to where it goes, and the master stays up", () => {
  engine.play("a", 0, null);
  const deck = context.gains[8]!.gain;
  context.currentTime = 1;
  const before = master().ramps.length;
  const made = context.gains.length;
  engine.play("a", 2.5, null);
  expect(master().ramps.length).toBe(before);
  expect(deck.ramps.at(-1)![0]).toBe(0);
  const next = context.gains[made]!;
  expect(next.gain.ramps[0]![0]).toBe(1);
  expect(next.gain.ramps[0]![1] - deck.ramps.at(-1)![1]).toBeCloseTo(0, 6);
  expect(engine.position()).toBeCloseTo(2.5, 6);
});

test("a new render takes the place of the old one where it stands, and nothing else stops", async () => {
  engine.play("a", 1, null);
  const first = context.sources[0]!.started[0]!;
  context.currentTime = first + 0.5;
  engine.pump();
  const old = context.gains[FIRST + 1]!;
  const made = context.gains.length;
  engine.set("a", { ...voice(0.7), gains: [0.9, 0.4] });
  await new Promise((done) => setTimeout(done, 0));
  const [out, stem] = [context.gains[made]!, context.gains[made + 1]!];
  // The old one fades with its own gains while the new one comes in at its own.
  expect(old.gain.value).toBe(1);
  expect(out.gain.ramps.at(-1)![0]).toBe(0.7);
  expect(stem.gain.value).toBe(0.9);
  const at = Math.round(context.sources.find((s) => s.to[0] === stem)!.started[0]! * RATE);
  const place = 1 * RATE + (at - Math.round(first * RATE));
  expect(heardBy(stem, at, 3)).toEqual([place, place + 1, place + 2]);
  // Those that had ended by then need no stop.
  const going = context.sources.filter(
    (s) => s.to[0] === old && s.started[0]! + s.buffer!.length / RATE > context.currentTime,
  );
  expect(going.length).toBeGreaterThan(0);
  expect(going.every((s) => s.stopped !== null)).toBe(true);
  const other = context.gains[FIRST + 4]!;
  expect(context.sources.some((s) => s.to[0] === other && s.stopped !== null)).toBe(false);
});

test("it ends by itself where nothing loops", () => {
  let ended = 0;
  engine.onEnd = () => ended++;
  engine.play("a", 3.5, null);
  run(0.4);
  expect(ended).toBe(0);
  run(0.4);
  expect(ended).toBe(1);
  expect(engine.isPlaying).toBe(false);
});

test("stop fades out before it stops", () => {
  engine.play("a", 0, null);
  engine.stop();
  expect(master().ramps.at(-1)![0]).toBe(0);
  expect(context.sources.every((s) => s.stopped! > 0.06)).toBe(true);
  expect(engine.isPlaying).toBe(false);
});

test("stems are held back one by one, go the same way out, and a new render of it stays so", async () => {
  engine.play("a", 0, null);
  const [out, first, second] = [0, 1, 2].map((i) => context.gains[FIRST + i]!);
  expect(context.delays).toHaveLength(0);
  engine.setLate("a", [0, 0.003]);
  expect(context.delays).toHaveLength(1);
  expect(context.delays[0]!.delayTime.value).toBeCloseTo(0.003, 9);
  expect(second!.to).toEqual([context.delays[0]]);
  expect(context.delays[0]!.to).toEqual([out]);
  expect(first!.to).toEqual([out]);
  // Back to nothing the way stays as it is; no stem is held back for longer than is searched.
  engine.setLate("a", null);
  expect(context.delays).toHaveLength(1);
  expect(context.delays[0]!.delayTime.value).toBe(0);
  engine.setLate("a", [9, 0]);
  expect(context.delays.at(-1)!.delayTime.value).toBe(0.05);
  engine.setLate("nobody", [1]);
  engine.set("a", { ...voice(0.7), late: [0, 0.002] });
  await new Promise((done) => setTimeout(done, 0));
  expect(context.delays.at(-1)!.delayTime.value).toBeCloseTo(0.002, 9);
});
