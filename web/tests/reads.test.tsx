// @vitest-environment jsdom
/** Pictures of the bench as they are drawn: labels apart, what is set now and nearest told apart. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import { besideOf } from "../src/charts/reads";
import { MeasuredRepeats } from "../src/charts/MeasuredRepeats";
import { ReadsDoes } from "../src/charts/ReadsDoes";
import { Tries } from "../src/charts/Tries";
import { HaltCourse } from "../src/steps/verify/bench/HaltCourse";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

const mark = (label_ms: number) => ({
  label_ms,
  does_ms: label_ms * 1.018,
  error_ms: label_ms * 1.018 - 319.149,
});
const marks = Array.from({ length: 13 }, (_, i) => mark(308 + i));

const texts = (picture: Element) =>
  [...picture.querySelectorAll("text")].map((t) => ({
    words: t.textContent ?? "",
    x: Number(t.getAttribute("x")),
    y: Number(t.getAttribute("y")),
  }));

test("the reading that is set now and the nearest stand out, and labels of one row keep apart", () => {
  show(<ReadsDoes marks={marks} nearest={mark(314)} now={mark(319)} wanted={319.149} />);
  const picture = screen.getByRole("img");
  expect(picture.getAttribute("aria-label")).toContain("Set to 314 it does 319.65 ms, +0.50 ms");
  expect(picture.getAttribute("aria-label")).toContain("set to 319 as now it does 324.74 ms");
  const shown = texts(picture);
  expect(shown.some((t) => t.words === "+5.59 ms, as set now")).toBe(true);
  expect(shown.some((t) => t.words === "319.149 ms wanted")).toBe(true);
  const top = shown.filter((t) => /^3\d\d$/.test(t.words) && t.y < 25).sort((a, b) => a.x - b.x);
  expect(top.map((t) => t.words)).toContain("314");
  for (let i = 1; i < top.length; i++) expect(top[i]!.x - top[i - 1]!.x).toBeGreaterThan(30);
});

test("a device that is right shows one reading", () => {
  show(<ReadsDoes marks={marks} nearest={mark(314)} now={mark(314)} wanted={319.65} />);
  expect(screen.getByRole("img").textContent).not.toContain("as set now");
});

test("repeats are as many as have room, rings where they were planned", () => {
  const repeats = Array.from({ length: 20 }, (_, k) => ({
    time_ms: 250 * (k + 1),
    level_db: -6 - 3 * k,
    side: "both",
  }));
  show(<MeasuredRepeats repeats={repeats} plan={{ every_ms: 245, first_db: -6, each_db: -3 }} />);
  const picture = screen.getByRole("img");
  const rings = picture.querySelectorAll("circle");
  expect(rings.length).toBeGreaterThanOrEqual(3);
  expect(rings.length).toBeLessThan(20);
  cleanup();
  show(<MeasuredRepeats repeats={repeats} plan={null} />);
  expect(screen.getByRole("img").querySelectorAll("circle")).toHaveLength(0);
});

test("a try is opened by a press, the present one is filled, and deeper lies lower", () => {
  const onOpen = vi.fn();
  const tries = [
    { id: "a", name: "one", depth: 12 },
    { id: "b", name: "two", depth: 41.5 },
  ];
  show(<Tries tries={tries} here="b" reach={60} onOpen={onOpen} />);
  const picture = screen.getByRole("img", { name: "Tries: 1, −12.0 dB; 2, −41.5 dB" });
  const [first, second] = [...picture.querySelectorAll("circle")];
  expect(Number(second!.getAttribute("cy"))).toBeGreaterThan(Number(first!.getAttribute("cy")));
  expect(first!.getAttribute("fill")).not.toBe(second!.getAttribute("fill"));
  fireEvent.click(first!);
  expect(onOpen).toHaveBeenCalledWith("a");
});

test("halts say what was read at each, and that one was not", () => {
  const halts = [
    { name: "Marker", words: "finds the take", start_s: 1, length_s: 1, said: "found", read: true },
    { name: "Click", words: "one sample", start_s: 2, length_s: 1, said: "not read", read: false },
  ];
  show(<HaltCourse halts={halts} label="Halts" />);
  expect(screen.queryByRole("progressbar")).toBe(null);
  const items = screen.getAllByRole("listitem").map((i) => i.textContent);
  expect(items[0]).toContain("✓ read");
  expect(items[1]).not.toContain("✓");
  cleanup();
  const bare = halts.map((h) => ({ ...h, said: undefined, read: undefined }));
  show(<HaltCourse halts={bare} share={0.4} label="Under way" />);
  expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("40");
});

test("what is said beside a mark stands after it, before it at the edge, and is never cut", () => {
  expect(besideOf(100, 120, 4, 366)).toEqual({ x: 108, anchor: "start" });
  // 238 + 8 + 120 just fits; a pixel further on it does not.
  expect(besideOf(238, 120, 4, 366)).toEqual({ x: 246, anchor: "start" });
  expect(besideOf(239, 120, 4, 366)).toEqual({ x: 231, anchor: "end" });
  expect(besideOf(60, 320, 4, 366)).toEqual({ x: 46, anchor: "start" });
});

test("no line goes through what is said of the ruler's marks", () => {
  const marks = [100, 101, 102, 103, 104, 105, 106].map(mark);
  show(<ReadsDoes marks={marks} nearest={mark(103)} now={mark(105)} wanted={104.9} />);
  const drawn = [...screen.getByRole("img").querySelectorAll("line, text")];
  const last = drawn.map((e) => e.tagName).lastIndexOf("line");
  for (const word of ["nearest", "as set now"]) {
    const at = drawn.findIndex((e) => e.textContent?.includes(`ms, ${word}`));
    expect(at, word).toBeGreaterThan(last);
  }
});
