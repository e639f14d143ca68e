/** What moves is said where it is drawn, briefly, and nothing else is changed. */
import { expect, test } from "vitest";

import { movedWords } from "../src/playing/moves";
import { withMoves } from "../src/steps/route/moved";

const range = (part: string, label: string, least: number, most: number, more: object = {}) => ({
  part,
  field: label,
  label,
  unit: "dB",
  least,
  most,
  switch: false,
  ...more,
});

test("a setting says how far it goes, a switch that it switches, several that there are more", () => {
  expect(movedWords([range("back", "level", -20, 0)])).toEqual({ back: "level −20 to 0 dB" });
  expect(movedWords([range("d", "feedback", 12.34, 104, { unit: "%" })])).toEqual({
    d: "feedback 12 to 104 %",
  });
  expect(movedWords([range("d", "mix", 0.5, 2.25, { unit: "" })]).d).toBe("mix 0.5 to 2.3");
  expect(movedWords([range("d", "bypassed", 0, 1, { switch: true })]).d).toBe("bypassed switches");
  const three = ["mix", "time", "level"].map((label) => range("d", label, 1, 2));
  expect(movedWords(three).d).toBe("mix 1 to 2 dB …");
});

test("captions of parts and of strips take it up; without moves the drawing is the same one", () => {
  const layout = {
    nodes: [
      { id: "back", caption: "−3.0 dB" },
      { id: "s", caption: "" },
    ],
    rails: [{ port: "back.0", caption: undefined }],
  } as never;
  expect(withMoves(layout, [])).toBe(layout);
  const seen = withMoves(layout, [
    range("back", "level", -20, 0),
    range("back.0", "pan", -30, 30, { unit: "%" }),
  ]);
  expect(seen.nodes.map((n) => n.caption)).toEqual(["−3.0 dB, level −20 to 0 dB", ""]);
  expect(seen.rails[0]!.caption).toBe("pan −30 to 30 %");
});
