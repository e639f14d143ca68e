/** What the playing engine gives to the loudspeakers, by a context that writes down every gain. */
import { beforeEach, expect, test } from "vitest";

import { Engine, PLAIN, type Voice } from "../src/steps/listen/engine";

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
  disconnect() {}
}
class Source extends Gain {
  buffer: { duration: number } | null = null;
  loop = false;
  loopStart = 0;
  loopEnd = 0;
  onended: (() => void) | null = null;
  started: number[] = [];
  stopped = false;
  start(at: number, offset: number) {
    this.started = [at, offset];
  }
  stop() {
    this.stopped = true;
  }
}
class Context {
  currentTime = 0;
  destination = {};
  gains: Gain[] = [];
  sources: Source[] = [];
  shaper: { curve: Float32Array | null } | null = null;
  createGain() {
    const made = new Gain();
    this.gains.push(made);
    return made;
  }
  createBufferSource() {
    const made = new Source();
    this.sources.push(made);
    return made;
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

const voice = (match: number, wet = [false, true]): Voice => ({
  stems: wet.map(() => ({ duration: 4 }) as AudioBuffer),
  gains: [1, 0.5],
  wet,
  match,
});

let context: Context;
let engine: Engine;
// As the engine makes them: entry, master, the four of the matrix; then per voice one whole, its stems.
const master = () => context.gains[1]!.gain;
const matrix = () => context.gains.slice(2, 6).map((g) => g.gain.value);
const whole = (i: number) => context.gains[6 + 3 * i]!.gain.value;
const stems = (i: number) => [7, 8].map((k) => context.gains[k + 3 * i]!.gain.value);

beforeEach(() => {
  context = new Context();
  engine = new Engine(context as unknown as BaseAudioContext);
  engine.set("a", voice(0.8));
  engine.set("b", voice(0.6));
});

test("all voices start at one instant, one of them heard, and it fades in from silence", () => {
  engine.play("a", 1.5, null);
  expect(context.sources.map((s) => s.started)).toEqual(Array(4).fill([0.02, 1.5]));
  expect([whole(0), whole(1)]).toEqual([0.8, 0]);
  expect(master().ramps).toEqual([[1, 0.02 + 0.4]]);
  expect(stems(0)).toEqual([1, 0.5]);
});

test("switching fades and stops nothing", () => {
  engine.play("a", 0, null);
  engine.hear("b");
  expect([whole(0), whole(1)]).toEqual([0, 0.6]);
  expect(context.sources.some((s) => s.stopped)).toBe(false);
});

test("no match raises a sound, however it comes in", () => {
  engine.set("c", voice(3));
  engine.setMatch("a", 2);
  engine.play("c", 0, null);
  expect([whole(0), whole(1), whole(2)]).toEqual([0, 0, 1]);
  engine.hear("a");
  expect(whole(0)).toBe(1);
});

test("nothing above -1 dBFS gets out, and what is below passes as it is", () => {
  const curve = context.shaper!.curve!;
  expect(Math.max(...curve)).toBeLessThanOrEqual(10 ** (-1 / 20));
  expect(Math.min(...curve)).toBeGreaterThanOrEqual(-(10 ** (-1 / 20)));
  for (const at of [0.1, 0.5, 0.85]) expect(curve[Math.round((at + 1) * 2048)]!).toBeCloseTo(at, 3);
});

test("the difference takes the other voice away at its own match", () => {
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, difference: "b" });
  expect([whole(0), whole(1)]).toEqual([0.8, -0.6]);
});

test("mono, swap and polarity at the loudspeakers: left and right for left and right in", () => {
  engine.play("a", 0, null);
  const heard = (toggles: Partial<typeof PLAIN>, left: number, right: number) => {
    engine.setToggles({ ...PLAIN, ...toggles });
    const [ll, rl, lr, rr] = matrix();
    return [ll! * left + rl! * right, lr! * left + rr! * right];
  };
  expect(heard({}, 0.3, 0.7)).toEqual([0.3, 0.7]);
  expect(heard({ swap: true }, 0.3, 0.7)).toEqual([0.7, 0.3]);
  expect(heard({ flip: true }, 0.3, 0.7)).toEqual([0.3, -0.7]);
  expect(heard({ mono: true }, 0.3, 0.7)).toEqual([0.5, 0.5]);
  // Polarity of one side, then mono: what both sides share is gone.
  expect(heard({ mono: true, flip: true }, 0.5, 0.5)).toEqual([0, 0]);
});

test("exaggeration turns dry down and raises nothing; a sound without wet stays", () => {
  engine.set("dry", voice(1, [false, false]));
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, exaggerate: true });
  expect(stems(0)).toEqual([0.25, 0.5]);
  expect(stems(2)).toEqual([1, 0.5]);
});

test("a stem alone, and others where a voice has fewer", () => {
  engine.set("one", { ...voice(1), stems: [{ duration: 4 } as AudioBuffer], wet: [false] });
  engine.play("a", 0, null);
  engine.setToggles({ ...PLAIN, solo: 1 });
  expect(stems(0)).toEqual([0, 0.5]);
  expect(context.gains[6 + 3 * 2 + 1]!.gain.value).toBe(1);
});

test("position and laps of a loop", () => {
  engine.play("a", 3, { from: 1, to: 3.5 });
  context.currentTime = 0.02 + 0.25;
  expect(engine.position()).toBeCloseTo(3.25, 9);
  context.currentTime = 0.02 + 0.75;
  expect(engine.position()).toBeCloseTo(1.25, 9);
  expect(engine.lap()).toBe(2);
  engine.setLoop(null);
  context.currentTime += 1;
  expect(engine.position()).toBeCloseTo(2.25, 9);
});

test("stop fades out before it stops", () => {
  engine.play("a", 0, null);
  engine.stop();
  expect(master().ramps.at(-1)![0]).toBe(0);
  expect(context.sources.every((s) => s.stopped)).toBe(true);
  expect(engine.isPlaying).toBe(false);
});
