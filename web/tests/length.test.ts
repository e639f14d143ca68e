import assert from "node:assert/strict";
import { test } from "vitest";

import type { Section, TempoMap } from "../src/api/client";
import {
  lengthText,
  lengthWords,
  ofBeats,
  placeWords,
  readLength,
  splitAt,
} from "../src/ui/length";

test("lengths are read in every habit, and nothing else is", () => {
  for (const [text, bars, beats] of [
    ["4", 4, 0],
    [" 4 bars ", 4, 0],
    ["2 + 1.5", 2, 1.5],
    ["2+1,5 beats", 2, 1.5],
    ["+ 3", 0, 3],
    ["2.5", 2, 2],
    ["1 + 4", 2, 0],
    ["", null, 0],
    ["open", null, 0],
  ] as const)
    assert.deepEqual(readLength(text, 4), { bars, beats }, text);
  for (const text of ["0", "-2", "two", "2 + ", "2 3", "1e9", "+ 0", "4 + x", "999999999"])
    assert.equal(readLength(text, 4), null, text);
});

test("what is written is read again", () => {
  for (const metre of [3, 4, 7])
    for (let beats = 0.25; beats < 40; beats += 0.25) {
      const length = ofBeats(beats, metre)!;
      assert.ok(length.beats < metre);
      assert.equal(length.bars! * metre + length.beats, beats);
      assert.deepEqual(readLength(lengthText(length), metre), length);
    }
});

test("words for lengths and places", () => {
  assert.equal(lengthWords({ bars: 1, beats: 0 }), "1 bar");
  assert.equal(lengthWords({ bars: 8, beats: 0 }, true), "8+ bars");
  assert.equal(lengthWords({ bars: 2, beats: 1.5 }), "2 bars and 1.5 beats");
  assert.equal(lengthWords({ bars: 0, beats: 1 }), "1 beat");
  assert.equal(placeWords(5, 1), "5");
  assert.equal(placeWords(5, 2.5), "5, beat 2.5");
});

test("a section is parted anywhere, its tempo where the ramp has come to", () => {
  const own: Section = {
    name: "A", bars: 4, beats: 0, tempo_bpm: 100, ramp_to_bpm: 140, beat_unit: "1/4",
    metre_count: 4, metre_unit: 4,
  }; // prettier-ignore
  const last: Section = { ...own, name: "B", bars: null, ramp_to_bpm: null, tempo_bpm: 140 };
  const laid = { open: false, first_bar: 1, first_beat: 1, bars: 4, beats: 0 };
  const map = {
    sections: [laid, { ...laid, first_bar: 5, bars: 8, open: true }],
  } as unknown as TempoMap;
  const at = { bar: 2, beat: 3, section: 0, bpm: 115 };
  const parted = splitAt([own, last], map, at)!;
  assert.deepEqual(
    parted.map((s) => [s.bars, s.beats, s.tempo_bpm, s.ramp_to_bpm]),
    [
      [1, 2, 100, 115],
      [2, 2, 115, 140],
      [null, 0, 140, null],
    ],
  );
  const open = splitAt([own, last], map, { bar: 6, beat: 2, section: 1, bpm: 140 })!;
  assert.deepEqual(
    open.slice(1).map((s) => [s.bars, s.beats]),
    [
      [1, 1],
      [null, 0],
    ],
  );
  assert.equal(splitAt([own, last], map, { ...at, bar: 1, beat: 1 }), null);
  assert.equal(splitAt([own, last], map, { ...at, bar: 5 }), null);
});
