import { describe, expect, test } from "vitest";

import {
  between,
  dayOf,
  type Entry,
  howMany,
  knots,
  marked,
  ROW,
  span,
  stepsIn,
  whenKept,
} from "../src/steps/log/log";

const at = (created_at: string) => ({ created_at }) as Entry;

test("a day is named where it begins, going down from the newest", () => {
  const entries = ["2026-11-29T12:00:00", "2026-11-29T09:00:00", "2026-11-28T23:59:00"].map(at);
  const days = entries.map((e, i) => dayOf(e, entries[i - 1]));
  expect(days[0]).toMatch(/^Sunday,? 29 November 2026$/);
  expect(days[1]).toBeNull();
  expect(days[2]).toMatch(/^Saturday,? 28 November 2026$/);
});

test("on the rail the distance is the time between, and ends stand beside their rows", () => {
  // An hour ago, then half an hour earlier, then two and a half hours before that.
  const found = knots([10_800_000, 9_000_000, 0], [30, 30 + ROW, 60 + 2 * ROW]);
  expect(found[0]!.at).toBe(30 + ROW / 2);
  expect(found[2]!.at).toBe(60 + 2.5 * ROW);
  const [first, second, last] = found.map((k) => k.at) as [number, number, number];
  expect((second - first) / (last - first)).toBeCloseTo(1 / 6, 10);
  expect(found.map((k) => k.row)).toEqual([30 + ROW / 2, 30 + 1.5 * ROW, 60 + 2.5 * ROW]);
});

test("one entry, or several at one moment, stand beside their rows", () => {
  expect(knots([5], [30])).toEqual([{ at: 30 + ROW / 2, row: 30 + ROW / 2 }]);
  expect(knots([5, 5], [0, ROW]).every((k) => k.at === k.row)).toBe(true);
  expect(knots([], [])).toEqual([]);
});

test("it is said how many of how many stand here", () => {
  expect([howMany(1, 1), howMany(12, 12), howMany(50, 140)]).toEqual([
    "1 entry",
    "12 entries",
    "50 of 140 entries",
  ]);
});

test("steps without entries are not offered, but the one that is asked for stays", () => {
  expect(stepsIn({ verify: 3, time: 1 }, "")).toEqual([
    ["time", 1],
    ["verify", 3],
  ]);
  expect(stepsIn({ time: 1 }, "blend")).toEqual([
    ["time", 1],
    ["blend", 0],
  ]);
});

test("what was kept by itself is told from what was named", () => {
  const at = "2026-11-29T14:20:00";
  expect(whenKept({ kind: "named", created_at: at })).toMatch(/^29 Nov 2026, 14:20$/);
  expect(whenKept({ kind: "daily", created_at: at })).toMatch(/14:20, kept by itself$/);
  expect(whenKept({ kind: "before", created_at: at })).toMatch(/14:20, kept by itself$/);
});

describe("two entries", () => {
  const entry = (number: string, at: string) => ({ number, created_at: at }) as Entry;
  test("from the older to the newer, whichever was chosen first", () => {
    const older = entry("−39.5 dB", "2026-11-29T10:00:00Z");
    const newer = entry("−97 dB", "2026-11-29T12:30:00Z");
    const found = { figures: "−39.5 dB → −97 dB: −57.5 dB", words: "2 hours between them" };
    expect(between(older, newer)).toEqual(found);
    expect(between(newer, older)).toEqual(found);
  });
  test("figures of different units, or none, are not subtracted", () => {
    const at = "2026-11-29T10:00:00Z";
    expect(between(entry("1.25 s", at), entry("3 dB", at)).figures).toBeNull();
    expect(between(entry("", at), entry("3 dB", at)).figures).toBeNull();
    expect(between(entry("12 of 16", at), entry("9 of 16", at)).figures).toBeNull();
    expect(between(entry("1\u202f200 Hz", at), entry("900 Hz", at)).figures).toContain("−300 Hz");
  });
  test("spans in words, and at most two chosen", () => {
    expect([500, 1000, 61_000, 7_200_000, 86_400_000 * 3].map(span)).toEqual([
      "0 seconds",
      "1 second",
      "1 minute",
      "2 hours",
      "3 days",
    ]);
    expect(marked(["a", "b"], "c")).toEqual(["b", "c"]);
    expect(marked(["a", "b"], "a")).toEqual(["b"]);
  });
});
