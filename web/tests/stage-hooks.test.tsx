// @vitest-environment jsdom
/** What the stage asks of the browser: a screen that stays on, MIDI out with its clock, foot switches in. */
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { heard, keptWords, momentWords } from "../src/api/kept";
import { useAwake, useMidi, useMidiIn } from "../src/stage/list/useStage";

const TICK = 0xf8;
const START = 0xfa;
const STOP = 0xfc;

class Port {
  sent: [number[], number | undefined][] = [];
  onmidimessage: ((event: { data: Uint8Array }) => void) | null = null;
  constructor(readonly name: string | null) {}
  send(bytes: number[], at?: number) {
    this.sent.push([bytes, at]);
  }
}
class Access extends EventTarget {
  outputs = new Map<string, Port>();
  inputs = new Map<string, Port>();
}

let access: Access;
let refuses: boolean;
let locks: { released: boolean; drop: () => void }[];
let unable: boolean;

beforeEach(() => {
  access = new Access();
  access.outputs.set("1", new Port("Board"));
  access.outputs.set("2", new Port(null));
  access.inputs.set("1", new Port("Feet"));
  [refuses, locks, unable] = [false, [], false];
  Object.assign(navigator, {
    requestMIDIAccess: async () => {
      if (refuses) throw new Error("no");
      return access;
    },
    wakeLock: {
      request: async () => {
        if (unable) throw new Error("battery");
        const held = Object.assign(new EventTarget(), { release: async () => drop() });
        const lock = { released: false, drop: () => drop() };
        const drop = () => {
          lock.released = true;
          held.dispatchEvent(new Event("release"));
        };
        locks.push(lock);
        return held;
      },
    },
  });
});
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

const outs = () => [...access.outputs.values()];

test("the screen is kept on, taken again when the page is seen again, and let go at the end", async () => {
  const { result, unmount } = renderHook(() => useAwake());
  await waitFor(() => expect(result.current).toBe("awake"));
  act(() => locks[0]!.drop());
  expect(result.current).toBe("asleep");
  act(() => void document.dispatchEvent(new Event("visibilitychange")));
  await waitFor(() => expect(result.current).toBe("awake"));
  expect(locks).toHaveLength(2);
  unmount();
  await waitFor(() => expect(locks.every((lock) => lock.released)).toBe(true));
});

test("a browser that will not keep it on is said to be unable, and a touch asks once more", async () => {
  unable = true;
  const { result } = renderHook(() => useAwake());
  await waitFor(() => expect(result.current).toBe("unable"));
  unable = false;
  act(() => void window.dispatchEvent(new Event("pointerdown")));
  await waitFor(() => expect(result.current).toBe("awake"));
});

test("asked for, MIDI goes to every output by name, what is due first", async () => {
  const { result } = renderHook(() => useMidi(null));
  expect(result.current.state).toBe("off");
  act(() => result.current.ask([{ channel: 3, program: 12 }] as never));
  await waitFor(() => expect(result.current.state).toBe("on"));
  expect(result.current.outputs).toEqual(["Board", "unnamed"]);
  // Program change on channel 3 is 0xC2, program 12 as it is counted on the wire.
  for (const out of outs()) expect(out.sent).toEqual([[expect.arrayContaining([0xc2]), undefined]]);
  act(() => result.current.send([{ channel: 1, program: 1 }] as never));
  expect(outs()[0]!.sent).toHaveLength(2);
  expect(outs()[0]!.sent[1]![0][0]).toBe(0xc0);
  // What is plugged in later has its name too.
  access.outputs.set("3", new Port("Late"));
  act(() => void access.dispatchEvent(new Event("statechange")));
  expect(result.current.outputs).toEqual(["Board", "unnamed", "Late"]);
});

test("refused, it can be asked for again", async () => {
  refuses = true;
  const { result } = renderHook(() => useMidi(null));
  act(() => result.current.ask([]));
  await waitFor(() => expect(result.current.state).toBe("refused"));
  act(() => result.current.send([{ channel: 1, program: 1 }] as never));
  expect(outs()[0]!.sent).toEqual([]);
  refuses = false;
  act(() => result.current.ask([]));
  await waitFor(() => expect(result.current.state).toBe("on"));
});

test("the clock starts, ticks 24 times a quarter ahead of time, and stops", async () => {
  const { result, rerender, unmount } = renderHook(({ bpm }) => useMidi(bpm), {
    initialProps: { bpm: null as number | null },
  });
  act(() => result.current.ask([]));
  await waitFor(() => expect(result.current.state).toBe("on"));
  vi.useFakeTimers({ toFake: ["setInterval", "clearInterval", "performance"] });
  rerender({ bpm: 100 });
  act(() => void vi.advanceTimersByTime(2000));
  const out = outs()[0]!.sent;
  expect(out[0]![0]).toEqual([START]);
  const ticks = out.filter(([bytes]) => bytes[0] === TICK).map(([, at]) => at!);
  // 100 BPM are 25 ms a tick.
  for (let i = 1; i < ticks.length; i++) expect(ticks[i]! - ticks[i - 1]!).toBeCloseTo(25, 6);
  expect(ticks.length).toBeGreaterThanOrEqual(2000 / 25);
  expect(ticks.length).toBeLessThanOrEqual(2200 / 25);
  unmount();
  expect(out.at(-1)![0]).toEqual([STOP]);
  const many = out.length;
  vi.advanceTimersByTime(1000);
  expect(out).toHaveLength(many);
});

test("a foot switch means what it means, also one that is plugged in later, until the stage is left", () => {
  const meant: string[] = [];
  const { unmount } = renderHook(() =>
    useMidiIn(access as never, (meaning) => void meant.push(meaning)),
  );
  const feet = access.inputs.get("1")!;
  feet.onmidimessage!({ data: Uint8Array.from([0xb0, 64, 127]) });
  feet.onmidimessage!({ data: Uint8Array.from([TICK]) });
  const first = meant.length;
  expect(first).toBe(1);
  const late = new Port("Late feet");
  access.inputs.set("2", late);
  access.dispatchEvent(new Event("statechange"));
  late.onmidimessage!({ data: Uint8Array.from([0xb0, 64, 127]) });
  expect(meant).toEqual([meant[0], meant[0]]);
  unmount();
  expect([feet.onmidimessage, late.onmidimessage]).toEqual([null, null]);
});

test("of several answers that were kept the oldest is said, and none once the server answers", () => {
  const words: string[] = [];
  const early = new Date(2026, 4, 3, 20, 14);
  const late = new Date(2026, 4, 3, 20, 40);
  for (const at of [late, early, late]) {
    heard(at.toISOString());
    words.push(keptWords());
  }
  expect(words[1]).toBe(words[2]);
  expect(words[0]).not.toBe(words[1]);
  heard(null);
  expect(keptWords()).toBe("");
  heard("no moment at all");
  expect(keptWords()).toBe("");
  expect(momentWords(early.getTime(), late.getTime())).toMatch(/^at \d/);
  expect(momentWords(early.getTime(), late.getTime() + 86_400_000)).toMatch(/^on .*3.* at \d/);
});
