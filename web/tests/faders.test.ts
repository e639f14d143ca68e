/** Faders of places that need a render: every input's level, a device's mix, a section's. */
import { expect, test } from "vitest";

import { fadersOf } from "../src/playing/faders";

const place = (more: object) =>
  ({ id: "m", name: "Merge", stems: [], live: false, reason: "", inside: false, ...more }) as never;

test("each input of a merge has its level, as it is set now; what has none has no fader", () => {
  const stems = [
    { id: "c.0", name: "Copy", level_db: -6 },
    { id: "s.0", name: "dry", level_db: 0 },
    { id: "x.0", name: "inner", level_db: null },
  ];
  const rails = { "c.0": { strip: { level_db: -9 } }, "s.0": {} };
  const found = fadersOf(place({ stems }), { rails });
  expect(found.map((f) => [f.name, f.value, f.unit])).toEqual([
    ["Copy", -9, "dB"],
    ["dry", 0, "dB"],
  ]);
  expect(found[0]!.edits(-3.5)).toEqual([
    { do: "set_strip", rail: "c.0", values: { level_db: -3.5 } },
  ]);
});

test("a device has its mix, and a section of a frame its own", () => {
  const nodes = {
    hall: { mix_percent: 27 },
    f: { calls: [3, 1], beside: [{ of: "turn", at: 2, mix_percent: 40, level_db: -1 }] },
  };
  const hall = fadersOf(place({ id: "hall", name: "Hall", inside: true }), { nodes });
  expect(hall.map((f) => [f.name, f.value, f.unit])).toEqual([["Mix of Hall", 27, "%"]]);
  expect(hall[0]!.edits(50)).toEqual([{ do: "set", node: "hall", values: { mix_percent: 50 } }]);
  const section = fadersOf(place({ id: "f@1", name: "Frame, Hall", inside: true }), { nodes });
  expect(section[0]!.value).toBe(40);
  expect(section[0]!.edits(60)).toEqual([
    { do: "arrange", frame: "f", beside: [{ of: "turn", at: 2, mix_percent: 60, level_db: -1 }] },
  ]);
  expect(fadersOf(place({ id: "f@3", inside: true }), { nodes })).toEqual([]);
  expect(fadersOf(place({ id: "gone", inside: true }), {})).toEqual([]);
});
