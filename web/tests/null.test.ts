import { expect, test } from "vitest";

import { asText, ends, rungs } from "../src/charts/ladder";
import { domainOf, labelOf, octaveTicks, type Picture } from "../src/charts/picture";
import { nearest } from "../src/steps/verify/ReachLine";
import { worth } from "../src/steps/verify/Why";

const step = (code: string, value: string, leaves_db: number | null) =>
  ({ code, words: "Set", value, beside: "", leaves_db, takes_db: null, hurts: "" }) as never;

const result = {
  raw_null_db: 1.7,
  to_set: [
    step("offset", "23.37 samples", 4.4),
    step("polarity", "inverted", -9.5),
    step("level", "1.70 dB", -14.3),
    step("filter", "−2.1 dB", -39.8),
    step("dynamics", "1.15:1", null),
  ],
};

test("each row of what to set begins where the one before ended, and above A is left of nothing", () => {
  expect(rungs(result)).toEqual([
    { from: 0, to: -1.7 },
    { from: -1.7, to: -4.4 },
    { from: -4.4, to: 9.5 },
    { from: 9.5, to: 14.3 },
    { from: 14.3, to: 39.8 },
    { from: 39.8, to: null },
  ]);
});

test("the scale holds what is above A, the deepest row and the limit, in whole tens", () => {
  expect(ends(rungs(result), 90)).toEqual([-10, 110]);
  expect(ends([{ from: 0, to: 3 }], null)).toEqual([0, 40]);
  expect(ends([{ from: 0, to: 148.9 }], 90)).toEqual([0, 170]);
});

test("what is copied is the list in its order", () => {
  expect(asText(result).split("\n")).toHaveLength(5);
  expect(asText(result)).toMatch(/^1\. Set 23\.37 samples\n2\. Set inverted\n/);
});

const picture = (more: Partial<Picture>): Picture => ({
  title: "Gain",
  about: "",
  x_unit: "s",
  x_log: false,
  y_unit: "dB",
  series: [{ name: "found", look: "found", x: [0, 1, 2], y: [0, null, -3] }],
  marks: [],
  ...more,
});

test("a picture has room for all that is drawn, gaps left out", () => {
  const { x, y } = domainOf(picture({}));
  expect(x).toEqual([0, 2]);
  expect(y[0]).toBeLessThan(-3);
  expect(y[1]).toBeGreaterThan(0);
});

test("a hundredth of a decibel does not fill the sheet, and nothing at all is drawn too", () => {
  const flat = [{ name: "found", look: "found" as const, x: [0, 1], y: [0.01, 0.02] }];
  const { y } = domainOf(picture({ series: flat }));
  expect(y[1] - y[0]).toBeGreaterThanOrEqual(1);
  expect(domainOf(picture({ series: [] })).x).toEqual([0, 1]);
});

test("frequencies have fewer ticks where there is less room, always inside the range", () => {
  expect(octaveTicks([20, 20_000], 900)).toHaveLength(10);
  const few = octaveTicks([60, 9000], 150);
  expect(few.length).toBeLessThanOrEqual(4);
  expect(few.every((f) => f >= 60 && f <= 9000)).toBe(true);
  expect([labelOf("Hz", 2000), labelOf("Hz", 200), labelOf("dB", 2), labelOf("s", 64)]).toEqual([
    "2 k",
    "200",
    "+2",
    "1:04",
  ]);
});

test("a cause is worth what it takes, or says its own figure where that is nothing", () => {
  const cause = (more: object) =>
    ({ code: "level", takes_db: 0, figures: {}, ...more }) as Parameters<typeof worth>[0];
  expect(worth(cause({ takes_db: 53.94 }))).toBe("53.9 dB");
  expect(worth(cause({ code: "offset", figures: { samples: -23.37 } }))).toBe("23.37 samples");
  expect(worth(cause({ code: "offset", figures: { samples: 12 } }))).toBe("12 samples");
  expect(worth(cause({ code: "noise", figures: { level_dbfs: -62 } }))).toBe("−62.0 dBFS");
  expect(worth(cause({ code: "length" }))).toBe("");
});

test("a setting is told in its steps, with what stays", () => {
  expect(nearest(1.7, 0.005, "dB")).toBe("raise by 1.7 dB, +0.005 off");
  expect(nearest(-0.49, -0.003, "ms")).toBe("earlier by 0.49 ms, −0.003 off");
  expect(nearest(0, 0.02, "dB")).toBe("leave as it is, +0.020 off");
  expect(nearest(-6, 0, "dB")).toBe("lower by 6 dB");
});
