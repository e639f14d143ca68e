// @vitest-environment jsdom
/** Dragging: what a mouse and a finger mean by the same way, and what is cut short. */
import { cleanup, fireEvent, screen } from "@testing-library/react";
import { afterEach, beforeAll, expect, test, vi } from "vitest";

import type { Kind, Variant } from "../src/api/client";
import { Sidings } from "../src/steps/route/Sidings";
import type { Frame } from "../src/steps/route/sidings";
import { useDrag } from "../src/ui/hooks";
import { point, show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

function Sheet({ taken, dropped }: { taken: (x: number) => void; dropped: (x: unknown) => void }) {
  const drag = useDrag<HTMLDivElement>({
    take: (event) => taken(event.clientX),
    drop: (event) => dropped(event?.clientX ?? "left"),
  });
  return <div data-testid="sheet" {...drag} />;
}
function sheet() {
  const taken = vi.fn<(x: number) => void>();
  const dropped = vi.fn<(x: unknown) => void>();
  show(<Sheet taken={taken} dropped={dropped} />);
  const all = () => [taken.mock.calls.flat(), dropped.mock.calls.flat()];
  return { on: screen.getByTestId("sheet"), all };
}
const finger = (clientY = 0) => ({ pointerType: "touch", clientY });

test("a mouse takes where it is pressed and along its way, until it is let go", () => {
  const { on, all } = sheet();
  point(on, "move", 5);
  point(on, "down", 10);
  point(on, "move", 20);
  point(on, "up", 25);
  point(on, "move", 30);
  expect(all()).toEqual([[10, 20], [25]]);
});

test("a finger that scrolls the page takes nothing; the browser then takes it away", () => {
  const { on, all } = sheet();
  point(on, "down", 10, finger());
  point(on, "move", 12, finger(14));
  point(on, "move", 20, finger(60));
  point(on, "cancel");
  point(on, "move", 90);
  expect(all()).toEqual([[], ["left"]]);
});

test("a finger that goes along takes what it goes over, one that taps takes that place", () => {
  const { on, all } = sheet();
  point(on, "down", 10, finger());
  point(on, "move", 14, finger(1));
  point(on, "move", 18, finger(3));
  point(on, "move", 19, finger(40));
  point(on, "up", 19, finger(40));
  point(on, "down", 50, finger());
  point(on, "up", 51, finger(1));
  expect(all()).toEqual([
    [18, 19, 51],
    [19, 51],
  ]);
});

test("only the first button drags", () => {
  const { on, all } = sheet();
  point(on, "down", 10, { button: 2 });
  point(on, "move", 20, { button: 2 });
  point(on, "up", 20, { button: 2 });
  expect(all()).toEqual([[], []]);
});

/** Four stages, called at in the order of their places. */
const FRAME = {
  id: "frame1",
  kind: "frame",
  places: 4,
  calls: [1, 2, 3],
  sidings: [1, 2, 3, 4].map((place) => ({
    place,
    stage: { id: `s${place}`, kind: "delay", name: `Stage ${place}` },
  })),
  beside: [],
} as unknown as Frame;
const DELAY = { kind: "delay", title: "Delay", traits: ["fits_frame"] } as unknown as Kind;
function frame() {
  const onEdit = vi.fn();
  const onStop = vi.fn();
  const rest = { variant: {} as Variant, frame: FRAME, kinds: [DELAY], pick: vi.fn() };
  show(<Sidings {...rest} stop={2} onStop={onStop} onEdit={onEdit} />);
  const line = screen.getByRole("img", { name: /^The line calls at/ });
  const stop = (place: number) => line.querySelector(`[data-stop="${place}"]`)!;
  const turns = () =>
    [...line.querySelectorAll<SVGGElement>("[data-stop]")]
      .map((g) => [Number(/\d+/.exec(g.getAttribute("transform")!)), Number(g.dataset.stop)])
      .sort((a, b) => a[0]! - b[0]!)
      .map(([, place]) => place);
  return { onEdit, onStop, line, stop, turns };
}
// Columns of 64 px (260 without a layout, less 90, over three) that begin at 48: turns at 80, 144, 208.

test("a stop is dragged to a later turn, seen on the way, and kept once", () => {
  const { onEdit, onStop, line, stop, turns } = frame();
  point(stop(1), "down", 80);
  expect(onStop).toHaveBeenCalledWith(1);
  point(line, "move", 144);
  expect(turns()).toEqual([2, 1, 3]);
  point(line, "move", 208, { clientY: 300 });
  expect(turns()).toEqual([2, 3, 1]);
  expect(onEdit).not.toHaveBeenCalled();
  point(line, "up", 208);
  expect(onEdit.mock.calls.map(([action]) => action.calls)).toEqual([[2, 3, 1]]);
});

test("a drag that is cut short, or ends where it began, changes nothing", () => {
  const { onEdit, line, stop, turns } = frame();
  point(stop(1), "down", 80);
  point(line, "move", 208);
  point(line, "cancel");
  expect(turns()).toEqual([1, 2, 3]);
  point(stop(3), "down", 208);
  point(line, "move", 80);
  point(line, "move", 208);
  point(line, "up", 208);
  expect(turns()).toEqual([1, 2, 3]);
  point(line, "down", 20);
  point(line, "up", 208);
  expect(onEdit).not.toHaveBeenCalled();
});

test("arrows move a stop, press after press from what was asked for before", () => {
  const { onEdit } = frame();
  const places = screen.getByRole("listbox", { name: "Places" });
  fireEvent.keyDown(places, { key: "ArrowRight" });
  fireEvent.keyDown(places, { key: "ArrowLeft" });
  fireEvent.keyDown(places, { key: "x" });
  expect(onEdit.mock.calls.map(([action]) => action.calls)).toEqual([
    [1, 3, 2],
    [1, 2, 3],
    [1, 3],
  ]);
});
