/** Which render of a variant is heard, and which is being made. */
import { expect, test } from "vitest";

import { endOf, heardAndNext, type Render, withTold } from "../src/playing/useRenders";

const render = (id: string, more: Partial<Render> = {}): Render => ({
  id,
  rig: "rig",
  variant: "v",
  letter: "A",
  clip: "c",
  capture: null,
  bare: false,
  tail: true,
  output: "o",
  place: "",
  start_s: 0,
  length_s: null,
  status: "done",
  progress: 1,
  stage: "",
  problem: "",
  older: false,
  audible: true,
  report: { stems: [] } as unknown as Render["report"],
  ...more,
});
const queued = (id: string) =>
  render(id, { status: "queued", audible: false, report: null, progress: 0 });
const ids = (list: Render[]) => list.map((r) => r.id);

test("the old sound is heard while the new one is made, and the new one once it is there", () => {
  const old = render("old");
  expect(heardAndNext([queued("new"), old])).toEqual({ render: old, next: queued("new") });
  const early = render("new", { status: "running" });
  expect(heardAndNext([early, old])).toEqual({ render: early, next: early });
  expect(heardAndNext([render("new"), old])).toEqual({ render: render("new"), next: undefined });
  const failed = { ...queued("new"), status: "failed", problem: "It grows." };
  expect(heardAndNext([failed, old])).toEqual({ render: old, next: failed });
  expect(heardAndNext([queued("new")]).render).toBeUndefined();
  expect(heardAndNext([])).toEqual({ render: undefined, next: undefined });
});

test("what was told of a render since counts; what the list has moved on from does not", () => {
  const told = [
    { render: render("first"), at: 10 },
    { render: render("second"), at: 20 },
    { render: queued("third"), at: 30 },
  ];
  // The list was made before any of them: the newest told comes first.
  expect(ids(withTold([render("zero")], told, 5, "rig"))).toEqual([
    "third",
    "second",
    "first",
    "zero",
  ]);
  // It knows the second and was made after it: the first is not heard again.
  expect(ids(withTold([render("second")], told, 25, "rig"))).toEqual(["third", "second"]);
  expect(ids(withTold([render("third")], told, 40, "rig"))).toEqual(["third"]);
  // Progress is that of the last word, whether it is older that of the list.
  const known = { ...queued("third"), older: true };
  const said = { ...queued("third"), status: "running", progress: 0.5 };
  expect(withTold([known], [{ render: said, at: 50 }], 40, "rig")[0]).toMatchObject({
    progress: 0.5,
    older: true,
  });
  // What was done meanwhile by the list stays done; another rig's is not this one's.
  expect(withTold([render("third")], told, 5, "other").map((r) => r.status)).toEqual(["done"]);
});

test("an excerpt ends where it ends in the stretch, not where it would from its beginning", () => {
  const report = { stems: [], seconds: 20 } as unknown as Render["report"];
  expect(endOf(render("whole", { report, start_s: 5 }), 5)).toBe(20);
  expect(endOf(render("piece", { report, start_s: 305 }), 5)).toBe(320);
});
