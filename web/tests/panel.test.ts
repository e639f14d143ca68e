/** How a control reads, as typed and back: nothing half-typed is kept, and what is kept is shown again as typed. */
import { describe, expect, test } from "vitest";

import {
  chosen,
  clockHours,
  controlOf,
  hours,
  marksOf,
  typedOf,
  Unreadable,
} from "../src/stage/panel";

const range = { low: 0, high: 100, log: false };

describe("a knob by the clock", () => {
  test("the afternoon of a knob is behind twelve", () => {
    expect(["7", "7:30", "12", "1:30", "5:00", "6:15"].map((t) => clockHours(t, "x"))).toEqual([
      7, 7.5, 12, 13.5, 17, 18.25,
    ]);
    for (const bad of ["0:30", "13:00", "7:60", "noon", "", "7.5"])
      expect(() => clockHours(bad, "mix"), bad).toThrow(Unreadable);
  });
  test("what is kept is written again as it was typed", () => {
    const typed = { ...chosen(typedOf("mix_percent", undefined, range), "clock"), step: "0.25" };
    const control = controlOf(typed, "mix")!;
    expect(control).toMatchObject({
      shows: "clock",
      low: 0,
      high: 100,
      shown_low: 7,
      shown_high: 17,
      step: 0.25,
    });
    expect(typedOf("mix_percent", control, range)).toEqual({ ...typed, unit: "" });
    expect([7, 13.5, 12.25, 18].map(hours)).toEqual(["7:00", "1:30", "12:15", "6:00"]);
  });
});

describe("numbers and marks", () => {
  test("a comma, a true minus, and what is no number", () => {
    const typed = {
      ...chosen(typedOf("level_db", undefined, null), "value"),
      low: "−60",
      high: "2,5",
    };
    expect(controlOf(typed, "level")).toMatchObject({ low: -60, high: 2.5, shown_low: null });
    expect(() => controlOf({ ...typed, low: "" }, "level")).toThrow(
      "level, at its low end: “nothing” is no number.",
    );
    expect(() => controlOf({ ...typed, high: "1e5" }, "level")).toThrow(Unreadable);
  });
  test("marks are a name and a value each, names may have spaces", () => {
    expect(marksOf("very slow 300; fast −2,5;")).toEqual([
      { name: "very slow", value: 300 },
      { name: "fast", value: -2.5 },
    ]);
    expect(() => marksOf("slow")).toThrow("a mark is its name and what it sets");
    const typed = {
      ...chosen(typedOf("time", undefined, range), "marks"),
      marks: "slow 300; fast 80",
    };
    const control = controlOf(typed, "time")!;
    expect(typedOf("time", control, range).marks).toBe("slow 300; fast 80");
    expect(control.shown_low).toBeNull();
  });
  test("as planned is nothing to keep", () => {
    expect(controlOf(typedOf("mix_percent", undefined, range), "mix")).toBeNull();
  });
});
