import { expect, test } from "vitest";

import { plannedOf } from "../src/charts/MeasuredRepeats";
import { domainOf, hollowOf, insetOf, upright } from "../src/charts/picture";
import { digitsOf, labelled, stretchOf } from "../src/charts/reads";
import { floatWav, framesOf, lostFrames, peakOf, since } from "../src/clips/wav";
import { inputFault } from "../src/clips/useInput";
import { apartOf, rowText } from "../src/steps/verify/bench/beside";
import { KINDS, PLANNED, planFor, typedFault, typedNumber } from "../src/steps/verify/bench/form";
import { gainOf, haltAt, shareOf } from "../src/steps/verify/bench/playing";
import { batchesOf, depthOf, triesOf } from "../src/steps/verify/tries";

const block = (frame: number, ...lines: number[][]) => ({
  frame,
  channels: lines.map((l) => Float32Array.from(l)),
});

test("what is recorded is cut to the frame at which playing began, and gaps keep their time", () => {
  const blocks = [block(100, [1, 2, 3, 4]), block(104, [5, 6]), block(110, [9])];
  expect(framesOf(blocks)).toBe(7);
  expect(lostFrames(blocks)).toBe(4);
  expect([...since(blocks, 102)[0]!]).toEqual([3, 4, 5, 6, 0, 0, 0, 0, 9]);
  // Begun before the first block: what was not heard yet is silence.
  expect([...since(blocks.slice(0, 1), 98)[0]!]).toEqual([0, 0, 1, 2, 3, 4]);
  expect([...since(blocks.slice(0, 1), 200)[0]!]).toEqual([]);
  expect(lostFrames(blocks.slice(0, 2))).toBe(0);
});

test("an input that turns stereo on the way stays two channels, its one channel on both", () => {
  const heard = since([block(0, [1, 2]), block(2, [3], [7])], 0);
  expect(heard.map((c) => [...c])).toEqual([
    [1, 2, 3],
    [1, 2, 7],
  ]);
  expect(peakOf(block(0, [0.25, -0.5], [0.1]).channels)).toBe(0.5);
});

test("a WAV of floats has its length, rate and samples where readers look for them", () => {
  const view = new DataView(floatWav([Float32Array.of(0.5, -1), Float32Array.of(0.25, 1)], 44_100));
  expect(view.byteLength).toBe(44 + 16);
  expect([view.getUint16(20, true), view.getUint16(22, true), view.getUint32(24, true)]).toEqual([
    3, 2, 44_100,
  ]);
  expect([44, 48, 52, 56].map((at) => view.getFloat32(at, true))).toEqual([0.5, 0.25, -1, 1]);
  expect(view.getUint32(40, true)).toBe(16);
});

test("an input that does not open says why", () => {
  expect(inputFault(new DOMException("", "NotAllowedError"))).toContain("not allowed");
  expect(inputFault(new DOMException("", "NotFoundError"))).toContain("No audio input");
  expect(inputFault(new Error("x"))).toContain("in use elsewhere");
});

test("only what belongs to the kind is planned, and what is no number is not sent", () => {
  const all = { label_ms: 319, wanted_ms: 319.149, rt60_s: 1.2, threshold_db: -24, gain_db: 0 };
  expect(planFor("delay", all)).toEqual({ label_ms: 319, wanted_ms: 319.149 });
  expect(planFor("dynamics", all)).toEqual({ threshold_db: -24 });
  // A mix control is planned by the name of its law alone.
  expect(KINDS.filter((k) => PLANNED[k].length === 0)).toEqual(["mix"]);
  const ms = PLANNED.delay[0]!;
  expect(typedNumber("319,5", ms)).toBe(319.5);
  expect(typedNumber("−6", PLANNED.delay[2]!)).toBe(-6);
  for (const bad of ["", "soon", "1e9", "-4", "NaN", "Infinity"])
    expect(typedNumber(bad, ms), bad).toBe(null);
  expect(typedFault("", ms)).toBe("");
  expect(typedFault("soon", ms)).toBe("0.1 to 60000 ms");
});

test("nothing is ever played louder than the signal itself", () => {
  expect(gainOf(0)).toBe(1);
  expect(gainOf(12)).toBe(1);
  expect(gainOf(-20)).toBeCloseTo(0.1);
  expect([shareOf(4, 5, 10), shareOf(10, 5, 10), shareOf(99, 5, 10)]).toEqual([0, 0.5, 1]);
});

const row = (more: object) =>
  ({ name: "Time", unit: "ms", planned: null, measured: null, digits: 2, words: "", planned_words: "", holds_within: null, ...more }) as never; // prettier-ignore

test("plan and measurement differ where that is more than the reading may be off", () => {
  expect(apartOf(row({ planned: 319, measured: 324.742, holds_within: 0.01 }))).toEqual({
    text: "+5.74",
    off: true,
  });
  expect(apartOf(row({ planned: -6.5, measured: -6.55, holds_within: 0.1, digits: 1 })).off).toBe(
    false,
  );
  expect(apartOf(row({ planned: 5 })).text).toBe("");
  expect(apartOf(row({ words: "inverted", planned_words: "same" }))).toEqual({
    text: "differs",
    off: true,
  });
  expect(rowText(row({}), null, "")).toBe("");
  expect(rowText(row({ digits: 1 }), -84.56, "")).toBe("−84.6");
});

test("the two-sided rule holds all readings, the plan and the setting, and labels keep apart", () => {
  const marks = [310, 320].map((m) => ({ label_ms: m, does_ms: m * 1.02, error_ms: 0 }));
  const [low, high] = stretchOf(marks, 300, { label_ms: 350, does_ms: 357, error_ms: 0 });
  expect(low).toBeLessThan(300);
  expect(high).toBeGreaterThan(357);
  expect(stretchOf([], 5, null)[0]).toBeLessThan(5);
  expect([...labelled([50, 52, 10, 90], (v) => v, 20)]).toEqual([50, 10, 90]);
  expect([314, 0.5, 0.125, 1 / 3].map(digitsOf)).toEqual([0, 1, 3, 4]);
});

test("planned repeats are as many as were measured, each later and lower by the same", () => {
  const plan = { every_ms: 250, first_db: -6, each_db: -3 };
  expect(plannedOf(plan, 3).map((r) => [r.time_ms, r.level_db])).toEqual([
    [250, -6],
    [500, -9],
    [750, -12],
  ]);
  expect(plannedOf(null, 3)).toEqual([]);
});

test("lengths of time stand on nothing, and are no clock", () => {
  const picture = {
    title: "", about: "", x_unit: "Hz", x_log: true, y_unit: "s", marks: [],
    series: [{ name: "m", look: "points", x: [125, 8000], y: [1.4, 0.8] }],
  } as never; // prettier-ignore
  expect(domainOf(picture).y[0]).toBe(0);
  expect(domainOf(picture).y[1]).toBeGreaterThan(1.4);
  expect(upright(picture, 0.5)).toBe("0.5");
});

const tested = (id: string, more: object) =>
  ({ id, clip_a: "a", batch: null, sentence: "said", null_depth_db: -20, created_at: id, ...more }) as never; // prettier-ignore

test("tries are the finished tests of one reference in their order; nothing left is deepest", () => {
  const tests = [
    tested("3", { null_depth_db: null }),
    tested("2", { null_depth_db: -31.5 }),
    tested("1", {}),
    tested("4", { sentence: null }),
    tested("5", { clip_a: "other" }),
    tested("6", { batch: "b" }),
  ];
  const tries = triesOf(tests, { id: "3", clip_a: "a" });
  expect(tries.map((t) => t.id)).toEqual(["1", "2", "3"]);
  expect(tries.map(depthOf)).toEqual([20, 31.5, 150]);
});

test("batches keep together, the newest first, the closest at the top", () => {
  const tests = [
    tested("1", { batch: "x", null_depth_db: -10 }),
    tested("2", { batch: "x", null_depth_db: -60 }),
    tested("3", { batch: "y", sentence: null }),
    tested("4", { batch: "y" }),
    tested("5", {}),
  ];
  expect(batchesOf(tests).map((b) => b.map((t) => t.id))).toEqual([
    ["4", "3"],
    ["2", "1"],
  ]);
});

test("the halt that is on is known to the moment, and none before the first", () => {
  const halts = [
    { name: "Marker", start_s: 1, length_s: 0.5 },
    { name: "At 0 %", start_s: 1.5, length_s: 8 },
  ];
  expect(haltAt(halts, 0, 20)).toBeUndefined();
  expect(haltAt(halts, 1.2 / 20, 20)!.name).toBe("Marker");
  expect(haltAt(halts, 1.5 / 20, 20)!.name).toBe("At 0 %");
  expect(haltAt(halts, 0.6, 20)).toBeUndefined();
});

test("of several clouds the first is filled and the others are rings; dots stand off the edge", () => {
  const picture = (...series: object[]) =>
    ({ title: "t", about: "", x_unit: "%", y_unit: "gain", series, marks: [] }) as never;
  const cloud = (name: string, y: (number | null)[]) => ({ name, look: "points" as const, x: [0, 50, 100], y }); // prettier-ignore
  const law = { name: "law", look: "fit" as const };
  const names = [law, cloud("dry", [1, 0.5, 0]), cloud("wet", [0, 0.5, null])];
  expect(names.slice(1).map((one) => hollowOf(names, one))).toEqual([false, true]);
  expect(insetOf(picture(cloud("dry", [1, 1, 1])))).toBeGreaterThan(4);
  expect(insetOf(picture({ ...cloud("law", [1, 1, 1]), look: "fit" }))).toBe(0);
});
