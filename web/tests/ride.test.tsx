// @vitest-environment jsdom
/** Rides: what is moved while it plays becomes few points against the bars, and nothing else is lost. */
import { act, cleanup, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { Bar } from "../src/playing/bars";
import type { Movable, WrittenMove } from "../src/playing/moves";
import { runsOf, thinnedRide, type Touch, withRide } from "../src/playing/ride";
import { RESTS_MS, riddenValue, useRide } from "../src/playing/useRide";

// Four beats of half a second a bar.
const bars: Bar[] = [1, 2, 3, 4].map((bar) => ({
  bar,
  at: 2 * (bar - 1),
  beats: 4,
  length: 2,
  beatsAt: [0, 0.5, 1, 1.5].map((s) => 2 * (bar - 1) + s),
}));
const level: Movable = {
  part: "back",
  field: "level_db",
  name: "Return: level",
  unit: "dB",
  low: -30,
  high: 12,
  log: false,
  flag: false,
  resting: -3,
};
const cut: Movable = { ...level, field: "high_cut_hz", low: 100, high: 10_000, log: true };
const pass: Movable = { ...level, field: "bypassed", low: 0, high: 1, flag: true };

/** What straight lines between points say at a time. */
const lineAt = (points: Touch[], at: number): number => {
  const next = points.findIndex((p) => p.at >= at);
  const [a, b] = [points[Math.max(0, next - 1)]!, points[next]!];
  return b.at === a.at ? b.value : a.value + ((at - a.at) / (b.at - a.at)) * (b.value - a.value);
};

test("a straight ride is two points, a bend three, and a curve few that miss nothing", () => {
  const straight = [0, 0.1, 0.2, 0.3].map((at) => ({ at, value: -10 + 20 * at }));
  expect(thinnedRide(straight, level)).toEqual([straight[0], straight[3]]);
  const bend = [0, 1, 2, 3, 4].map((at) => ({ at, value: at < 2 ? 0 : -6 * (at - 2) }));
  expect(thinnedRide(bend, level).map((t) => t.at)).toEqual([0, 2, 4]);
  const curve = Array.from({ length: 200 }, (_, i) => ({
    at: i / 50,
    value: 6 * Math.sin(i / 30),
  }));
  const few = thinnedRide(curve, level);
  expect(few.length).toBeLessThan(16);
  for (const t of curve) expect(Math.abs(lineAt(few, t.at) - t.value)).toBeLessThan(0.43);
});

test("what goes by ratio is judged by ratio: an octave low down counts as much as one high up", () => {
  const low = [0, 1, 2].map((at) => ({ at, value: [100, 200, 130][at]! }));
  expect(thinnedRide(low, cut)).toHaveLength(3);
  expect(thinnedRide(low, { ...cut, log: false })).toHaveLength(2);
});

test("a switch keeps its turns, and of two touches at one time the last", () => {
  const turns = [0, 1, 1, 2, 3].map((at, i) => ({ at, value: [0, 0, 1, 1, 0][i]! }));
  expect(thinnedRide(turns, pass)).toEqual([
    { at: 0, value: 0 },
    { at: 1, value: 1 },
    { at: 3, value: 0 },
  ]);
});

test("a loop that comes round begins another ride", () => {
  const at = [5, 6, 7, 0, 1].map((s) => ({ at: s, value: s }));
  expect(runsOf(at).map((r) => r.map((t) => t.at))).toEqual([
    [5, 6, 7],
    [0, 1],
  ]);
  expect(runsOf([])).toEqual([]);
});

const before: WrittenMove[] = [
  {
    part: "back",
    field: "level_db",
    points: [
      { bar: 1, beat: 1, value: -3, ramp: false },
      { bar: 2, beat: 1, value: -20, ramp: false },
      { bar: 4, beat: 1, value: 0, ramp: true },
    ],
  },
  { part: "hall", field: "rt60_s", points: [{ bar: 1, beat: 1, value: 2, ramp: false }] },
];

test("a ride replaces what stood between its ends, and leaves the rest and all other moves", () => {
  const ridden = withRide(
    before,
    level,
    [
      { at: 1.5, value: -6 },
      { at: 3.25, value: -12 },
    ],
    bars,
  );
  expect(ridden.find((m) => m.field === "rt60_s")).toEqual(before[1]);
  expect(ridden.find((m) => m.field === "level_db")!.points).toEqual([
    { bar: 1, beat: 1, value: -3, ramp: false },
    // It begins where the hand came to it: with a step.
    { bar: 1, beat: 4, value: -6, ramp: false },
    { bar: 2, beat: 3.5, value: -12, ramp: true },
    { bar: 4, beat: 1, value: 0, ramp: true },
  ]);
  expect(withRide(before, cut, [{ at: 0, value: 500 }], [])).toEqual(before);
});

const RIG = {
  id: "v",
  letter: "A",
  document: {
    nodes: { back: { id: "back", kind: "return", name: "Return", level_db: -3 } },
    rails: {},
  },
  view: { layout: { nodes: [] } },
};
const KINDS = [
  {
    kind: "return",
    stage: true,
    title: "Return",
    traits: [],
    parameters: [
      {
        field: "level_db",
        label: "level",
        sort: "number",
        unit: "dB",
        default: 0,
        group: "main",
        scale: { low: -30, high: 12, log: false },
      },
      { field: "mode", label: "mode", sort: "choice", unit: "", default: "", group: "main" },
    ],
  },
];

function riding() {
  let at = 0;
  const saved: WrittenMove[][] = [];
  let settle = () => undefined as void;
  const given = {
    playing: true,
    bars,
    kinds: KINDS,
    variant: RIG,
    at: () => at,
    moves: {
      moves: before,
      save: {
        mutate: (m: WrittenMove[], then?: { onSettled: () => void }) => {
          saved.push(m);
          settle = () => then?.onSettled();
        },
      },
    },
  };
  const hook = renderHook((now: typeof given) => useRide(now as never), { initialProps: given });
  return {
    saved,
    settled: () => settle(),
    now: () => hook.result.current,
    again: (more: object) => hook.rerender({ ...given, ...more }),
    touch: (seconds: number, value: unknown, field = "level_db", variant = "v") => {
      at = seconds;
      let taken = false;
      act(() => {
        taken = hook.result.current.touch(variant, "back", field, value);
      });
      return taken;
    },
    wait: (ms: number) => act(() => vi.advanceTimersByTime(ms)),
  };
}

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

test("nothing is written until it is armed, plays, and the setting is one that moves", () => {
  const h = riding();
  expect(h.touch(0, -6)).toBe(false);
  act(() => h.now().turn());
  expect(h.touch(0, -6, "level_db", "another variant")).toBe(false);
  expect(h.touch(0, "sum", "mode")).toBe(false);
  expect(h.touch(0, null)).toBe(false);
  h.again({ playing: false });
  expect(h.touch(0, -6)).toBe(false);
  h.again({ variant: undefined });
  expect(h.touch(0, -6)).toBe(false);
  h.wait(2 * RESTS_MS);
  expect(h.saved).toEqual([]);
});

test("a hand that rests is written once, one that goes on is waited for", () => {
  const h = riding();
  act(() => h.now().turn());
  for (const at of [4, 4.2, 4.4]) {
    expect(h.touch(at, -at)).toBe(true);
    h.wait(RESTS_MS - 100);
  }
  expect(h.saved).toEqual([]);
  h.wait(200);
  expect(h.saved).toHaveLength(1);
  const points = h.saved[0]!.find((m) => m.field === "level_db")!.points;
  expect(points.filter((p) => p.bar === 3)).toEqual([
    { bar: 3, beat: 1, value: -4, ramp: false },
    { bar: 3, beat: 1.8, value: -4.4, ramp: true },
  ]);
  h.wait(5000);
  expect(h.saved).toHaveLength(1);
});

test("what was moved is kept when it stops before the hand rests", () => {
  const h = riding();
  act(() => h.now().turn());
  h.touch(6.5, -9);
  act(() => h.again({ playing: false }));
  expect(h.saved).toHaveLength(1);
  act(() => h.again({ playing: true }));
  h.touch(7, -9);
  act(() => h.now().turn());
  expect(h.saved).toHaveLength(2);
  expect(h.now().on).toBe(false);
});

test("numbers, switches and times in ms are ridden; note values and words are set", () => {
  expect(riddenValue("level_db", -3.5)).toBe(-3.5);
  expect(riddenValue("bypassed", true)).toBe(1);
  expect(riddenValue("time", "319.15 ms")).toBe(319.15);
  expect(riddenValue("time", "1/8.")).toBeNull();
  expect(riddenValue("mode", "20 ms")).toBeNull();
  expect(riddenValue("low_cut_hz", null)).toBeNull();
});

test("a ride that is written before the one before it has come back loses nothing of it", () => {
  const h = riding();
  act(() => h.now().turn());
  h.touch(2, -8);
  h.wait(RESTS_MS);
  h.touch(6, -16);
  h.wait(RESTS_MS);
  const values = h.saved[1]!.find((m) => m.field === "level_db")!.points.map((p) => p.value);
  expect(values).toEqual(expect.arrayContaining([-8, -16]));
  // Once it is back, or was refused, what the server has counts again.
  h.settled();
  h.touch(7, -24);
  h.wait(RESTS_MS);
  const after = h.saved[2]!.find((m) => m.field === "level_db")!.points.map((p) => p.value);
  expect(after).not.toContain(-8);
  expect(after).toContain(-24);
});
