/** The paper: where numbers stand, how blocks fall on pages, what is done while setting up. */
import { describe, expect, test } from "vitest";

import {
  type Block,
  afar,
  courseOf,
  fewest,
  largest,
  linesIn,
  nextOpen,
  pagesOf,
  plugsOf,
  progressWords,
  scenesBeside,
  type Sheet,
  stateOf,
  stopsOf,
  tableOf,
} from "../src/stage/sheet";
import { exact } from "../src/ui/format";

const node = (id: string, x: number, lane: number, kind = "drive") => ({
  id,
  x,
  lane,
  run: 0,
  kind,
  shown: id,
  caption: "",
  off: false,
  wet: false,
});
const rail = (port: string, xs: number[], lanes: number[]) => ({
  port,
  target: "",
  xs,
  lanes,
  back: false,
  dry: true,
  wet: false,
  caption: "",
});
const row = (number: number, id: string, more = {}) => ({
  number,
  id,
  name: id,
  kind: "drive",
  box: true,
  wet: false,
  on: true,
  settings: [],
  inner: [],
  said: `gain ${number} dB`,
  scenes: [],
  ...more,
});
const cable = (number: number, port: string, more = {}) => ({
  number,
  port,
  from_id: "",
  from_number: null,
  source: "a",
  from_jack: "",
  to_id: "",
  to_number: null,
  target: "b",
  to_jack: "",
  plug: "XLR",
  level: "line",
  carries: "mono",
  length_m: null,
  adaptor: "",
  ...more,
});
const sheet = (more: object) =>
  ({
    scenes: [],
    rows: [],
    patch: { cables: [] },
    layout: { columns: 3, lanes: 1, nodes: [], rails: [], reading: [] },
    ...more,
  }) as unknown as Sheet;

describe("the course on paper", () => {
  const drawn = courseOf(
    sheet({
      layout: {
        columns: 4,
        lanes: 2,
        nodes: [
          node("in", 0, 0, "source"),
          node("one", 1, 0),
          node("two", 2, 0),
          node("out", 4, 0, "output"),
        ],
        rails: [
          rail("in.0", [0, 1], [0, 0]),
          rail("one.0", [1, 2], [0, 0]),
          rail("two.0", [2, 4], [0, 0]),
          rail("one.1", [1, 1, 4, 4], [0, 1, 1, 0]),
        ],
        reading: [],
      },
      rows: [row(1, "one"), row(2, "two")],
      patch: {
        cables: [cable(1, "in.0"), cable(2, "one.0"), cable(3, "two.0"), cable(4, "one.1")],
      },
    }),
  );
  test("a stage has the number of its row", () => {
    expect(drawn.nodes.map((n) => n.number)).toEqual([undefined, 1, 2, undefined]);
  });
  test("a cable's number stands on its rail, between the marks and on no other", () => {
    const [first, second, third, fourth] = drawn.squares;
    const at = Object.fromEntries(drawn.nodes.map((n) => [n.id, n]));
    expect(first!.x).toBeCloseTo((at.in!.x + at.one!.x) / 2, 0);
    expect(second!.x).toBeCloseTo((at.one!.x + at.two!.x) / 2, 0);
    expect(third!.x).toBeGreaterThan(at.two!.x + 12);
    expect(fourth!.y).toBeGreaterThan(at.one!.y);
    for (const a of drawn.squares)
      for (const b of drawn.squares)
        if (a !== b) expect(Math.hypot(a.x - b.x, a.y - b.y)).toBeGreaterThan(17);
  });
  test("a long course goes on in a second deck and loses no part", () => {
    const nodes = Array.from({ length: 40 }, (_, i) => node(`n${i}`, i, 0));
    const long = courseOf(
      sheet({ layout: { columns: 40, lanes: 1, nodes, rails: [], reading: [] } }),
    );
    // 40 columns of at least 50 in windows of 670: three.
    expect(long.decks.length).toBe(3);
    for (const n of long.nodes)
      expect(
        long.decks.some((d) => n.x >= d && n.x <= d + long.deckWidth),
        n.id,
      ).toBe(true);
  });
});

describe("lines of a text", () => {
  test("words wrap, and one that is too wide is broken", () => {
    expect(linesIn("", 100, 12)).toBe(1);
    expect(linesIn("gain", 100, 12)).toBe(1);
    // A figure is 0.61 of the size: ten of them at 10 are 61 wide, with what is held back 63.
    expect(linesIn("0123456789 0123456789", 70, 10)).toBe(2);
    expect(linesIn("0123456789 0123456789", 140, 10)).toBe(1);
    // Eleven of 6.25 fit on 70, not 11.2.
    expect(linesIn("0".repeat(110), 70, 10)).toBe(10);
  });
});

test("a plug has one letter, and what it means is said once", () => {
  const plugs = plugsOf(["XLR", "jack", "XLR", "speaker"].map((plug) => ({ plug })));
  expect(["XLR", "speaker", "jack"].map((p) => plugs.letter(p))).toEqual(["a", "c", "b"]);
  expect(plugs.words).toBe("a: XLR; b: jack; c: speaker");
});

describe("pages", () => {
  const block = (key: string, rows: number, head = 30, high = 20): Block => ({
    key,
    head,
    rows: Array.from({ length: rows }, () => high),
  });
  const told = (pages: ReturnType<typeof pagesOf>, part: "full" | "left" | "right") =>
    pages.map((p) => p[part].map((x) => `${x.key} ${x.from}-${x.to}`));

  test("what fits is on one", () => {
    const pages = pagesOf([block("a", 5)], [block("b", 5)], [block("c", 2), block("d", 3)], 400);
    expect(pages.length).toBe(1);
    expect(told(pages, "right")).toEqual([["c 0-2", "d 0-3"]]);
  });
  test("rows go on behind, each once, with their head again", () => {
    const pages = pagesOf([block("a", 30)], [block("b", 8)], [], 400);
    // 400 - 30 are 18 rows; the other 12 take 270 of the second page, which leaves 130 for b.
    expect(told(pages, "full")).toEqual([["a 0-18"], ["a 18-30"], []]);
    expect(told(pages, "left")).toEqual([[], ["b 0-5"], ["b 5-8"]]);
  });
  test("a block of which fewer than three rows would fit begins on the next page", () => {
    const pages = pagesOf([block("a", 16)], [block("b", 6)], [block("c", 2, 10)], 400);
    expect(told(pages, "left")).toEqual([[], ["b 0-6"]]);
    expect(told(pages, "right")).toEqual([["c 0-2"], []]);
  });
  test("what has no rows is put too, on the next page where it has no room", () => {
    const pages = pagesOf([block("a", 18), block("whole", 0, 300), block("b", 1)], [], [], 400);
    expect(told(pages, "full")).toEqual([["a 0-18"], ["whole 0-0", "b 0-1"]]);
  });
  test("a row that is higher than a page is still put", () => {
    expect(pagesOf([block("a", 2, 10, 900)], [], [], 400).length).toBe(2);
  });
});

describe("how close", () => {
  test("only where it saves a page, and no closer than that", () => {
    const pages = (pad: number, at: number) => ({ pages: Array(pad <= at ? 1 : 2).fill(0), pad });
    expect(fewest((d) => pages(d.pad, 9)).pad).toBe(7);
    expect(fewest((d) => pages(d.pad, 4)).pad).toBe(4);
    expect(fewest((d) => pages(d.pad, 2)).pad).toBe(2);
    expect(fewest((d) => pages(d.pad, 0)).pad).toBe(7);
  });
});

describe("rows", () => {
  test("what stands in a frame comes under it; what is off is said first", () => {
    const frame = row(3, "eight", {
      on: false,
      inner: [{ place: 2, name: "Fuzz", called: false, said: "gain 3 dB" }],
    });
    const rows = tableOf(sheet({ rows: [frame] }));
    expect(rows.map((r) => [r.number, r.said])).toEqual([
      ["3", "off; gain 3 dB"],
      ["3.2", "gain 3 dB (passed by)"],
    ]);
  });
  test("many rows or scenes have a table of their own", () => {
    const scenes = (n: number) =>
      Array.from({ length: n }, (_, i) => ({ name: `${i}`, program: null }));
    const rows = (n: number) => Array.from({ length: n }, (_, i) => row(i + 1, `s${i}`));
    expect(scenesBeside(sheet({ scenes: scenes(5), rows: rows(14) }))).toBe(true);
    expect(scenesBeside(sheet({ scenes: scenes(6), rows: rows(2) }))).toBe(false);
    expect(scenesBeside(sheet({ scenes: scenes(1), rows: rows(15) }))).toBe(false);
  });
});

describe("setting up", () => {
  const whole = sheet({
    rows: [row(1, "one"), row(2, "two")],
    patch: { cables: [cable(1, "in.0")] },
  });
  const stops = stopsOf(whole);
  test("cables come first", () => {
    expect(stops.map((s) => s.key)).toEqual(["cable in.0", "stage one", "stage two"]);
  });
  test("what was set and is another now is to be done again, the rest stays done", () => {
    const done = Object.fromEntries(stops.map((s) => [s.key, s.content]));
    const later = stopsOf(
      sheet({
        rows: [row(1, "one", { said: "gain 9 dB" }), row(7, "two", { said: "gain 2 dB" })],
        patch: { cables: [cable(4, "in.0")] },
      }),
    );
    // Another number is no other setting.
    expect(later.map((s) => stateOf(s, done))).toEqual(["done", "changed", "done"]);
    expect(nextOpen(later, done, 2)).toBe(1);
    expect(progressWords(later, done, 0)).toBe("2 of 3 done, next: stage 1 one");
    expect(nextOpen(stops, done, 0)).toBe(-1);
    expect(progressWords(stops, done, 0)).toBe("All 3 done.");
  });
  test("a figure is large before a word", () => {
    const line = (label: string, value: number | null) => ({
      field: label,
      label,
      value,
      unit: "",
      planned: "",
      shown: "",
      by_panel: false,
      beside: "",
    });
    expect(
      largest(row(1, "x", { settings: [line("locked", null), line("mix", 3)] }) as never)?.label,
    ).toBe("mix");
    expect(largest(row(1, "x") as never)).toBeUndefined();
  });
});

test("from afar a time is its figure, with what it stands for under it", () => {
  expect(afar("1/8. 319.15 ms")).toEqual({ figure: "319.15 ms", of: "1/8." });
  expect(afar("@lead_throw 1\u202f250.00 ms")).toEqual({
    figure: "1\u202f250.00 ms",
    of: "@lead_throw",
  });
  expect(afar("319 ms")).toEqual({ figure: "319 ms", of: "" });
  expect(afar("−2.5 dB")).toEqual({ figure: "−2.5 dB", of: "" });
});

test("what was set is never shown as another value", () => {
  expect([-2.25, 94.55, 0.155, 3, -120, 0.1 + 0.2, 2.7083].map(exact)).toEqual([
    "−2.25",
    "94.55",
    "0.155",
    "3",
    "−120",
    "0.3",
    "2.708",
  ]);
});
