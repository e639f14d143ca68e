import { expect, test } from "vitest";

import { ticked } from "../src/clips/ClipChecks";
import { canBeStems, stemsLine, stillStems } from "../src/steps/verify/stems";

const clip = (id: string, status = "done") => ({ id, name: id, status }) as never;

test("a stem of A is a ready clip, and neither A nor B", () => {
  const clips = [clip("a"), clip("b"), clip("dry"), clip("hall"), clip("late", "running")];
  expect(canBeStems(clips, "a", "b")).toEqual([clip("dry"), clip("hall")]);
  expect(canBeStems(clips, "dry", null)).toEqual([clip("a"), clip("b"), clip("hall")]);
});

test("stems stay in the order in which they were ticked, and one that became B is none any more", () => {
  let chosen = ticked(ticked([], "hall", true), "dry", true);
  expect(chosen).toEqual(["hall", "dry"]);
  expect(stillStems(chosen, canBeStems([clip("dry"), clip("hall")], null, "hall"))).toEqual([
    "dry",
  ]);
  chosen = ticked(ticked(chosen, "hall", false), "hall", true);
  expect(chosen).toEqual(["dry", "hall"]);
  expect(ticked(chosen, "dry", true)).toEqual(["hall", "dry"]);
});

test("the result says whether anything was found of the stems that were given", () => {
  const stems = [
    { id: "1", name: "Dry" },
    { id: "2", name: "Hall" },
  ];
  const result = (codes: [string, string][], related = true) =>
    ({ related, causes: codes.map(([code, sort]) => ({ code, words: { sort } })) }) as never;
  expect(stemsLine({ stems: [], result: result([]) })).toBeNull();
  expect(stemsLine({ stems, result: result([["level", ""]]) })).toBe(
    "Dry, Hall: no share of theirs was found to differ",
  );
  expect(stemsLine({ stems, result: result([["mix_share", ""]]) })).toBe("Dry, Hall");
  expect(stemsLine({ stems, result: result([["modulation", "apart"]]) })).toBe("Dry, Hall");
  expect(stemsLine({ stems, result: result([["modulation", "wander"]]) })).toContain("no share");
  // A stem that lies elsewhere in A says nothing of shares.
  const late = { related: true, causes: [], stem_notes: ["“Hall” lies in A 9 samples later."] };
  expect(stemsLine({ stems, result: late as never })).toBe(
    "Dry, Hall. “Hall” lies in A 9 samples later.",
  );
  // Of unrelated sounds nothing is said.
  expect(stemsLine({ stems, result: result([], false) })).toBe("Dry, Hall");
});
