/** Where things are inserted, and what is meant by a mark and a selection. */
import { expect, test } from "vitest";

import type { Kind, Variant } from "../src/api/client";
import keys from "../src/ui/keys.json";
import { beside as toolBeside } from "../src/ui/ToolFrame";
import { delayOf } from "../src/rigs/times";
import {
  busesOf,
  endsOf,
  insertable,
  meant,
  railOf,
  shifted,
  startsOf,
} from "../src/steps/route/graph";
import { downRows } from "../src/steps/route/rows";

const rig = (kinds: Record<string, string>, rails: Record<string, string>) =>
  ({
    document: {
      nodes: Object.fromEntries(Object.entries(kinds).map(([id, kind]) => [id, { id, kind }])),
      rails: Object.fromEntries(Object.entries(rails).map(([port, target]) => [port, { target }])),
    },
    view: { layout: { reading: Object.keys(kinds) } },
  }) as unknown as Variant;

const RIG = rig(
  {
    in: "source",
    s: "split",
    eq: "filter",
    echo: "delay",
    hall: "reverb",
    m: "merge",
    out: "output",
  },
  {
    "in.0": "s",
    "s.0": "eq",
    "eq.0": "m",
    "s.1": "echo",
    "echo.0": "hall",
    "hall.0": "m",
    "m.0": "out",
  },
);

test("a thing is put behind what is selected, or before it", () => {
  expect(railOf(RIG, "eq")).toBe("eq.0");
  expect(railOf(RIG, "eq", true)).toBe("s.0");
  expect(railOf(RIG, "echo.0")).toBe("echo.0");
  expect(railOf(RIG, "out")).toBeNull();
  expect(railOf(RIG, "in", true)).toBeNull();
  expect(railOf(undefined, "eq")).toBeNull();
});

test("a way means its stages up to where it joins", () => {
  expect(meant(RIG, [], "s.1")).toEqual(["echo", "hall"]);
  expect(meant(RIG, [], "m.0")).toEqual([]);
});

test("between a mark and a selection lies what leads from one to the other, either way round", () => {
  const between = ["echo", "hall", "m"];
  expect(meant(RIG, ["echo"], "m").sort()).toEqual(between);
  expect(meant(RIG, ["m"], "echo").sort()).toEqual(between);
  // Side by side, nothing leads from one to the other: both are meant, and nothing between.
  expect(meant(RIG, ["eq"], "hall").sort()).toEqual(["eq", "hall"]);
  expect(meant(RIG, ["gone"], "hall")).toEqual(["hall"]);
  expect(meant(RIG, ["echo"], "gone")).toEqual(["echo"]);
  expect(meant(RIG, [], "gone")).toEqual([]);
});

test("a loop ends the search, and is no endless way", () => {
  const loop = rig({ a: "delay", b: "filter" }, { "a.0": "b", "b.0": "a" });
  expect(meant(loop, ["a"], "b").sort()).toEqual(["a", "b"]);
  expect(meant(loop, [], "a.0")).toEqual(["b", "a"]);
});

test("the tool before and after, round the ends", () => {
  const ids = ["one", "two", "three"];
  expect(toolBeside(ids, "one", -1)).toBe("three");
  expect(toolBeside(ids, "three", 1)).toBe("one");
  expect(toolBeside(ids, "gone", 1)).toBe("two");
  expect(toolBeside([], "x", 1)).toBe("x");
});

test("no two keys mean the same press in one step, and digits are variants everywhere", () => {
  const scopes = new Set(keys.map((k) => k.scope));
  const strokes = (scope: string) =>
    keys.filter((k) => k.scope === scope).flatMap((k) => k.keys.split(","));
  const everywhere = strokes("everywhere");
  expect("123456789".split("").every((d) => everywhere.includes(d))).toBe(true);
  for (const scope of scopes) {
    const here = scope === "everywhere" ? [] : strokes(scope);
    const all = [...everywhere, ...here];
    expect(
      all.filter((k, i) => all.indexOf(k) !== i),
      scope,
    ).toEqual([]);
  }
});

test("a rig from top to bottom: what passes a row, comes in and goes out; loops go back", () => {
  const node = (id: string, x: number, lane: number) => ({ id, x, lane });
  const rail = (port: string, xs: number[], lanes: number[], wet = false) => ({
    port,
    xs,
    lanes,
    wet,
    dry: !wet,
    back: false,
  });
  const layout = {
    nodes: [
      node("out", 4, 0),
      node("in", 0, 0),
      node("s", 1, 0),
      node("hall", 2, 1),
      node("m", 3, 0),
    ],
    rails: [
      rail("in.0", [0, 1], [0, 0]),
      rail("s.0", [1, 3], [0, 0]),
      rail("s.1", [1, 1.2, 2], [0, 1, 1]),
      rail("hall.0", [2, 2.8, 3], [1, 1, 0], true),
      rail("m.0", [3, 4], [0, 0]),
      rail("m.1", [3, 2], [2, 2], true),
    ],
  } as unknown as Parameters<typeof downRows>[0];
  const targets = {
    "in.0": "s",
    "s.0": "m",
    "s.1": "hall",
    "hall.0": "m",
    "m.0": "out",
    "m.1": "hall",
  };
  const rows = downRows(layout, targets);
  expect(rows.map((r) => r.node.id)).toEqual(["in", "s", "hall", "m", "out"]);
  const lanes = (strands: { lane: number }[]) => strands.map((s) => s.lane);
  const hall = rows[2]!;
  expect([lanes(hall.through), lanes(hall.in), lanes(hall.out)]).toEqual([[0], [1], [1]]);
  expect(rows[3]!.in.map((s) => s.wet)).toEqual([false, true]);
  expect(rows[3]!.back).toEqual(["hall"]);
  // Every way that goes out comes in somewhere below.
  const all = (of: "in" | "out") => rows.reduce((n, r) => n + r[of].length, 0);
  expect(all("out")).toBe(all("in"));
});

test("a delay that a stage's time means, by its name or its value", () => {
  const delays = [{ value: "1/8." }, { value: "118 ms" }];
  const written = ["@guitar", "@slap"];
  expect(delayOf("@slap", written, delays)).toEqual({ at: 1, linked: true });
  expect(delayOf(" 118 ms ", written, delays)).toEqual({ at: 1, linked: false });
  expect(delayOf("1/4", written, delays)).toBeNull();
});

test("a run has one way in and one out; what is no run has none", () => {
  expect(endsOf(RIG, ["echo", "hall"])).toEqual({ start: "s.1", end: "hall.0" });
  expect(endsOf(RIG, ["eq"])).toEqual({ start: "s.0", end: "eq.0" });
  expect(endsOf(RIG, ["m"])).toBeNull();
  expect(endsOf(RIG, ["in"])).toBeNull();
  expect(endsOf(RIG, [])).toBeNull();
});

test("several that are marked start together, in the order of the course", () => {
  expect(startsOf(RIG, [], "eq")).toEqual(["eq.0"]);
  expect(startsOf(RIG, ["hall", "eq"], "in")).toEqual(["in.0", "eq.0", "hall.0"]);
  expect(startsOf(RIG, [], "out")).toEqual([]);
  expect(startsOf(RIG, ["out"], "")).toEqual([]);
});

test("where a rail leaves is moved along it, as far as there is one", () => {
  expect(shifted(RIG, "hall.0", -1)).toBe("echo.0");
  expect(shifted(RIG, "s.1", 1)).toBe("echo.0");
  expect(shifted(RIG, "in.0", -1)).toBeNull();
  expect(shifted(RIG, "m.0", 1)).toBeNull();
});

test("a bus is offered to what does not come out of it", () => {
  const desk = rig(
    { v: "source", x: "send", b: "bus", r: "reverb", out: "output" },
    { "v.0": "x", "x.0": "out", "x.1": "b", "b.0": "r", "r.0": "out" },
  );
  expect(busesOf(desk, ["v.0"])).toEqual(["b"]);
  expect(busesOf(desk, ["r.0"])).toEqual([]);
});

test("everything but a source can be put on a rail, stages before joins", () => {
  const kinds = [
    { kind: "source", stage: false },
    { kind: "merge", stage: false },
    { kind: "delay", stage: true },
    { kind: "strip", stage: false },
    { kind: "output", stage: false },
  ] as unknown as Kind[];
  expect(insertable(kinds).map((k) => k.kind)).toEqual(["delay", "merge", "output"]);
});
