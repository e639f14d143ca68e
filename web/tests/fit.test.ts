/** Courses fitted to sheets: rigs grown at random by the core, at the widths that people have. */
import { readFileSync } from "node:fs";
import { describe, expect, inject, test } from "vitest";

import type { RigView } from "../src/api/client";
import { type Closeness, fit, wider } from "../src/steps/route/fit";
import { runsOf } from "../src/steps/route/folds";
import { headsOf, stopsOf, waysOf } from "../src/steps/route/nav";
import { downRows } from "../src/steps/route/rows";
import { cutTo, textWidth } from "../src/ui/measure";
import { clashes } from "./clashes";

interface Grown {
  name: string;
  layout: RigView["layout"];
  flags: string[];
}

const RIGS = JSON.parse(readFileSync(inject("layouts"), "utf8")) as Grown[];
const WIDTHS = [390, 1240, 1560];
const JOINS = ["merge", "bus", "passive_mixer", "output"];
const flagsOf = (rig: Grown) =>
  rig.flags.map((at, i) => ({ at, mark: String(i + 1), kind: "note" as const }));

describe.each(WIDTHS)("at %i px", (width) => {
  test.each(RIGS)("nothing of $name lies over anything else or leaves the sheet", (rig) => {
    const selected = rig.layout.nodes[rig.layout.nodes.length >> 1]!.id;
    for (const height of [undefined, 225]) {
      const fitted = fit(rig.layout, { width, flags: flagsOf(rig), selected, height });
      expect(clashes(fitted)).toEqual([]);
      expect(fitted.windowed || fitted.width <= width + 0.5).toBe(true);
    }
  });
});

test("boxes that lie over each other are found, and what leaves the sheet", () => {
  const rig = RIGS.find((r) => r.name === "send-return")!;
  const fitted = fit(rig.layout, { width: 1240, flags: [], selected: "" });
  const [first, second] = fitted.boxes.filter((b) => b.what === "name");
  const over = { ...fitted, boxes: [first!, { ...first!, of: second!.of }] };
  expect(clashes(over)).toHaveLength(1);
  expect(clashes({ ...fitted, width: 300 }).some((c) => c.includes("leaves"))).toBe(true);
});

test("a short rig takes the whole width; a long one is drawn closer, then folded, then windowed", () => {
  const small = RIGS.find((r) => r.name === "delay-reverb-parallel")!;
  const wide = fit(small.layout, { width: 1240, flags: [], selected: "" });
  expect(wide.closeness).toBe("wide");
  const out = wide.nodes.find((n) => n.node.kind === "output")!;
  expect(out.x).toBeGreaterThan(1200);
  const order: Closeness[] = ["wide", "close", "names", "short", "folded"];
  for (const rig of RIGS) {
    const by = [1560, 1240, 390].map((width) =>
      order.indexOf(fit(rig.layout, { width, flags: [], selected: "" }).closeness),
    );
    expect([...by].sort((a, b) => a - b)).toEqual(by);
  }
  expect(RIGS.some((r) => fit(r.layout, { width: 390, flags: [], selected: "" }).windowed)).toBe(
    true,
  );
});

test("a folded run stands for all its stages, and opens where one of them is selected", () => {
  const rig = RIGS.find((r) => runsOf(r.layout).some((run) => run.length > 2))!;
  const run = runsOf(rig.layout).find((one) => one.length > 2)!;
  const folded = fit(rig.layout, { width: 1240, flags: [], selected: "", foldedBy: [run[1]!] });
  const ring = folded.nodes.find((n) => n.folded.length)!;
  expect(ring.folded).toEqual(run);
  expect(ring.name).toBe(`${run.length} stages`);
  expect(folded.nodes.map((n) => n.node.id).filter((id) => run.includes(id))).toEqual([run[0]]);
  expect(headsOf(folded)(run[2]!)).toBe(run[0]);
  const closest = fit(rig.layout, { width: 390, flags: [], selected: run[1]!, atLeast: "folded" });
  expect(closest.nodes.some((n) => n.node.id === run[1])).toBe(true);
});

test("drawing apart and together goes a step at a time and stops at the ends", () => {
  expect(wider("names", "apart")).toBe("close");
  expect(wider("names", "together")).toBe("short");
  expect(wider("wide", "apart")).toBe("wide");
  expect(wider("folded", "together")).toBe("folded");
});

test.each(RIGS)("arrows reach every mark and every strip of $name", ({ layout }) => {
  const fitted = fit(layout, { width: 1240, flags: [], selected: "" });
  const stops = stopsOf(fitted, (kind) => JOINS.includes(kind));
  const ways = waysOf(fitted, stops);
  const seen = new Set([stops[0]!.id]);
  for (const id of seen) for (const to of Object.values(ways.get(id)!)) seen.add(to);
  expect(stops.map((s) => s.id).filter((id) => !seen.has(id))).toEqual([]);
});

test("along a rail an arrow goes to its strip, then into what it joins, and back again", () => {
  const rig = RIGS.find((r) => r.name === "delay-reverb-parallel")!;
  const fitted = fit(rig.layout, { width: 1240, flags: [], selected: "" });
  const stops = stopsOf(fitted, (kind) => JOINS.includes(kind));
  const strip = stops.find((s) => s.to !== undefined)!;
  const ways = waysOf(fitted, stops);
  expect(ways.get(strip.from!)?.ArrowRight).toBeDefined();
  expect(ways.get(strip.id)).toMatchObject({ ArrowRight: strip.to, ArrowLeft: strip.from });
});

test.each(RIGS)(
  "on a phone every rail of $name has its strand, and a row knows what passes it",
  (rig) => {
    const targets = Object.fromEntries(rig.layout.rails.map((r) => [r.port, r.target ?? ""]));
    const rows = downRows(rig.layout, targets);
    expect(rows).toHaveLength(rig.layout.nodes.length);
    // The gutter has a place for every lane that a rail runs in.
    for (const rail of rig.layout.rails)
      expect(Math.max(...rail.lanes)).toBeLessThanOrEqual(rig.layout.lanes - (rail.back ? 0 : 1));
    // What goes out above and comes in below passes every row between.
    let open = 0;
    for (const row of rows) {
      open -= row.in.length;
      expect(row.through.length).toBe(open);
      open += row.out.length;
    }
    expect(open).toBe(0);
  },
);

test("widths of texts follow their letters, and a text is cut where it would not fit", () => {
  expect(textWidth("MMM", 14)).toBeGreaterThan(2 * textWidth("iii", 14));
  expect(textWidth("Réverb", 14)).toBe(textWidth("Reverb", 14));
  expect(textWidth("0123", 10)).toBeCloseTo(textWidth("9876", 10), 9);
  expect(cutTo("Echo", 100, 14)).toBe("Echo");
  const cut = cutTo("Wide room for the last chorus", 80, 14, true);
  expect(cut.endsWith("…")).toBe(true);
  expect(textWidth(cut, 14, true)).toBeLessThanOrEqual(80);
});
