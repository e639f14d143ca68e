// @vitest-environment jsdom
/** One sound at a time, never above unity, faded in and out; what ends by itself says so once. */
import { beforeEach, expect, test, vi } from "vitest";

type Event = [at: number, to: number, how: "set" | "ramp"];
class Param {
  value = 1;
  events: Event[] = [];
  setValueAtTime(to: number, at: number) {
    this.events.push([at, to, "set"]);
    this.value = to;
  }
  linearRampToValueAtTime(to: number, at: number) {
    this.events.push([at, to, "ramp"]);
    this.value = to;
  }
  cancelScheduledValues() {}
}
class Source {
  buffer: unknown = null;
  loop = false;
  onended: (() => void) | null = null;
  started = 0;
  stoppedAt: number | null = null;
  connect<T>(to: T): T {
    return to;
  }
  start() {
    this.started += 1;
  }
  stop(at: number) {
    this.stoppedAt = at;
  }
}
const made: { gains: Param[]; sources: Source[]; closed: number; bad: boolean } = {
  gains: [], sources: [], closed: 0, bad: false,
}; // prettier-ignore
class Context {
  currentTime = 2;
  destination = {};
  resume = async () => undefined;
  close = async () => void (made.closed += 1);
  decodeAudioData = async (data: ArrayBuffer) => {
    if (made.bad) throw new Error("no sound");
    return { of: data };
  };
  createGain() {
    const gain = new Param();
    made.gains.push(gain);
    return { gain, connect: <T>(to: T) => to };
  }
  createBufferSource() {
    const source = new Source();
    made.sources.push(source);
    return source;
  }
}
vi.stubGlobal("AudioContext", Context);
const { Sounding } = await import("../src/ui/sound");

const data = new ArrayBuffer(8);
beforeEach(() => {
  made.gains = [];
  made.sources = [];
  made.closed = 0;
  made.bad = false;
});

test("it fades in from silence and out again, and is never above unity", async () => {
  const ended = vi.fn();
  const sound = new Sounding(ended);
  await sound.play(data, true);
  expect(made.gains[0]!.events).toEqual([
    [2, 0, "set"],
    [2.08, 1, "ramp"],
  ]);
  expect([made.sources[0]!.loop, made.sources[0]!.started, sound.playing]).toEqual([true, 1, true]);
  sound.stop();
  expect(made.gains[0]!.events.at(-1)).toEqual([2.06, 0, "ramp"]);
  // Not cut off before it is silent.
  expect(made.sources[0]!.stoppedAt!).toBeGreaterThan(2.06);
  expect([ended.mock.calls.length, sound.playing]).toEqual([1, false]);
  expect(Math.max(...made.gains.flatMap((g) => g.events.map(([, to]) => to)))).toBe(1);
});

test("a second sound fades the first one out, whoever plays it", async () => {
  const [one, other] = [new Sounding(() => undefined), new Sounding(() => undefined)];
  await one.play(data, false);
  await one.play(data, false);
  expect([made.sources[0]!.stoppedAt !== null, made.sources[1]!.stoppedAt]).toEqual([true, null]);
  await other.play(data, false);
  expect([one.playing, other.playing]).toEqual([false, true]);
  expect(made.sources[1]!.stoppedAt).not.toBeNull();
});

test("the end of a sound that was replaced says nothing of the one that plays", async () => {
  const ended = vi.fn();
  const sound = new Sounding(ended);
  await sound.play(data, false);
  await sound.play(data, false);
  const before = ended.mock.calls.length;
  made.sources[0]!.onended!();
  expect([sound.playing, ended.mock.calls.length]).toEqual([true, before]);
  made.sources[1]!.onended!();
  expect([sound.playing, ended.mock.calls.length]).toEqual([false, before + 1]);
  // Stopped once more, nothing happens.
  sound.stop();
  expect(ended.mock.calls.length).toBe(before + 1);
});

test("what cannot be decoded leaves what plays as it is, and a closed one can play again", async () => {
  const sound = new Sounding(() => undefined);
  await sound.play(data, false);
  made.bad = true;
  await expect(sound.play(data, false)).rejects.toThrow("no sound");
  expect([sound.playing, made.sources.length]).toEqual([true, 1]);
  made.bad = false;
  sound.close();
  expect([made.closed, sound.playing]).toEqual([1, false]);
  await sound.play(data, false);
  expect(sound.playing).toBe(true);
});
