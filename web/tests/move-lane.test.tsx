// @vitest-environment jsdom
/** The lane of a move: points by keys and fields, what is kept of them, and what is not. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import type { Bar } from "../src/playing/bars";
import type { Movable } from "../src/playing/moves";
import type { Listening } from "../src/playing/usePlaying";
import { Lane } from "../src/steps/listen/MoveLane";
import { point, show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

// Bars of four beats, a second each: 8 s.
const bars: Bar[] = [0, 1].map((i) => ({
  bar: i + 1,
  at: 4 * i,
  beats: 4,
  length: 4,
  beatsAt: [0, 1, 2, 3].map((b) => 4 * i + b),
}));
const HEAD = { position: 0, lap: 1, meter: null };
const l = (position = 0) =>
  ({
    bars,
    whole: 8,
    heard: { render: { report: { seconds: 8 } } },
    player: {
      playing: false,
      at: () => position,
      head: { subscribe: () => () => undefined, get: () => HEAD },
    },
  }) as unknown as Listening;
const LEVEL: Movable = {
  part: "d.0",
  field: "level_db",
  name: "Echo into Mix: level",
  unit: "dB",
  low: -30,
  high: 12,
  log: false,
  flag: false,
  resting: -6,
};
const at = (bar: number, beat: number, value: number | boolean, ramp = false) => ({
  bar,
  beat,
  value,
  ramp,
});

function lane(points = [at(1, 2, 0), at(2, 1, -12)], of = LEVEL, position = 0) {
  const onPoints = vi.fn();
  show(<Lane l={l(position)} of={of} points={points} onPoints={onPoints} />);
  return onPoints;
}
const marks = () => screen.getAllByRole("slider");

test("it says what it is, where it rests, and each point in words", () => {
  lane();
  expect(screen.getByRole("group").getAttribute("aria-label")).toBe(
    "Echo into Mix: level over the bars: 2 points; resting at \u22126.00 dB",
  );
  expect(
    marks().map((m) => [m.getAttribute("aria-label"), m.getAttribute("aria-valuetext")]),
  ).toEqual([
    ["Point at bar 1, beat 2.00", "0.00 dB, a step"],
    ["Point at bar 2, beat 1.00", "\u221212.0 dB, a step"],
  ]);
});

test("arrows move a point up, down and along, over bar lines; L makes its way a line", () => {
  const kept = lane();
  fireEvent.keyDown(marks()[0]!, { key: "ArrowUp" });
  expect(kept.mock.lastCall![0][0]).toEqual(at(1, 2, 0.7));
  fireEvent.keyDown(marks()[0]!, { key: "ArrowDown", shiftKey: true });
  expect(kept.mock.lastCall![0][0].value).toBeCloseTo(-3.5, 6);
  fireEvent.keyDown(marks()[1]!, { key: "ArrowLeft" });
  expect(kept.mock.lastCall![0][1]).toEqual(at(1, 4, -12));
  fireEvent.keyDown(marks()[0]!, { key: "ArrowRight", shiftKey: true });
  // A bar on from beat 2 of bar 1: they come in the order of the bars.
  expect(kept.mock.lastCall![0].map((p: { bar: number; beat: number }) => [p.bar, p.beat])).toEqual(
    [
      [2, 1],
      [2, 2],
    ],
  );
  fireEvent.keyDown(marks()[1]!, { key: "l" });
  expect(kept.mock.lastCall![0][1].ramp).toBe(true);
  // Before the first beat of the song there is nothing.
  const before = kept.mock.calls.length;
  cleanup();
  const first = lane([at(1, 1, 0)]);
  fireEvent.keyDown(marks()[0]!, { key: "ArrowLeft" });
  expect(first).not.toHaveBeenCalled();
  expect(kept.mock.calls.length).toBe(before);
});

test("Delete takes a point out, N sets one where it plays, at rest", () => {
  const kept = lane(undefined, LEVEL, 5.3);
  fireEvent.keyDown(marks()[0]!, { key: "Delete" });
  expect(kept.mock.lastCall![0]).toEqual([at(2, 1, -12)]);
  fireEvent.keyDown(screen.getByRole("group"), { key: "n" });
  // 5.3 s are bar 2, beat 2.3: the nearest half.
  expect(kept.mock.lastCall![0].at(-1)).toEqual(at(2, 2.5, -6));
});

test("a switch is on or off and knows no lines", () => {
  const mute: Movable = { ...LEVEL, field: "muted", flag: true, low: 0, high: 1, resting: false };
  const kept = lane([at(1, 1, true, false)], mute);
  expect(marks()[0]!.getAttribute("aria-valuetext")).toBe("on, a step");
  fireEvent.keyDown(marks()[0]!, { key: "ArrowDown" });
  expect(kept.mock.lastCall![0][0].value).toBe(false);
  const before = kept.mock.calls.length;
  fireEvent.keyDown(marks()[0]!, { key: "l" });
  expect(kept.mock.calls.length).toBe(before);
});

test("a drag that is cancelled leaves the points as they were; one that ends is kept once", () => {
  const kept = lane();
  const sheet = screen.getByRole("group");
  point(marks()[0]!, "down", 60, { clientY: 30 });
  point(sheet, "move", 100, { clientY: 40 });
  point(sheet, "cancel");
  expect(kept).not.toHaveBeenCalled();
  expect(marks()[0]!.getAttribute("aria-valuenow")).toBe("0");
  point(sheet, "down", 200, { clientY: 40 });
  point(sheet, "move", 210, { clientY: 44 });
  point(sheet, "up", 210, { clientY: 44 });
  expect(kept).toHaveBeenCalledTimes(1);
  expect(kept.mock.lastCall![0]).toHaveLength(3);
});

test("values are typed with their unit, and nonsense is a sentence", async () => {
  const kept = lane();
  fireEvent.focus(marks()[1]!);
  const user = userEvent.setup();
  const field = screen.getByLabelText("Value of the point");
  await user.clear(field);
  await user.type(field, "-4,5 dB{Enter}");
  expect(kept.mock.lastCall![0][1]).toEqual(at(2, 1, -4.5));
  const again = screen.getByLabelText("Value of the point");
  const before = kept.mock.calls.length;
  await user.clear(again);
  await user.type(again, "loud{Enter}");
  expect(screen.getByRole("alert").textContent).toContain("“loud” is no number");
  await user.clear(again);
  await user.type(again, "99{Enter}");
  expect(screen.getByRole("alert").textContent).toContain("12");
  expect(kept.mock.calls.length).toBe(before);
  // Escape puts back what is set.
  fireEvent.keyDown(again, { key: "Escape" });
  expect((again as HTMLInputElement).value).toBe("\u221212.00");
  expect(screen.queryByRole("alert")).toBeNull();
});
