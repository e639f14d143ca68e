/** The player of a null test, by a context that writes down every gain: nothing is louder than it is, nothing jumps. */
import { beforeEach, expect, test, vi } from "vitest";

import { Player, type Voice } from "../src/steps/verify/player";

class Param {
  value = 1;
  steps: [string, number, number][] = [];
  cancelScheduledValues() {}
  setValueAtTime(value: number, at: number) {
    this.value = value;
    this.steps.push(["set", value, at]);
  }
  linearRampToValueAtTime(value: number, at: number) {
    this.steps.push(["ramp", value, at]);
    this.value = value;
  }
}
class Gain {
  gain = new Param();
  connect<T>(next: T): T {
    return next;
  }
}
class Source {
  buffer: unknown = null;
  loop = false;
  begun: [number, number] | null = null;
  ended: number | null = null;
  connect<T>(next: T): T {
    return next;
  }
  start(at: number, offset: number) {
    this.begun = [at, offset];
  }
  stop(at: number) {
    this.ended = at;
  }
}
let context: Context;
class Context {
  currentTime = 10;
  destination = {};
  gains: Gain[] = [];
  sources: Source[] = [];
  closed = false;
  constructor() {
    // eslint-disable-next-line @typescript-eslint/no-this-alias -- what the player made is looked at
    context = this;
  }
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
  async resume() {}
  async close() {
    this.closed = true;
  }
  async decodeAudioData(data: ArrayBuffer) {
    const peak = new Float32Array(data)[0]!;
    const samples = Float32Array.from([0, peak, -peak, 0]);
    return { numberOfChannels: 1, duration: 4, getChannelData: () => samples };
  }
}

let peaks: Record<Voice, number>;
beforeEach(() => {
  peaks = { a: 0.5, b: 0.5, residual: 0.001 };
  vi.stubGlobal("AudioContext", Context);
  vi.stubGlobal("fetch", async (url: string) => ({
    ok: url !== "gone",
    arrayBuffer: async () => Float32Array.from([peaks[url as Voice]]).buffer,
  }));
});

async function loaded(): Promise<Player> {
  const player = new Player();
  await player.load({ a: "a", b: "b", residual: "residual" });
  return player;
}
/** What each voice is played at, of the last three gains that were made. */
const levels = () => {
  const [a, b, residual] = context.gains.slice(-3).map((g) => g.gain.value);
  return { a, b, residual };
};

test("a sound is played as it is, fading in from nothing", async () => {
  const player = await loaded();
  await player.play("a", 0);
  expect(levels()).toEqual({ a: 1, b: 0, residual: 0 });
  const master = context.gains[0]!.gain;
  expect(master.steps).toEqual([
    ["set", 0, 10.02],
    ["ramp", 1, 10.62],
  ]);
  // All three run from one clock.
  expect(context.sources.map((s) => s.begun)).toEqual([
    [10.02, 0],
    [10.02, 0],
    [10.02, 0],
  ]);
});

test("A and B are turned down together where one would pass the ceiling, and never up", async () => {
  peaks = { a: 0.2, b: 1.4, residual: 0.9 };
  const player = await loaded();
  await player.play("a", 0);
  expect(levels().a).toBeCloseTo(0.89 / 1.4, 6);
  player.switchTo("b", 0);
  expect(levels().b).toBeCloseTo(0.89 / 1.4, 6);
  expect(1.4 * levels().b!).toBeLessThan(0.8901);
});

test("a residual is raised as asked, but never above what A reaches nor the ceiling", async () => {
  const player = await loaded();
  await player.play("residual", 20);
  expect(levels().residual).toBeCloseTo(10, 6);
  // 60 dB would bring 0.001 to 1; A reaches 0.5: it is held at 500 times.
  await player.play("residual", 60);
  expect(levels().residual).toBeCloseTo(500, 3);
  peaks = { a: 2, b: 2, residual: 0.5 };
  const loud = await loaded();
  await loud.play("residual", 40);
  expect(0.5 * levels().residual!).toBeCloseTo(0.89, 6);
});

test("where A is silent nothing is raised", async () => {
  peaks = { a: 0, b: 0.3, residual: 0.3 };
  const player = await loaded();
  await player.play("residual", 40);
  expect(levels().residual).toBe(1);
});

test("B moved by hand adds what it leaves, within the same ceiling", async () => {
  const player = await loaded();
  player.balance(1.1);
  await player.play("residual", 0);
  expect(levels().residual).toBeCloseTo(1, 6);
  expect(levels().b).toBeCloseTo(-0.1, 6);
  player.balance(1);
  expect(levels().b).toBeCloseTo(0, 6);
});

test("voices change over in milliseconds, and what follows a quiet residual comes in slowly", async () => {
  const player = await loaded();
  await player.play("residual", 30);
  const [master, a] = [context.gains[0]!.gain, context.gains.at(-3)!.gain];
  master.steps.length = 0;
  context.currentTime = 12;
  player.switchTo("a", 0);
  expect(a.steps.at(-1)).toEqual(["ramp", 1, 12.012]);
  expect(master.steps).toEqual([
    ["set", 0.1, 12],
    ["ramp", 1, 12.6],
  ]);
  master.steps.length = 0;
  player.switchTo("b", 0);
  expect(master.steps).toEqual([]);
});

test("stopped it fades out, and goes on from there", async () => {
  const player = await loaded();
  await player.play("a", 0);
  context.currentTime = 11.52;
  player.stop();
  expect(context.gains[0]!.gain.steps.at(-1)).toEqual(["ramp", 0, 11.58]);
  expect(context.sources.map((s) => s.ended)).toEqual(
    [11.59, 11.59, 11.59].map((t) => expect.closeTo(t, 9)),
  );
  expect(player.position()).toBeCloseTo(1.5, 9);
  await player.play("b", 0);
  expect(context.sources.at(-1)!.begun![1]).toBeCloseTo(1.5, 9);
  // It goes round after its four seconds.
  context.currentTime += 4;
  expect(player.position()).toBeCloseTo(1.48, 9);
  player.close();
  expect([player.playing, context.closed]).toEqual([false, true]);
});

test("a sound that is not there is a fault, and nothing plays", async () => {
  const player = new Player();
  await expect(player.load({ a: "a", b: "gone", residual: "residual" })).rejects.toThrow(
    "no audio",
  );
  expect(player.playing).toBe(false);
});
