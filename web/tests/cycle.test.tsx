// @vitest-environment jsdom
import { cleanup } from "@testing-library/react";
import { afterEach, beforeAll, expect, test } from "vitest";

import { CycleChart, reachOf } from "../src/charts/CycleChart";
import { resolvedOf } from "../src/steps/route/settings";
import { show, standIn } from "./dom";
import type { Parameter } from "../src/api/client";

beforeAll(standIn);
afterEach(cleanup);

const cycle = (unit: string, left: number[], right: number[] | null = null) => ({
  unit,
  left,
  right,
  seconds: 1,
  cycle_s: 0.5,
});

test("a level is drawn on all that it can be, the rest on what it does", () => {
  expect(reachOf(cycle("%", [40, 60]))).toEqual([0, 100]);
  expect(reachOf(cycle("dB", [-3, 0]))).toEqual([-6, 0]);
  expect(reachOf(cycle("dB", [-18, 0]))).toEqual([-18, 0]);
  expect(reachOf(cycle("ms", [6, 8], [5, 9]))).toEqual([5, 9]);
  expect(reachOf(cycle("ms", [7, 7]))).toEqual([6, 8]);
  expect(reachOf(cycle("Hz", [800, 800]))).toEqual([400, 1600]);
});

test("a side of its own is drawn and said", () => {
  const one = show(<CycleChart cycle={cycle("%", [100, 20, 100])} />);
  expect(one.container.querySelectorAll("path").length).toBe(1);
  expect(one.getByRole("img").getAttribute("aria-label")).toBe(
    "level that passes from 20 to 100 % in a cycle of 500 ms",
  );
  one.unmount();
  const two = show(<CycleChart cycle={cycle("%", [100, 20, 100], [20, 100, 20])} />);
  expect(two.container.querySelectorAll("path").length).toBe(2);
  expect(two.container.textContent).toContain("right dashed");
});

test("a cycle has a time of its own, others that of their part", () => {
  const p = (field: string, optional: boolean, sort = "time") =>
    ({ field, optional, sort }) as unknown as Parameter;
  const times = { echo: 300, "trem.cycle": 250 };
  expect(resolvedOf(times, "trem", p("cycle", true))).toBe(250);
  expect(resolvedOf(times, "echo", p("time", false))).toBe(300);
  expect(resolvedOf(times, "echo", p("cycle", true))).toBeUndefined();
  expect(resolvedOf(times, "echo", p("mix_percent", false, "number"))).toBeUndefined();
});
