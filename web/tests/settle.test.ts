/** What a balance comes to is written where it belongs: rails, devices, sections of frames. */
import { expect, test } from "vitest";

import { editsOf } from "../src/playing/settle";

const frame = {
  calls: [3, 1],
  beside: [
    { of: "stop", at: 1, mix_percent: 50, level_db: 0 },
    { of: "turn", at: 1, mix_percent: 20, level_db: -2 },
  ],
};

test("levels go to rails, mixes to devices, each as an edit of its own", () => {
  expect(
    editsOf(
      [
        { part: "c.0", field: "level_db", value: -6 },
        { part: "hall", field: "mix_percent", value: 30 },
      ],
      {},
    ),
  ).toEqual([
    { do: "set_strip", rail: "c.0", values: { level_db: -6 } },
    { do: "set", node: "hall", values: { mix_percent: 30 } },
  ]);
});

test("of a frame the section that is meant is changed, by its siding or by its turn, and no other", () => {
  const both = (part: string) => [
    { part, field: "mix_percent", value: 63.4 },
    { part, field: "level_db", value: 1.1 },
  ];
  const [byPlace] = editsOf(both("f@1"), { f: frame });
  expect(byPlace).toEqual({
    do: "arrange",
    frame: "f",
    beside: [{ of: "stop", at: 1, mix_percent: 63.4, level_db: 1.1 }, frame.beside[1]],
  });
  // Siding 3 is called at first.
  const [byTurn] = editsOf(both("f@3"), { f: frame });
  expect(byTurn).toEqual({
    do: "arrange",
    frame: "f",
    beside: [frame.beside[0], { of: "turn", at: 1, mix_percent: 63.4, level_db: 1.1 }],
  });
});
