/** Settings of a stage: groups, search, what is changed, scales, and what is typed. By hand. */
import { describe, expect, test } from "vitest";

import type { Frame, Kind, Parameter } from "../src/api/client";
import { noteMs, wholeOf } from "../src/song/notes";
import { causesOf, countsOf } from "../src/steps/route/causes";
import {
  along,
  changedOf,
  grain,
  groupsOf,
  isChanged,
  mainOf,
  numberOf,
  readSetting,
  searched,
  stepped,
  ticksOf,
  valueAt,
  wordsOf,
} from "../src/steps/route/settings";
import { letterOf, stepped as nextPlace, type Landing } from "../src/steps/route/useLaying";
import { CUT, MIX, parameter, TIME } from "./makes";

const FEEDBACK = parameter({
  ...MIX,
  field: "feedback_percent",
  label: "feedback",
  high: 200,
  default: 0,
});
const LEVEL = parameter({
  field: "level_db",
  label: "level",
  unit: "dB",
  low: -120,
  high: 60,
  scale: { low: -30, high: 12, log: false },
});
const ATTACK = parameter({
  field: "attack_ms",
  label: "attack",
  unit: "ms",
  low: 0.01,
  high: 500,
  default: 10,
  group: "dynamics",
  scale: { low: 0.1, high: 200, log: true },
});
const NAME = parameter({
  field: "name",
  label: "name",
  sort: "text",
  optional: true,
  group: "role",
  default: null,
});
const RATIO = parameter({
  field: "ratio",
  label: "ratio",
  unit: "ratio",
  low: 1,
  high: 1000,
  default: 4,
});
const KIND = {
  kind: "delay",
  title: "Delay",
  stage: true,
  traits: [],
  main: ["time", "mix_percent"],
  parameters: [NAME, CUT, TIME, FEEDBACK, MIX, ATTACK],
} as unknown as Kind;
const SONG = {
  tempo_bpm: 94,
  beat_unit: "1/4.",
  metre_count: 6,
  metre_unit: 8,
  sample_rate_hz: 48_000,
} as Frame;

const set = (of: Parameter, typed: string, value: unknown = 1) =>
  readSetting(of, typed, value, SONG);

describe("what comes first, and where the rest stands", () => {
  test("main settings come in the order of the kind, the others in groups, cabling last", () => {
    expect(mainOf(KIND).map((q) => q.field)).toEqual(["time", "mix_percent"]);
    expect(groupsOf(KIND).map((g) => [g.name, g.parameters.map((q) => q.field)])).toEqual([
      ["tone", ["low_cut_hz"]],
      ["level", ["feedback_percent"]],
      ["dynamics", ["attack_ms"]],
      ["role", ["name"]],
    ]);
  });

  test("a setting is found by its name, its group and what it does", () => {
    const found = (words: string) => searched(KIND, words).map((q) => q.field);
    expect(found("cut")).toEqual(["low_cut_hz"]);
    expect(found("rumble")).toEqual(["low_cut_hz"]);
    expect(found("tone low")).toEqual(["low_cut_hz"]);
    expect(found("tone attack")).toEqual([]);
    expect(found("  ")).toEqual([]);
  });

  test("what is other than at rest is changed; a name is not", () => {
    expect(isChanged(MIX, 100)).toBe(false);
    expect(isChanged(MIX, 99.5)).toBe(true);
    expect(isChanged(CUT, undefined)).toBe(false);
    expect(isChanged(CUT, 80)).toBe(true);
    expect(isChanged(NAME, "Echo")).toBe(false);
    const values = {
      mix_percent: 32,
      time: "1/8",
      attack_ms: 12,
      name: "Echo",
      feedback_percent: 0,
    };
    expect(changedOf(KIND, values).map((q) => q.field)).toEqual(["mix_percent", "attack_ms"]);
  });
});

describe("what is typed", () => {
  test.each<[string, Parameter, string, unknown]>([
    ["seconds are not milliseconds", ATTACK, "0.15 s", 150],
    ["a note value is a length", ATTACK, "1/128", 13.29787],
    ["a bare number is in the field's unit", ATTACK, "12", 12],
    ["a share as a factor", FEEDBACK, "0.25x", 25],
    ["a share as a gain", FEEDBACK, "-6.0206 dB", 50],
    ["a gain as a factor", LEVEL, "0.5x", -6.02059991],
    ["a gain with its sign", LEVEL, "\u22121.5 dB", -1.5],
    ["beyond the scale, within the limits", LEVEL, "-60", -60],
    ["kilohertz", CUT, "1.2k", 1200],
    ["nothing, where there may be nothing", CUT, "", null],
    ["a ratio with its colon", RATIO, "8:1", 8],
    ["a name", NAME, " Lead echo ", "Lead echo"],
  ])("%s", (_, parameter, typed, expected) => {
    const read = set(parameter, typed) as { value: unknown };
    if (typeof expected === "number") expect(read.value).toBeCloseTo(expected, 4);
    else expect(read.value).toEqual(expected);
  });

  test("a time stays as it was written; a bare number is in ms", () => {
    expect(set(TIME, "1/8.")).toEqual({ value: "1/8." });
    expect(set(TIME, "@lead_throw")).toEqual({ value: "@lead_throw" });
    expect(set(TIME, "1.5 s")).toEqual({ value: "1.5 s" });
    expect(set(TIME, "319")).toEqual({ value: "319 ms" });
  });

  test("what is not understood is said, and nothing moves", () => {
    for (const [parameter, typed] of [
      [ATTACK, "quick"],
      [ATTACK, "1/0"],
      [ATTACK, "9 s"],
      [ATTACK, "4/1"],
      [MIX, "140"],
      [MIX, "12 Hz"],
      [LEVEL, "loud"],
      [TIME, "soon"],
      [TIME, "-4 ms"],
      [MIX, ""],
      [CUT, "1e99"],
    ] as const) {
      const read = set(parameter, typed) as { said: string };
      expect(read.said, typed).toMatch(/\.$/);
    }
  });

  test("what stands there already is no change", () => {
    expect(set(MIX, "32", 32)).toBeNull();
    expect(set(CUT, "", null)).toBeNull();
    expect(set(NAME, "", null)).toBeNull();
    expect(set(TIME, "1/8", "1/8")).toBeNull();
  });
});

describe("scales", () => {
  test("a value stands where it belongs, and a place gives its value back", () => {
    expect(along(MIX, 25)).toBe(0.25);
    expect(along(MIX, 400)).toBe(1);
    // Half way between 0.1 and 200 by ratios is their geometric mean.
    expect(along(ATTACK, Math.sqrt(0.1 * 200))).toBeCloseTo(0.5, 9);
    expect(along(ATTACK, 0)).toBe(0);
    for (const part of [0, 0.13, 0.5, 0.77, 1]) {
      expect(along(MIX, valueAt(MIX, part))).toBeCloseTo(part, 2);
      expect(along(ATTACK, valueAt(ATTACK, part))).toBeCloseTo(part, 2);
    }
    expect(valueAt(MIX, -3)).toBe(0);
  });

  test("an arrow is a hundredth, with Shift a tenth, with Alt a thousandth; never past the limits", () => {
    expect(grain(MIX)).toBe(0.5);
    expect(stepped(MIX, 32, 1, 1)).toBe(33);
    expect(stepped(MIX, 32, -1, 10)).toBe(22);
    expect(stepped(MIX, 32, 1, 0.1)).toBe(32.1);
    expect(stepped(MIX, 99.9, 1, 10)).toBe(100);
    expect(stepped(ATTACK, 100, 1, 1)).toBe(101);
    expect(stepped(ATTACK, 100, -1, 10)).toBeCloseTo(90.91, 2);
    expect(stepped(ATTACK, 0.01, -1, 10)).toBe(0.01);
  });

  test("ticks are round, within the scale, and no more than there is room for", () => {
    for (const parameter of [MIX, LEVEL, ATTACK, CUT, TIME])
      for (const room of [110, 220, 350]) {
        const ticks = ticksOf(parameter, room);
        const { low, high } = parameter.scale!;
        expect(ticks.length).toBeGreaterThan(1);
        expect(Math.min(...ticks)).toBeGreaterThanOrEqual(low - 1e-9);
        expect(Math.max(...ticks)).toBeLessThanOrEqual(high * 1.001);
        expect([...ticks].sort((a, b) => a - b)).toEqual(ticks);
      }
    expect(ticksOf(MIX, 350)).toEqual([0, 20, 40, 60, 80, 100]);
  });

  test("a time stands where the tempo puts it", () => {
    expect(numberOf(TIME, "1/8.", 319.15)).toBe(319.15);
    expect(numberOf(TIME, "250 ms", undefined)).toBe(250);
    expect(numberOf(TIME, "1.5 s", undefined)).toBe(1500);
    expect(numberOf(CUT, null, undefined)).toBeNull();
    expect(wordsOf(CUT, null)).toBe("off");
    expect(wordsOf(MIX, 32)).toBe("32 %");
  });
});

test("note values under a dotted quarter at 94: 638.3 ms a beat, a quarter 425.532", () => {
  expect(wholeOf("1/8.")).toBeCloseTo(3 / 16, 12);
  expect(wholeOf("1/8T")).toBeCloseTo(1 / 12, 12);
  expect(wholeOf("1/8q")).toBeCloseTo(1 / 10, 12);
  expect(wholeOf("8")).toBeNull();
  expect(noteMs("1/4", SONG)).toBeCloseTo(425.5319, 3);
  expect(noteMs("1/8.", SONG)).toBeCloseTo(319.1489, 3);
  expect(noteMs("ten", SONG)).toBeNull();
});

test("findings of one check stand together, alarms apart from cautions", () => {
  const found = (check: string, severity: string, at: string) =>
    ({ check, severity, at }) as Parameters<typeof causesOf>[0][number];
  const all = [
    found("peak", "alarm", "a"),
    found("peak", "caution", "b"),
    found("leak", "caution", "c"),
    found("peak", "caution", "d"),
  ];
  expect(causesOf(all).map((c) => [c.first.at, c.more.map((m) => m.at)])).toEqual([
    ["a", []],
    ["b", ["d"]],
    ["c", []],
  ]);
  expect(countsOf(all)).toEqual(["1 alarm", "3 cautions"]);
});

test("places to land are walked round, past those that cannot be", () => {
  const rows = [
    { place: "a", possible: true },
    { place: "b", possible: false },
    { place: "c", possible: true },
  ] as Landing[];
  expect(nextPlace(rows, "a", 1)).toBe("c");
  expect(nextPlace(rows, "c", 1)).toBe("a");
  expect(nextPlace(rows, "a", -1)).toBe("c");
  expect(nextPlace([], "a", 1)).toBe("a");
  expect([letterOf(0), letterOf(25), letterOf(26)]).toEqual(["a", "z", ""]);
});
