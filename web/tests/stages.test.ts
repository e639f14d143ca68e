/** Compressor, reverb and ducker: from a stage of a rig into the step, and back, unchanged. */
import { expect, test } from "vitest";

import type { Kind, RigAction, Variant } from "../src/api/client";
import { duckingSettings, keptBlend, keptSpace } from "../src/api/defaults.gen";
import { changesOf, valueWords } from "../src/rigs/changes";
import { fromStage, toStage } from "../src/steps/blend/stage";
import { duckerFrom, duckerTo, reverbFrom, reverbTo } from "../src/steps/space/stage";
import { type Stage, stagesOf } from "../src/rigs/stages";

const stage = (values: Record<string, unknown>) => values as unknown as Stage;

test("a compressor comes and goes with every value that both have", () => {
  const values = {
    threshold_db: -27,
    ratio: 6,
    knee_db: 3,
    makeup_db: 4,
    attack_ms: 7,
    release_ms: 210,
  };
  const came = { ...keptBlend.parallel, follow: true, detector_db: 9, ...fromStage(stage(values)) };
  expect(toStage(came)).toEqual(values);
  // Gain into the detector lowers the threshold by as much: -27 - 9.
  expect(toStage({ ...came, detector_db: 9 }).threshold_db).toBe(-36);
  // Make-up that follows is written as it is in force.
  expect(toStage({ ...came, follow: true }, 11.5).makeup_db).toBe(11.5);
});

test("a reverb keeps its decay by octave on the way in and out", () => {
  const own = {
    rt60_125_s: 3,
    rt60_250_s: 2.4,
    rt60_500_s: 2,
    rt60_1000_s: 1.8,
    rt60_2000_s: 1.2,
    rt60_4000_s: 0.6,
  };
  const came = reverbFrom(stage({ rt60_s: 2, pre_delay: "1/64", ...own }));
  expect(came.ratios).toEqual([1.5, 1.2, 1, 0.9, 0.6, 0.3]);
  const space = { ...keptSpace, ...came };
  expect(
    reverbTo(
      space,
      came.ratios!.map((r) => r * 2),
    ),
  ).toEqual({
    rt60_s: 2,
    pre_delay: "1/64",
    ...own,
  });
});

test("a reverb without octaves of its own is sent none, and none outside what can be set", () => {
  const even = reverbFrom(stage({ rt60_s: 0.8, pre_delay: "20 ms" }));
  expect(even.ratios).toEqual([1, 1, 1, 1, 1, 1]);
  const sent = reverbTo({ ...keptSpace, ...even }, Array<number>(6).fill(0.8));
  expect(
    Object.entries(sent).filter(([f, v]) => f !== "rt60_s" && f !== "pre_delay" && v !== null),
  ).toEqual([]);
  const wild = reverbTo({ ...keptSpace, rt60_s: 60 }, [90, 60, 60, 60, 60, 0.01]);
  expect([wild.rt60_125_s, wild.rt60_4000_s]).toEqual([60, 0.05]);
});

test("a ducker comes and goes; its note value as a length", () => {
  const values = {
    way: "envelope",
    depth_db: 5,
    attack_ms: 3,
    release_ms: 90,
    sensitivity_percent: 140,
    follower_gain_db: -2,
    below_zero: true,
    dip_shape: "half-sine",
  };
  const came = duckerFrom(stage({ ...values, dip_time: "1/8." }), 0.4787);
  expect(duckerTo(came)).toEqual({ ...values, dip_time: "478.7 ms" });
  expect(duckerFrom(stage({}), null)).toEqual(duckingSettings);
});

const VARIANT = {
  document: {
    nodes: {
      hall: { id: "hall", kind: "reverb", rt60_s: 1.8, pre_delay: "20 ms", rt60_125_s: null },
      sum: { id: "sum", kind: "merge" },
      late: { id: "late", kind: "reverb", rt60_s: 1 },
    },
    rails: { "hall.0": { target: "sum", strip: { width_percent: 40 } } },
  },
  view: {
    layout: {
      reading: ["late", "hall", "sum"],
      nodes: [
        { id: "hall", shown: "Hall" },
        { id: "sum", shown: "Sum" },
      ],
    },
  },
} as unknown as Variant;
const KINDS = [
  {
    kind: "reverb",
    parameters: [
      { field: "rt60_s", label: "RT60", unit: "s" },
      { field: "pre_delay", label: "pre-delay", unit: "time" },
      { field: "rt60_125_s", label: "RT60 125 Hz", unit: "s" },
    ],
  },
] as unknown as Kind[];
const act = (action: object) => action as RigAction;

test("stages of a kind stand in the order that the rig is read in", () => {
  expect(stagesOf(VARIANT, "reverb").map((n) => n.id)).toEqual(["late", "hall"]);
  expect(stagesOf(undefined, "reverb")).toEqual([]);
});

test("a press that sends several settings can list them: only what truly changes", () => {
  const set = act({
    do: "set",
    node: "hall",
    values: { rt60_s: 1.25, pre_delay: "20 ms", rt60_125_s: null },
  });
  const strip = act({
    do: "set_strip",
    rail: "hall.0",
    values: { width_percent: 100, level_db: 0 },
  });
  expect(changesOf([act({ do: "several", actions: [set, strip] })], VARIANT, KINDS)).toEqual([
    { of: "Hall", what: "RT60", before: "1.8 s", after: "1.25 s" },
    { of: "into Sum", what: "width", before: "40 %", after: "100 %" },
  ]);
});

test("values in words", () => {
  for (const [value, unit, words] of [
    [null, "s", "not set"],
    [true, "", "on"],
    [false, "", "off"],
    [4, "ratio", "4:1"],
    [-6.25, "dB", "\u22126.25 dB"],
    [0.1 + 0.2, "s", "0.3 s"],
    ["1/8.", "time", "1/8."],
  ] as const)
    expect(valueWords(value, unit)).toBe(words);
});
