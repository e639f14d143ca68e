/** What is in hand, where two memories of it differ or what it means is gone; and what is saved. */
import { expect, test } from "vitest";

import type { Clip, RigSummary } from "../src/api/client";
import type { Flow } from "../src/rigs/outbox";
import { EMPTY, heldOf, keptHere, leftAt, newest, placeOf } from "../src/song/hand";
import { latest, savedWords } from "../src/song/saved";

const rig = (name: string, ...variants: string[]) =>
  ({ name, variants: variants.map((id) => ({ id })) }) as unknown as RigSummary;
const clip = (id: string, name: string) => ({ id, name }) as Clip;
const RIGS = [rig("One", "a", "b"), rig("Two", "c")];
const CLIPS = [clip("1", "Drum"), clip("2", "Voice")];

test("the later of browser and song wins, and the song where nothing was kept here", () => {
  const song = { ...EMPTY, step: "space", at: 10 } as typeof EMPTY;
  expect(newest(song, { ...EMPTY, step: "blend", at: 11 }).step).toBe("blend");
  expect(newest(song, { ...EMPTY, step: "blend", at: 9 }).step).toBe("space");
  expect(newest(song, null).step).toBe("space");
});

test("a hand in the browser that nobody can read counts as none", () => {
  for (const text of [null, "", "{", "3", "null"]) expect(keptHere(text)).toBeNull();
  expect(keptHere('{"step":"time"}')).toEqual({ step: "time" });
});

test("rig, variant and clip of a hand; the first ones where they are gone", () => {
  const held = heldOf({ ...EMPTY, variant: "c", clip: "2" }, RIGS, CLIPS);
  expect([held.rig?.name, held.variant?.id, held.clip?.name]).toEqual(["Two", "c", "Voice"]);
  const gone = heldOf({ ...EMPTY, variant: "x", clip: "x" }, RIGS, CLIPS);
  expect([gone.rig?.name, gone.variant?.id, gone.clip?.name]).toEqual(["One", "a", "Drum"]);
  expect(heldOf(EMPTY, RIGS, CLIPS, "Voice").clip?.id).toBe("2");
  expect(heldOf(EMPTY, [], [])).toEqual({ rig: undefined, variant: undefined, clip: undefined });
});

test("a song opens at the step and tool that were left", () => {
  expect(placeOf({ ...EMPTY, step: "blend", tools: { blend: "later" } })).toBe("blend/later");
  expect(placeOf({ ...EMPTY, step: "time", tools: { blend: "later" } })).toBe("time");
});

test("one truth over everything that is saved", () => {
  const still: Flow = { waiting: 0, offline: false, refused: "", at: null };
  const saved = { state: "saved", at: null } as const;
  const said = (...of: Parameters<typeof savedWords>) => {
    const { words, kind, why } = savedWords(...of);
    return [words, kind, why.split(";")[0]];
  };
  expect(said(saved, still, "10:15")).toEqual(["Saved 10:15", "saved", ""]);
  expect(said({ state: "saving" }, still, "")).toEqual(["Sending", "sending", ""]);
  expect(said(saved, { ...still, waiting: 2 }, "")).toEqual(["Sending", "sending", ""]);
  const away = "The server cannot be reached";
  expect(said({ state: "offline", waiting: 1 }, still, "")).toEqual([
    "1 edit waits",
    "waiting",
    away,
  ]);
  // Edits of the song and of its rigs count together.
  expect(
    said({ state: "offline", waiting: 1 }, { ...still, waiting: 2, offline: true }, ""),
  ).toEqual(["3 edits wait", "waiting", away]);
  expect(said({ state: "refused", sentence: "Too long." }, still, "")).toEqual([
    "Not saved",
    "refused",
    "Too long.",
  ]);
  expect(said(saved, { ...still, refused: "Gone." }, "")).toEqual([
    "Not saved",
    "refused",
    "Gone.",
  ]);
  // A rig's refusal is not hidden by a song that is saved, nor by one that is on its way.
  expect(said({ state: "saving" }, { ...still, refused: "Gone." }, "")[1]).toBe("refused");
});

test("the later time of those that are known", () => {
  const [early, late] = [new Date(1000), new Date(2000)];
  expect(latest(early, null, late)).toEqual(late);
  expect(latest(null, null)).toBeNull();
});

test("a step is left at a whole address, ids and all, and opened there again", () => {
  expect(leftAt("/songs/s1/verify/measured/m1")).toEqual(["verify", "measured/m1"]);
  expect(leftAt("/songs/s1/verify/measured/m1/proof")).toEqual(["verify", "measured/m1/proof"]);
  expect(leftAt("/songs/s1/verify/bench/decay/")).toEqual(["verify", "bench/decay"]);
  expect(leftAt("/songs/s1/time/lattice")).toEqual(["time", "lattice"]);
  expect(leftAt("/songs/s1/route")).toEqual(["route", ""]);
  expect(leftAt("/songs/s1")).toEqual(["", ""]);
});
