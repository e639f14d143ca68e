// @vitest-environment jsdom
/** What can be done by hand to what is selected: which edits come of it, and what is said where nothing can. */
import { beforeEach, expect, test, vi } from "vitest";

import type { Kind, RigAction, Variant } from "../src/api/client";
import { readCopied } from "../src/steps/route/clipboard";
import { type Hand, handsOf } from "../src/steps/route/hands";
import keys from "../src/ui/keys.json";

const said: string[] = [];
vi.mock("../src/ui/controls", () => ({ announce: (words: string) => void said.push(words) }));

const NODES = {
  in: "source",
  s: "split",
  eq: "filter",
  echo: "delay",
  m: "merge",
  out: "output",
};
const RAILS = {
  "in.0": "s",
  "s.0": "eq",
  "eq.0": "m",
  "s.1": "echo",
  "echo.0": "m",
  "m.0": "out",
};
const VARIANT = {
  id: "v",
  document: {
    nodes: Object.fromEntries(
      Object.entries(NODES).map(([id, kind]) => [id, { id, kind, name: null }]),
    ),
    rails: Object.fromEntries(Object.entries(RAILS).map(([port, target]) => [port, { target }])),
  },
  view: { layout: { reading: Object.keys(NODES), nodes: [] } },
} as unknown as Variant;
const KINDS = [
  ["source", false],
  ["split", false],
  ["merge", false],
  ["output", false],
  ["filter", true],
  ["delay", true],
  ["return", true],
].map(([kind, stage]) => ({ kind, stage, title: kind })) as unknown as Kind[];

let edits: RigAction[];
let picked: { title: string; kinds: Kind[]; then: (kind: string) => void }[];
let opened: Record<string, unknown>[];
let marked: string[][];

const hands = (selected: string, marks: string[] = [], variant: Variant | undefined = VARIANT) =>
  handsOf({
    variant,
    kinds: KINDS,
    selected,
    marked: marks,
    onMark: (next) => void marked.push(next),
    edit: (action) => void edits.push(action),
    pick: (picking) => void picked.push(picking as never),
    laying: { open: (lay: Record<string, unknown>) => void opened.push(lay) } as never,
    fold: () => undefined,
    focusHere: () => undefined,
  });
const hand = (key: Hand["key"], selected: string, marks: string[] = []) =>
  hands(selected, marks).find((h) => h.key === key)!;

beforeEach(() => {
  [edits, picked, opened, marked] = [[], [], [], []];
  said.length = 0;
  localStorage.clear();
});

test("every hand has its key in the one registry of Route", () => {
  const known = new Set(keys.filter((k) => k.scope === "route").map((k) => k.shown));
  expect(
    hands("eq")
      .map((h) => h.key)
      .filter((key) => !known.has(key)),
  ).toEqual([]);
});

test("without a variant there is nothing to do; without a selection it is said what is missing", () => {
  expect(handsOf({ ...({} as Parameters<typeof handsOf>[0]), variant: undefined })).toEqual([]);
  for (const one of hands(""))
    if (!["V", "H", "Q"].includes(one.key)) {
      said.length = 0;
      expect(one.possible, one.word).toBe(false);
      one.run();
      expect(said, one.word).toEqual([
        "Select a stage or a rail first: arrow keys go along the course.",
      ]);
    }
  expect(edits).toEqual([]);
});

test("a stage goes behind what is selected, or before it", () => {
  hand("I", "eq").run();
  picked[0]!.then("delay");
  hand("Shift I", "eq").run();
  picked[1]!.then("delay");
  expect(edits).toEqual([
    { do: "insert", at: "eq.0", kind: "delay", values: {} },
    { do: "insert", at: "s.0", kind: "delay", values: {} },
  ]);
});

test("what stands there is passed by, doubled, moved, replaced or taken out", () => {
  hand("P", "echo").run();
  hand("D", "echo").run();
  hand("Shift →", "echo").run();
  hand("Shift ←", "echo").run();
  hand("Del", "echo").run();
  hand("Y", "echo").run();
  picked[0]!.then("filter");
  expect(edits).toEqual([
    { do: "bypass", node: "echo" },
    { do: "duplicate", node: "echo" },
    { do: "move", node: "echo", by: 1 },
    { do: "move", node: "echo", by: -1 },
    { do: "remove", nodes: ["echo"] },
    { do: "replace", node: "echo", kind: "filter" },
  ]);
  // A return stands for what a send does: nothing is replaced by one.
  expect(picked[0]!.kinds.map((k) => k.kind)).toEqual(["filter", "delay"]);
});

test("of a rail its stages go; a rail without any is taken away with what only fed it", () => {
  hand("Del", "s.1").run();
  hand("Del", "echo.0").run();
  expect(edits).toEqual([
    { do: "remove", nodes: ["echo"] },
    { do: "disconnect", port: "echo.0", feed: true },
  ]);
});

test("what is no stage cannot be passed by, doubled or moved", () => {
  for (const key of ["P", "D", "Y", "Shift →", "H"] as const)
    expect(hand(key, "m").possible, key).toBe(false);
});

test("marks are set, taken back, and forgotten once they were meant", () => {
  hand("X", "eq").run();
  hand("X", "eq", ["eq", "echo"]).run();
  expect(marked).toEqual([["eq"], ["echo"]]);
  expect(hand("Del", "eq", ["eq", "echo"]).word).toBe("Take 2 out");
  hand("Del", "eq", ["eq", "echo"]).run();
  expect(edits).toEqual([{ do: "remove", nodes: ["eq", "echo"] }]);
  expect(marked.at(-1)).toEqual([]);
});

test("a second rail is laid from here, or beside what is meant", () => {
  hand("S", "in").run();
  hand("B", "eq").run();
  expect(opened[0]).toMatchObject({ by: "split", starts: ["in.0"], end: null });
  expect(opened[1]).toMatchObject({ by: "split", starts: ["s.0"], end: "eq.0" });
});

test("copied parts that cannot be read any more are said to be so, and pasting breaks nothing", () => {
  hand("V", "eq").run();
  expect(said).toEqual(["Nothing is copied yet."]);
  for (const text of ["{", "7", "null", '"x"', "{}"]) {
    localStorage.setItem("fonodrome.copied", text);
    hand("V", "eq").run();
    expect(said.at(-1), text).toContain("cannot be read any more");
    expect(localStorage.getItem("fonodrome.copied")).toBeNull();
  }
  expect(edits).toEqual([]);
  const part = { nodes: { eq: { kind: "filter", id: "eq" } }, rails: {} };
  localStorage.setItem("fonodrome.copied", JSON.stringify(part));
  hand("V", "eq").run();
  expect(edits).toEqual([{ do: "paste", fragment: part, at: "eq.0" }]);
  expect(readCopied(JSON.stringify(part))).toEqual(part);
});
