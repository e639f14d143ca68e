import assert from "node:assert/strict";
import { test } from "vitest";

import { workedWords } from "../src/song/Worked";

test("a figure over a part of a clip says of which part, and one over all of it says nothing", () => {
  assert.equal(workedWords(120, 754.2), "Over the first 2:00 of 12:34.");
  assert.equal(workedWords(30, 61), "Over the first 0:30 of 1:01.");
  // Whole frames of 20 ms leave some milliseconds out.
  assert.equal(workedWords(12.34, 12.352), "");
  assert.equal(workedWords(12, undefined), "");
});
