/** Written moves: what can be moved, the line they make, steps, shifts and repeats. */
import { expect, test } from "vitest";

import {
  barsOf,
  cornersOf,
  kindred,
  type Movable,
  movableOf,
  repeated,
  shifted,
  steppedValue,
  withPoints,
} from "../src/playing/moves";

const point = (bar: number, beat: number, value: number | boolean, ramp = false) => ({
  bar,
  beat,
  value,
  ramp,
});
const parameter = (field: string, more: object = {}) => ({
  field,
  label: field,
  sort: "number",
  unit: "dB",
  default: 0,
  group: "sound",
  scale: { low: -30, high: 12, log: false },
  ...more,
});
const kinds = [
  {
    kind: "delay",
    stage: true,
    traits: [],
    parameters: [
      parameter("mix_percent"),
      parameter("time", { sort: "time" }),
      parameter("mode", { sort: "choice", scale: null }),
      parameter("latency_ms"),
      parameter("bypassed", { sort: "flag", scale: null, default: false }),
      parameter("trails", { sort: "flag", scale: null, default: false }),
      parameter("low_cut_hz", { default: null }),
    ],
  },
  { kind: "merge", stage: false, traits: ["many_inputs"], parameters: [] },
  {
    kind: "strip",
    stage: false,
    traits: [],
    parameters: [parameter("level_db"), parameter("solo")],
  },
] as never;

test("numbers, switches and times of stages, and strips of what meets, can be moved", () => {
  const nodes = { d: { kind: "delay", mix_percent: 40, time: "1/8." }, m: { kind: "merge" } };
  const rails = { "d.0": { target: "m", strip: { level_db: -6 } }, "m.0": { target: "d" } };
  const found = movableOf(nodes, rails, kinds, (id) => id.toUpperCase());
  expect(found.map((m) => [m.part, m.field, m.resting])).toEqual([
    ["d", "mix_percent", 40],
    // A note value is no number of its own: it is worked out by the core.
    ["d", "time", null],
    ["d", "bypassed", false],
    ["d", "low_cut_hz", null],
    ["d.0", "level_db", -6],
  ]);
  expect(found.at(-1)!.name).toBe("D into M: level_db");
  expect(found.find((m) => m.field === "bypassed")).toMatchObject({ flag: true, low: 0, high: 1 });
});

test("a move has its points in order, and is gone without any", () => {
  const other = { part: "x", field: "y", points: [point(1, 1, 3)] };
  const all = withPoints([other], "d", "mix_percent", [point(4, 1, 9), point(2, 3, 1)]);
  expect(all[0]).toBe(other);
  expect(all[1]!.points.map((p) => p.bar)).toEqual([2, 4]);
  expect(withPoints(all, "d", "mix_percent", [])).toEqual([other]);
});

test("moves are shifted and repeated by bars", () => {
  const points = [point(2, 1, 1), point(3, 2.5, 2)];
  expect(shifted(points, 4).map((p) => [p.bar, p.beat])).toEqual([
    [6, 1],
    [7, 2.5],
  ]);
  // What would stand before the first bar is left out.
  expect(shifted(points, -2).map((p) => p.bar)).toEqual([1]);
  expect(barsOf(points)).toBe(2);
  expect(barsOf([])).toBe(1);
  expect(repeated(points, 2, 3).map((p) => [p.bar, p.value])).toEqual([
    [2, 1],
    [3, 2],
    [4, 1],
    [5, 2],
    [6, 1],
    [7, 2],
  ]);
  // Where a repeat meets what stands there, there is one point, the later one.
  expect(repeated([point(1, 1, 5), point(2, 1, 7)], 1, 2).map((p) => [p.bar, p.value])).toEqual([
    [1, 5],
    [2, 5],
    [3, 7],
  ]);
});

test("the line rests, steps at once, and goes straight where it is said to", () => {
  const line = cornersOf([point(3, 1, 0, true), point(1, 1, -6)], -3, (p) => (p.bar - 1) * 2, 10);
  expect(line.map((c) => [c.at, c.value])).toEqual([
    [-1e9, -3],
    [0, -3],
    [0, -6],
    [4, 0],
    [10, 0],
  ]);
  expect(cornersOf([], -3, () => 0, 5).map((c) => c.value)).toEqual([-3, -3]);
});

test("arrows step by equal amounts or ratios and stay on the scale; a switch turns over", () => {
  const of = (more: Partial<Movable>) =>
    ({ low: -30, high: 12, log: false, flag: false, ...more }) as Movable;
  expect(steppedValue(of({}), 0, 1)).toBeCloseTo(0.7, 6);
  expect(steppedValue(of({}), 12, 5)).toBe(12);
  const log = of({ low: 20, high: 20_000, log: true });
  expect(steppedValue(log, 200, 20)).toBe(2000);
  expect(steppedValue(log, 20, -1)).toBe(20);
  expect([steppedValue(of({ flag: true }), 0, 1), steppedValue(of({ flag: true }), 1, -1)]).toEqual(
    [1, 0],
  );
});

test("a move is copied to what is of its unit; without one, to the same setting elsewhere", () => {
  const one = (part: string, field: string, unit: string, flag = false): Movable => ({
    part,
    field,
    name: `${part} ${field}`,
    unit,
    low: 0,
    high: 1,
    log: false,
    flag,
    resting: 0,
  });
  const [level, trim, mix, q, other, mute, bypass] = [
    one("a", "level_db", "dB"),
    one("b", "output_db", "dB"),
    one("b", "mix_percent", "%"),
    one("c", "q", ""),
    one("c", "range_oct", ""),
    one("a", "muted", "", true),
    one("b", "bypassed", "", true),
  ];
  const all = [level, trim, mix, q, other, mute, bypass];
  expect(kindred(all, level)).toEqual([trim]);
  expect(kindred(all, mix)).toEqual([]);
  expect(kindred(all, mute)).toEqual([bypass]);
  // Neither has a unit, and they are not alike.
  expect(kindred(all, q)).toEqual([]);
  expect(kindred([...all, one("d", "q", "")], q)).toEqual([one("d", "q", "")]);
});

test("a delay's time rests at what its note value comes to", () => {
  const nodes = { d: { kind: "delay", time: "1/8." } };
  const of = (times?: Record<string, number>) =>
    movableOf(nodes, {}, kinds, (id) => id, times).find((m) => m.field === "time")!.resting;
  expect(of({ d: 319.15 })).toBe(319.15);
  expect(of()).toBeNull();
});
