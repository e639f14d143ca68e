/** Which places of a course are told of, by traits that the core gives. */
import assert from "node:assert/strict";
import { test } from "vitest";

import type { Kind } from "../src/api/client";
import { type CoursePlace, loudestOf, toldOf } from "../src/steps/blend/places";
import { hasTrait } from "../src/rigs/traits";

const kind = (name: string, ...traits: string[]) => ({ kind: name, traits }) as unknown as Kind;
const KINDS = [kind("source", "transparent"), kind("send", "transparent"), kind("filter")];
const place = (node: string, kindName: string, change = 0) =>
  ({ node, kind: kindName, change_db: change, measured: null }) as unknown as CoursePlace;

test("ends, what is lowest, what changes the level and what works on the sound are told", () => {
  const places = [
    place("a", "source"),
    place("b", "send"),
    place("c", "send", -6),
    place("d", "filter"),
    place("e", "send"),
    place("f", "source"),
  ];
  assert.deepEqual(
    toldOf(places, "e", KINDS).map((p) => p.node),
    ["a", "c", "d", "e", "f"],
  );
});

test("while kinds are still loading nothing is left out", () => {
  const places = [place("a", "source"), place("b", "send"), place("c", "source")];
  assert.equal(toldOf(places, null, undefined).length, 3);
});

test("a kind that nobody knows has no traits", () => {
  assert.equal(hasTrait(KINDS, "whatever", "transparent"), false);
  assert.equal(hasTrait(KINDS, undefined, "transparent"), false);
  assert.equal(hasTrait(KINDS, "send", "transparent"), true);
});

test("what was measured is the louder side, or nothing", () => {
  const gauge = { rms_dbfs: [-20, -17.5] } as CoursePlace["measured"];
  assert.equal(loudestOf(gauge), -17.5);
  assert.equal(loudestOf({ ...gauge!, rms_dbfs: [null, null] }), null);
  assert.equal(loudestOf(null), null);
});
