// @vitest-environment jsdom
/** One setting's row: its scale by keys and pointer, its field by typing, what it says and puts back. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import type { Parameter } from "../src/api/client";
import { SettingRow, type RowProps } from "../src/steps/route/SettingRow";
import { point, show, standIn } from "./dom";
import { CUT, MIX, parameter, SONG, TIME } from "./makes";

beforeAll(standIn);
afterEach(cleanup);

function row(p: Parameter, value: unknown, more: Partial<RowProps> = {}) {
  const hands = { onMove: vi.fn(), onSet: vi.fn(async () => ""), onBack: vi.fn() };
  show(<SettingRow parameter={p} value={value} frame={SONG} {...hands} {...more} />);
  return hands as {
    onMove: ReturnType<typeof vi.fn>;
    onSet: ReturnType<typeof vi.fn>;
    onBack: ReturnType<typeof vi.fn>;
  };
}
const slider = () => screen.getByRole("slider");
const field = () => screen.getByLabelText(/, typed$/) as HTMLInputElement;

test("arrows move by one, ten and a tenth; ends go to the ends of the scale", () => {
  const { onMove } = row(MIX, 40);
  for (const [key, more, expected] of [
    ["ArrowRight", {}, 41],
    ["ArrowDown", {}, 39],
    ["ArrowRight", { shiftKey: true }, 50],
    ["ArrowLeft", { altKey: true }, 39.9],
    ["Home", {}, 0],
    ["End", {}, 100],
  ] as const) {
    fireEvent.keyDown(slider(), { key, ...more });
    expect(onMove).toHaveBeenLastCalledWith("mix_percent", expected);
  }
});

test("the scale says where it stands, in words with its unit", () => {
  row(MIX, 40);
  expect(slider().getAttribute("aria-valuenow")).toBe("40");
  expect(slider().getAttribute("aria-valuetext")).toBe("40 %");
  cleanup();
  row(CUT, null);
  expect(slider().getAttribute("aria-valuetext")).toBe("off");
});

test("a pointer sets what it points at, and a double click puts it at rest", () => {
  const { onMove } = row(MIX, 40);
  // 96 px wide without a layout, twelve at each end: the middle is at 48.
  point(slider(), "down", 48);
  expect(onMove).toHaveBeenLastCalledWith("mix_percent", 50);
  point(slider(), "move", 84);
  expect(onMove).toHaveBeenLastCalledWith("mix_percent", 100);
  point(slider(), "up", 84);
  point(slider(), "move", 20);
  expect(onMove).toHaveBeenCalledTimes(2);
  fireEvent.doubleClick(slider());
  expect(onMove).toHaveBeenLastCalledWith("mix_percent", 100);
});

test("what is typed is set with Enter, in whatever unit it is said", async () => {
  const { onSet } = row(MIX, 40);
  const hand = userEvent.setup();
  await hand.clear(field());
  await hand.type(field(), "0.25x{Enter}");
  expect(onSet).toHaveBeenLastCalledWith("mix_percent", 25);
  await hand.clear(field());
  await hand.type(field(), "40{Enter}");
  expect(onSet).toHaveBeenCalledTimes(1);
});

test("what cannot be read is said at the field, and Escape shows what stands there", async () => {
  const { onSet } = row(MIX, 40);
  const hand = userEvent.setup();
  await hand.clear(field());
  await hand.type(field(), "loud{Enter}");
  expect(screen.getByRole("alert").textContent).toMatch(/no number/);
  expect(field().getAttribute("aria-invalid")).toBe("true");
  expect(onSet).not.toHaveBeenCalled();
  await hand.type(field(), "{Escape}");
  expect(screen.queryByRole("alert")).toBeNull();
  expect(field().value).toBe("40");
});

test("what the core refuses is said at the field too", async () => {
  row(TIME, "1/8", { onSet: async () => "There is no delay “@gone” in this song." });
  const hand = userEvent.setup();
  await hand.clear(field());
  await hand.type(field(), "@gone{Enter}");
  expect((await screen.findByRole("alert")).textContent).toMatch(/@gone/);
});

test("a time moves in milliseconds from where the tempo puts it", () => {
  const { onMove } = row(TIME, "1/8", { resolvedMs: 250 });
  expect(slider().getAttribute("aria-valuenow")).toBe("250");
  fireEvent.keyDown(slider(), { key: "ArrowUp" });
  expect(onMove).toHaveBeenLastCalledWith("time", "252.5 ms");
});

test("a change is marked with what it rests at, and goes back there in one press", () => {
  const { onSet } = row(MIX, 40);
  fireEvent.click(screen.getByRole("button", { name: /back to 100 %/ }));
  expect(onSet).toHaveBeenLastCalledWith("mix_percent", 100);
  cleanup();
  row(MIX, 100);
  expect(screen.queryByRole("button", { name: /back to/ })).toBeNull();
});

test("Escape on the scale goes back to where it stood before, where it was moved", () => {
  const moved = row(MIX, 40, { before: 27 });
  fireEvent.keyDown(slider(), { key: "Escape" });
  expect(moved.onBack).toHaveBeenCalledWith("mix_percent");
  cleanup();
  const still = row(MIX, 40);
  fireEvent.keyDown(slider(), { key: "Escape" });
  expect(still.onBack).not.toHaveBeenCalled();
});

test("what is switched or chosen has no scale", () => {
  const flag = parameter({ field: "inverted", sort: "flag", default: false });
  const { onSet } = row(flag, true);
  fireEvent.click(screen.getByRole("switch", { checked: true }));
  expect(onSet).toHaveBeenLastCalledWith("inverted", false);
  cleanup();
  const choice = parameter({
    field: "order",
    sort: "choice",
    default: "2",
    choices: ["1", "2", "4"],
  });
  const chosen = row(choice, 2);
  fireEvent.change(screen.getByRole("combobox"), { target: { value: "4" } });
  expect(chosen.onSet).toHaveBeenLastCalledWith("order", 4);
});
