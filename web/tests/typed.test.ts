/** What is typed at a scale: units, scripts, ends, nonsense. Expectations worked by hand. */
import { expect, test } from "vitest";

import { readTyped, unitIn } from "../src/ui/typed";

test("units are those that stand in what is shown", () => {
  for (const [shown, unit] of [
    ["\u221234.0 dBFS", "dB"],
    ["4.0:1", ":1"],
    ["1\u202f500 ms", "ms"],
    ["1.2 kHz", "kHz"],
    ["60 %", "%"],
    ["0.72 s", "s"],
    ["3", ""],
  ])
    expect(unitIn(shown!)).toBe(unit);
});

test("numbers are read as people write them", () => {
  const cases: [string, string, number][] = [
    ["12", "3 ms", 12],
    [" 12 ms ", "3 ms", 12],
    ["1,5", "3.0 dB", 1.5],
    ["\u22126", "0 dB", -6],
    ["-6 dB", "0 dB", -6],
    ["+2", "0 dB", 2],
    ["0.25 s", "3 ms", 250],
    ["40 ms", "0.10 s", 0.04],
    ["1.2k", "800 Hz", 1200],
    ["800 hz", "1.0 kHz", 0.8],
    ["٣٠", "3 ms", 30],
    ["१२.५", "3 ms", 12.5],
    ["３０ ms", "3 ms", 30],
    ["8:1", "4.0:1", 8],
    ["1e2", "3 ms", 100],
    [".5", "1.0 dB", 0.5],
  ];
  for (const [text, shown, value] of cases)
    expect(readTyped(text, shown, -1000, 10_000), text).toEqual({ value });
});

test("a share can be typed as a gain, and a gain as a share", () => {
  const value = (text: string, shown: string) => {
    const read = readTyped(text, shown, -120, 400);
    return "value" in read ? read.value : read.said;
  };
  expect(value("0.25x", "60 %")).toBe(25);
  expect(value("-6 dB", "60 %")).toBeCloseTo(50.1187, 4);
  expect(value("0 dB", "60 %")).toBe(100);
  expect(value("0.5x", "0.0 dB")).toBeCloseTo(-6.0206, 4);
  expect(value("2x", "0.0 dB")).toBeCloseTo(6.0206, 4);
  expect(value("0x", "0.0 dB")).toMatch(/is not in dB/);
  expect(value("40 dB", "60 %")).toMatch(/10.?000 cannot be set/);
});

test("words for the ends and the middle", () => {
  expect(readTyped("inf:1", "4.0:1", 1, 1000)).toEqual({ value: 1000 });
  expect(readTyped("∞", "4.0:1", 1, 1000)).toEqual({ value: 1000 });
  expect(readTyped("off", "-3.0 dB", -120, 24)).toEqual({ value: -120 });
  expect(readTyped("centre", "20 % left", -100, 100)).toEqual({ value: 0 });
});

test("what cannot be set is said with what can be, and nothing is taken", () => {
  const said = (text: string, shown = "3 ms") => {
    const read = readTyped(text, shown, 0, 500);
    return "said" in read ? read.said : read.value;
  };
  expect(said("")).toBe("Type a number, 0 to 500 ms.");
  expect(said("   ")).toBe("Type a number, 0 to 500 ms.");
  expect(said("loud")).toBe("“loud” is no number: 0 to 500 ms can be set.");
  expect(said("-1")).toBe("\u22121 cannot be set: 0 to 500 ms can.");
  expect(said("1e9")).toBe("1.0e+9 cannot be set: 0 to 500 ms can.");
  expect(said("1e999")).toMatch(/cannot be set/);
  expect(said("12 dB")).toBe("“db” is not in ms.");
  expect(said("3 4 abc")).toMatch(/is not in ms/);
  expect(said("1.2.3")).toMatch(/is not in ms/);
  expect(said("NaN")).toMatch(/is no number/);
  expect(said("<b>7</b>")).toMatch(/is no number/);
  expect((said("x".repeat(10_000)) as string).length).toBeLessThan(80);
  expect(said("9".repeat(10_000))).toMatch(/cannot be set/);
});
