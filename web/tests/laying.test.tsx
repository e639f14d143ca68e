// @vitest-environment jsdom
/** Places to land in a list: walked with arrows and letters, laid, left; what each says. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import type { Variant } from "../src/api/client";
import { LayList } from "../src/steps/route/LayList";
import type { Landing, Laying } from "../src/steps/route/useLaying";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

const landing = (place: string, more: Partial<Landing> = {}): Landing => ({
  place,
  at: place,
  sort: "between",
  name: `Before ${place}`,
  detail: "after it",
  possible: true,
  why: "",
  closes: false,
  effect: "Main +1.0 dB",
  loop_db: null,
  ...more,
});
const ROWS = [
  landing("hall"),
  landing("speaker", { possible: false, why: "Cabinet has speaker level." }),
  landing("start", { closes: true, loop_db: -3.2, effect: "Main +0.4 dB" }),
];
const VARIANT = {
  view: { layout: { nodes: [{ id: "drive1", shown: "Drive" }] } },
} as unknown as Variant;

function list(more: Partial<Laying> = {}) {
  const acts = {
    choose: vi.fn(),
    step: vi.fn(),
    byLetter: vi.fn(),
    shift: vi.fn(),
    lay: vi.fn(),
    leave: vi.fn(),
    put: vi.fn(),
    open: vi.fn(),
  };
  const onPut = vi.fn();
  const laying = {
    wanted: { title: "Beside Drive", by: "split", starts: ["drive1.0"], end: null, kind: null },
    rows: ROWS,
    letters: ["a", "b", "c"],
    chosen: ROWS[0]!,
    waiting: false,
    fault: "",
    places: [],
    ...acts,
    ...more,
  } as unknown as Laying;
  show(<LayList variant={VARIANT} laying={laying} onPut={onPut} />);
  return { ...acts, onPut };
}
const box = () => screen.getByRole("listbox", { name: "Places to land" });
const press = (key: string, more = {}) => fireEvent.keyDown(box(), { key, ...more });

test("it takes the focus, says from where, and names the chosen place", () => {
  list();
  expect(document.activeElement).toBe(box());
  expect(screen.getByText(/leaves behind Drive/)).toBeTruthy();
  expect(box().getAttribute("aria-activedescendant")).toBe("landing-0");
  expect(screen.getAllByRole("option").map((o) => o.getAttribute("aria-selected"))).toEqual([
    "true",
    "false",
    "false",
  ]);
});

test("arrows walk it and move where the rail leaves, letters choose, Enter lays, Escape leaves", () => {
  const acts = list();
  press("ArrowDown");
  press("ArrowUp");
  expect(acts.step.mock.calls).toEqual([[1], [-1]]);
  press("ArrowLeft");
  press("ArrowRight");
  expect(acts.shift.mock.calls).toEqual([[-1], [1]]);
  press("c");
  expect(acts.byLetter).toHaveBeenCalledWith("c");
  press("+");
  expect(acts.onPut).toHaveBeenCalledOnce();
  press("Enter");
  expect(acts.lay).toHaveBeenCalledOnce();
  press("Escape");
  expect(acts.leave).toHaveBeenCalledOnce();
});

test("keys of the browser stay the browser's", () => {
  const acts = list();
  press("c", { ctrlKey: true });
  press("Tab");
  press("1");
  expect(acts.byLetter).not.toHaveBeenCalled();
  expect(acts.step).not.toHaveBeenCalled();
});

test("a place that cannot take it says why and is not chosen by a click", () => {
  const acts = list();
  const [first, second] = screen.getAllByRole("option");
  expect(second!.textContent).toContain("Cabinet has speaker level.");
  expect(second!.getAttribute("aria-disabled")).toBe("true");
  fireEvent.click(second!);
  expect(acts.choose).not.toHaveBeenCalled();
  fireEvent.click(first!);
  expect(acts.choose).toHaveBeenCalledWith("hall");
});

test("a loop is offered with its gain, beside what it does to the outputs", () => {
  list();
  const loop = screen.getAllByRole("option")[2]!.textContent!;
  expect(loop).toContain("closes a loop, loop gain −3.2 dB");
  expect(loop).toContain("Main +0.4 dB");
});

test("places that could not be asked for are a sentence, and nothing was changed", () => {
  list({ rows: [], letters: [], chosen: null, fault: "There is no connection." });
  expect(screen.getByRole("alert").textContent).toBe(
    "There is no connection. Nothing was changed.",
  );
});
