/** Equal loudness is made by turning down; expectations by hand. */
import { expect, test } from "vitest";

import {
  changedSince,
  downTo,
  movesOf,
  movingAt,
  placeWords,
  quietestOf,
  sameVariant,
  secondGain,
  stemGains,
  trimmed,
} from "../src/playing/match";

test("the quietest of what is known sets the level; nothing is raised to it", () => {
  expect(quietestOf([-18, null, -23.5, -20])).toBe(-23.5);
  expect(quietestOf([null, null])).toBeNull();
  expect(quietestOf([])).toBeNull();
  expect(downTo(-23.5, -18)).toBe(-5.5);
  expect(downTo(-23.5, -23.5)).toBe(0);
  // A sound that is quieter than the quietest, as while it is measured again, is left as it is.
  expect(downTo(-23.5, -30)).toBe(0);
  expect(downTo(null, -18)).toBe(0);
  expect(downTo(-23.5, null)).toBe(0);
});

test("stems that move are moved, the others stay; the ends leave one side of both", () => {
  const moves = [false, true, true];
  const [dry, wet] = stemGains(moves, -6);
  expect(dry).toBe(1);
  expect(wet).toBeCloseTo(0.501187, 6);
  expect(stemGains(moves, 0)).toEqual([1, 1, 1]);
  expect(stemGains(moves, -Infinity)).toEqual([1, 0, 0]);
  expect(stemGains(moves, Infinity)).toEqual([0, 1, 1]);
  expect(stemGains([], -6)).toEqual([1]);
});

test("the chosen paths move, or those that move by themselves; of one path all its sources", () => {
  const stems = [
    { id: "s.0", moves: false },
    { id: "c.0", moves: true },
    { id: "c.0", moves: true },
    { id: "rest" },
  ];
  expect(movesOf(stems, [])).toEqual([false, true, true, false]);
  expect(movesOf(stems, ["s.0"])).toEqual([true, false, false, false]);
  expect(movesOf(stems, ["s.0", "c.0"])).toEqual([true, true, true, false]);
  // What was chosen at another place counts for nothing here.
  expect(movesOf(stems, ["elsewhere"])).toEqual([false, true, true, false]);
});

test("a level or mute that was changed since is heard on the stem at once", () => {
  const stem = { id: "back.0", level_db: -4 };
  const rails = (strip: object) => ({ "back.0": { strip } });
  expect(changedSince(stem, rails({ level_db: -10 }))).toBeCloseTo(10 ** (-6 / 20), 12);
  expect(changedSince(stem, rails({ level_db: -4 }))).toBe(1);
  expect(changedSince(stem, rails({ level_db: -4, muted: true }))).toBe(0);
  // A device's own mix has no strip; a rail that is gone says nothing.
  expect(changedSince({ id: "wet", level_db: null }, rails({ level_db: 0 }))).toBe(1);
  expect(changedSince(stem, {})).toBe(1);
  expect(changedSince(undefined, undefined)).toBe(1);
});

test("the return that a path leaves alone is a level of it too", () => {
  const rails = (strip: object) => ({ "hall.0": { strip } });
  const stem = { id: "hall.0", level_db: -2, owner_db: -6 };
  const at = (owner: object, strip: object = { level_db: -2 }) =>
    changedSince(stem, rails(strip), { hall: owner });
  expect(at({ level_db: -9 })).toBeCloseTo(10 ** (-3 / 20), 12);
  expect(at({ level_db: -9 }, { level_db: -5 })).toBeCloseTo(10 ** (-6 / 20), 12);
  expect(at({ level_db: -6 })).toBe(1);
  expect(at({})).toBeCloseTo(10 ** (6 / 20), 12);
  expect(at({ level_db: -9, muted: true })).toBe(0);
  expect(at({ level_db: -9, bypassed: true })).toBe(1);
  // Something else hears it as well, or it is gone: only a render can say.
  expect(
    changedSince({ ...stem, owner_db: null }, rails({ level_db: -2 }), { hall: { level_db: 0 } }),
  ).toBe(1);
  expect(changedSince(stem, rails({ level_db: -2 }), {})).toBe(1);
});

test("a control stands on its steps", () => {
  expect([trimmed(2.449, 0.1), trimmed(-0.26, 0.5), trimmed(0.3, 0), trimmed(1.1, 1)]).toEqual([
    2.4, -0.5, 0.3, 1,
  ]);
});

test("what was told of another variant does not stand in for what is not known yet", () => {
  expect(sameVariant(["balance", "a", "r1", "fader", ""], "a")).toBe(true);
  expect(sameVariant(["balance", "b", "r2", "fader", ""], "a")).toBe(false);
  // The bare clip has no variant, and neither has what was never asked.
  expect(sameVariant(["balance", undefined, "r3"], undefined)).toBe(false);
  expect(sameVariant(undefined, "a")).toBe(false);
});

test("a stem that takes an input at each of two places is moved by the faders of both", () => {
  const stems = [
    { id: "s.0+t.0", passes: [{ id: "s.0" }, { id: "t.0" }] },
    { id: "c.0+r.0", moves: true, passes: [{ id: "c.0" }, { id: "r.0" }] },
    { id: "s.0+r.0", passes: [{ id: "s.0" }, { id: "r.0" }] },
    { id: "rest" },
  ];
  expect(movesOf(stems, [])).toEqual([false, true, false, false]);
  expect(movesOf(stems, ["r.0"])).toEqual([false, true, true, false]);
  expect(stems.map((s) => secondGain(s, ["r.0"], 20))).toEqual([1, 10, 10, 1]);
  expect(secondGain(undefined, ["r.0"], 20)).toBe(1);
});

test("a level that was changed at either place is heard at once in what passes there", () => {
  const passes = [
    { id: "c.0", level_db: -6 },
    { id: "r.0", level_db: -3, owner_db: 0 },
  ];
  const stem = { id: "c.0+r.0", level_db: null, passes };
  const rails = { "c.0": { strip: { level_db: -6 } }, "r.0": { strip: { level_db: -9 } } };
  expect(changedSince(stem, rails, {})).toBeCloseTo(10 ** (-6 / 20), 9);
  const both = { "c.0": { strip: { level_db: 0 } }, "r.0": { strip: { muted: true } } };
  expect(changedSince(stem, both, {})).toBe(0);
});

test("a second fader moves what moves by itself at its place, once that is rendered", () => {
  const places = [
    { id: "m", stems: [{ id: "c.0", moves: true }] },
    { id: "n", stems: [{ id: "t.0" }, { id: "r.0", moves: true }] },
  ];
  expect(movingAt(places, "n", "m+n")).toEqual(["r.0"]);
  for (const rendered of ["m", "n", "n+m", null])
    expect(movingAt(places, "n", rendered)).toEqual([]);
  expect(movingAt(undefined, "n", "m+n")).toEqual([]);
  expect(movingAt(places, "", "m+n")).toEqual([]);
});

test("places with one name are told apart by what moves there", () => {
  const place = (id: string, name: string, moves: string) => ({
    id,
    name,
    stems: [{ id: "x" }, { id: "y", name: moves, moves: true }],
  });
  const all = [
    place("m", "Merge", "Copy"),
    place("n", "Merge", "Hall"),
    place("o", "Main", "Fader"),
  ];
  expect(all.map((p) => placeWords(p, all))).toEqual(["Merge of Copy", "Merge of Hall", "Main"]);
});
