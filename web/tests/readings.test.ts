/** What the Sum says, from what the core found. */
import assert from "node:assert/strict";
import { test } from "vitest";

import { rangeOf, readingsOf, wasOf } from "../src/steps/route/readings";

const SUMS = {
  headroom_db: 6.02 as number | null,
  level_db: 3.5 as number | null,
  near_level_db: 5.1 as number | null,
  power_db: 3.01,
  grows: false,
  mono_db: null as number | null,
  notches: [] as { hz: number; depth_db: number | null }[],
  comb: "",
  cancels: "",
  near_db: [],
  all_db: [],
  mono_near_db: [],
};

const told = (change: Partial<typeof SUMS>) =>
  Object.fromEntries(
    readingsOf({ ...SUMS, ...change }).map((r) => [r.label || "comb", [r.value, r.unit, r.colour]]),
  );

test("two copies in step are louder, and nothing is said to cancel", () => {
  assert.deepEqual(told({}), {
    "In step": ["+6.0", "dB", undefined],
    "Within 10 ms": ["+5.1", "dB", undefined],
    "All of it": ["+3.5", "dB", undefined],
    comb: ["no comb", "", "ok"],
  });
});

test("a copy that takes the other away is silence in the colour of a difference, never green", () => {
  const said = told({
    headroom_db: null,
    near_level_db: null,
    level_db: null,
    cancels: "Dry and Dry (by Cable)",
  });
  assert.deepEqual(said["In step"], ["cancels", "", "diff"]);
  assert.deepEqual(said["All of it"], ["silence", "", "diff"]);
  assert.deepEqual(said.Cancels, ["Dry and Dry (by Cable)", "", "diff"]);
  assert.ok(!Object.values(said).some(([, , colour]) => colour === "ok"));
});

test("a loop that grows has no level, and a stable one beside 0 dB has one", () => {
  assert.deepEqual(told({ grows: true, level_db: null })["All of it"], ["no limit", "", "diff"]);
  assert.deepEqual(told({ level_db: 13.4 })["All of it"], ["+13.4", "dB", undefined]);
});

test("the first notch is told with its depth, complete where nothing is left", () => {
  assert.deepEqual(told({ notches: [{ hz: 185.4, depth_db: null }] })["First notch"], [
    "185.4 Hz, complete",
    "",
    "diff",
  ]);
  assert.deepEqual(told({ notches: [{ hz: 950.4, depth_db: -10.69 }] })["First notch"], [
    "950.4 Hz, −10.7",
    "dB",
    "diff",
  ]);
});

test("mono holds down to 3 dB and loses beyond", () => {
  assert.deepEqual(told({ mono_db: -2.9 }).Mono![2], "ok");
  assert.deepEqual(told({ mono_db: -3.1 }).Mono![2], "diff");
});

test("an arrival that depends on level says how far it goes", () => {
  const arrival = { quiet_db: 4, loud_db: -8.2 } as Parameters<typeof rangeOf>[0];
  assert.equal(rangeOf(arrival), "changes with level: 4.0 dB when quiet, −8.2 dB when loud");
  assert.equal(rangeOf({ ...arrival, quiet_db: null }), "");
  assert.equal(rangeOf({ ...arrival, loud_db: 3.95 }), "");
});

type Way = Parameters<typeof wasOf>[0];
const way = (id: string, name: string, detail: string, level_db: number) =>
  ({ id, name, detail, level_db }) as Way;

test("a stage that is put into a way leaves it the same way, under another id", () => {
  const before = [way("1", "Dry", "straight through", 0), way("2", "Hall", "first wet sound", -6)];
  const now = [way("1", "Dry", "straight through", 0), way("9", "Hall", "first wet sound", -8)];
  assert.equal(wasOf(now[1]!, now, before), before[1]);
  assert.equal(wasOf(now[0]!, now, before), before[0]);
});

test("of two returns of one name each keeps its own, whichever is named first", () => {
  const quiet = way("2", "Hall", "first wet sound", -9);
  // A louder one is laid beside it: it is the first of its name now, and was not there before.
  const louder = way("3", "Hall", "first wet sound", -3);
  const second = way("2", "Hall", "first wet sound, from Hall 1, way 2", -9);
  assert.equal(wasOf(louder, [louder, second], [quiet]), undefined);
  assert.equal(wasOf(second, [louder, second], [quiet]), quiet);
  // And taken away again, what is left was what it is.
  assert.equal(wasOf(quiet, [quiet], [louder, second]), second);
});
