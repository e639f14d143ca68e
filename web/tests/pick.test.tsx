// @vitest-environment jsdom
/** Choosing what to put somewhere: by its name, by what people call it, with arrows and Enter. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import type { Kind } from "../src/api/client";
import { PickKind } from "../src/steps/route/PickKind";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

const KINDS = [
  ["compressor", "Compressor", true],
  ["three_band", "Three-band compressor", true],
  ["reverb", "Reverb", true],
  ["frame", "Sidings", true],
  ["merge", "Merge", false],
].map(([kind, title, stage]) => ({ kind, title, stage })) as unknown as Kind[];

function dialog() {
  const then = vi.fn();
  const onClose = vi.fn();
  const take = vi.fn();
  const first = [{ id: "bus1", title: "Plate bus", about: "with Plate", take }];
  show(
    <PickKind picking={{ title: "Send this to", first, kinds: KINDS, then }} onClose={onClose} />,
  );
  return { then, onClose, take };
}
const field = () => screen.getByRole("combobox");
const type = (value: string) => fireEvent.change(field(), { target: { value } });
const titles = () => screen.queryAllByRole("option").map((o) => o.textContent);

test("what is there already is offered first, joins last and named as such", () => {
  dialog();
  expect(titles()[0]).toBe("Plate bus with Plate");
  expect(titles().at(-1)).toBe("Merge parts or joins");
});

test("a few letters find it, what begins with them first", () => {
  const { then, onClose } = dialog();
  type("comp");
  expect(titles()).toEqual(["Compressor", "Three-band compressor"]);
  fireEvent.keyDown(field(), { key: "Enter" });
  expect(then).toHaveBeenCalledWith("compressor");
  expect(onClose).toHaveBeenCalledOnce();
});

test("it is found by what people call it elsewhere", () => {
  dialog();
  for (const [words, title] of [
    ["insert frame", "Sidings"],
    ["hall", "Reverb"],
    ["limiter", "Compressor"],
  ] as const) {
    type(words);
    expect(titles()).toEqual([title]);
  }
});

test("arrows go through what is found and stop at the ends", () => {
  const { then, take } = dialog();
  fireEvent.keyDown(field(), { key: "ArrowUp" });
  fireEvent.keyDown(field(), { key: "Enter" });
  expect(take).toHaveBeenCalledOnce();
  for (let n = 0; n < 20; n++) fireEvent.keyDown(field(), { key: "ArrowDown" });
  expect(screen.getAllByRole("option").at(-1)!.getAttribute("aria-selected")).toBe("true");
  fireEvent.keyDown(field(), { key: "Enter" });
  expect(then).toHaveBeenCalledWith("merge");
});

test("nothing that is called so takes nothing", () => {
  const { then, onClose } = dialog();
  type("kazoo");
  expect(screen.getByText("Nothing is called “kazoo”.")).toBeTruthy();
  fireEvent.keyDown(field(), { key: "Enter" });
  expect(then).not.toHaveBeenCalled();
  expect(onClose).not.toHaveBeenCalled();
});
