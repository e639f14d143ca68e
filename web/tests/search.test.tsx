// @vitest-environment jsdom
/** A search for the null: what is moved, what is heard of it, what is written, how it is drawn. */
import { cleanup, screen } from "@testing-library/react";
import { afterEach, beforeAll, expect, test } from "vitest";

import { LateChart } from "../src/charts/LateChart";
import {
  begun,
  chosen,
  delayOf,
  depthAt,
  factorOf,
  heldBack,
  levelOf,
  pathsIn,
  WHOLE,
} from "../src/playing/search";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

const STEMS = [
  { id: "dry.0", name: "Dry", level_db: 0 },
  { id: "copy.0", name: "Copy, Guitar", level_db: -6, moves: true },
  { id: "copy.0", name: "Copy, Kick", level_db: -6, moves: true },
  { id: "amp.0", name: "Amp", level_db: null },
  { id: "rest", name: "the rest", level_db: null },
];

test("each path once, all its sources with it; what has no level cannot be moved", () => {
  expect(pathsIn(STEMS)).toEqual([
    { id: "dry.0", name: "Dry" },
    { id: "copy.0", name: "Copy" },
  ]);
  expect(chosen(STEMS, WHOLE)).toEqual(["dry.0", "copy.0"]);
  expect(chosen(STEMS, "copy.0")).toEqual(["copy.0"]);
  expect(chosen(STEMS, "")).toEqual([]);
});

test("it begins with what is balanced, then with what moves by itself, then with the first", () => {
  expect(begun(STEMS, ["dry.0"])).toBe("dry.0");
  expect(begun(STEMS, ["dry.0", "copy.0"])).toBe("copy.0");
  expect(begun(STEMS, ["gone.0"])).toBe("copy.0");
  expect(begun([STEMS[0]!], [])).toBe("dry.0");
  expect(begun([], [])).toBe("");
});

test("only the paths of the sound that is searched are changed, with their polarity", () => {
  const search = { id: "B", paths: ["copy.0"], db: -6, inverted: true, ms: 0 };
  expect(factorOf(search, "B", "copy.0")).toBeCloseTo(-0.501187, 6);
  expect(factorOf(search, "B", "dry.0")).toBe(1);
  expect(factorOf(search, "A", "copy.0")).toBe(1);
  expect(factorOf(null, "B", "copy.0")).toBe(1);
  expect(factorOf(search, "B", undefined)).toBe(1);
});

test("what is taken is added to what the strip is set to, or refused in a sentence", () => {
  expect(levelOf({ level_db: -4, inverted: true }, 1.5, true)).toEqual({
    values: { level_db: -2.5, inverted: false },
  });
  expect(levelOf({ level_db: 0 }, -0.1, false)).toEqual({ values: { level_db: -0.1 } });
  expect(levelOf({ level_db: 55 }, 12, false)).toHaveProperty("said");
  expect(delayOf({ delay_ms: 2.71 }, -0.21)).toEqual({ values: { delay_ms: 2.5 } });
  expect(delayOf({}, -0.01)).toHaveProperty("said");
  expect(delayOf({ delay_ms: 1999 }, 5)).toHaveProperty("said");
});

test("the deepest step is marked and said", () => {
  const found = {
    changes_ms: [-2, 0, 2],
    depths_db: [0, -10, 1],
    depth_db: -10,
    best_ms: 0.78,
    best_depth_db: -61.26,
    from_s: 0,
    until_s: 30,
  };
  show(<LateChart found={found} />);
  expect(screen.getByRole("img").getAttribute("aria-label")).toBe(
    "Residual over a change of delay, −2.0 to 2.0 ms. Deepest at +0.780 ms: 61.3 dB down.",
  );
  expect(screen.getByText("+0.780 ms: 61.3 dB down")).toBeTruthy();
});

test("what is moved comes later, or all else does: nothing has to come before it begins", () => {
  const stems = [{ id: "dry.0" }, { id: "copy.0" }];
  const search = { id: "B", paths: ["copy.0"], db: 0, inverted: false, ms: 2 };
  expect(heldBack(search, "B", stems)).toEqual([0, 0.002]);
  expect(heldBack(search, "A", stems)).toEqual([0, 0]);
  const earlier = { ...search, ms: -2 };
  expect(heldBack(earlier, "B", stems)).toEqual([0.002, 0]);
  expect(heldBack(earlier, "A", stems)).toEqual([0.002, 0.002]);
  // A sound without stems is one: it waits as a whole.
  expect(heldBack(earlier, "clip", [])).toEqual([0.002]);
  expect(heldBack({ ...search, ms: 0 }, "B", stems)).toBeNull();
  expect(heldBack(null, "B", stems)).toBeNull();
});

test("between two places that were worked out the residual is told straight", () => {
  const [ms, db] = [
    [-1, 0, 1],
    [-6, -30, -12],
  ];
  expect(depthAt(ms, db, 0)).toBe(-30);
  expect(depthAt(ms, db, -0.5)).toBe(-18);
  expect(depthAt(ms, db, 0.25)).toBe(-25.5);
  expect(depthAt(ms, db, -3)).toBe(-6);
  expect(depthAt(ms, db, 1.5)).toBeNull();
  expect(depthAt([], [], 0)).toBeNull();
});
