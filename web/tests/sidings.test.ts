/** The line of an insert frame: moving stops, passing by, what differs, in words. */
import { expect, test } from "vitest";

import { besideOf } from "../src/rigs/sections";
import {
  differing,
  type Frame,
  lineWords,
  movedTo,
  ordinal,
  stepped,
  toggled,
  turnOf,
} from "../src/steps/route/sidings";

test("a stop goes to another turn, and the others keep their order", () => {
  expect(movedTo([1, 3, 5, 7], 7, 1)).toEqual([7, 1, 3, 5]);
  expect(movedTo([1, 3, 5, 7], 1, 3)).toEqual([3, 5, 1, 7]);
  expect(movedTo([1, 3], 3, 99)).toEqual([1, 3]);
  expect(movedTo([1, 3], 3, -4)).toEqual([3, 1]);
});

test("earlier and later by one, and no further than the ends", () => {
  expect(stepped([1, 3, 5], 3, -1)).toEqual([3, 1, 5]);
  expect(stepped([1, 3, 5], 3, 1)).toEqual([1, 5, 3]);
  expect(stepped([1, 3, 5], 1, -1)).toEqual([1, 3, 5]);
  expect(stepped([1, 3, 5], 5, 1)).toEqual([1, 3, 5]);
  // What stands by is called at last when it is moved to the left.
  expect(stepped([1, 3], 8, -1)).toEqual([1, 3, 8]);
  expect(stepped([1, 3], 8, 1)).toEqual([1, 3]);
});

test("passed by, and called at again last", () => {
  expect(toggled([1, 3, 5], 3)).toEqual([1, 5]);
  expect(toggled([1, 5], 3)).toEqual([1, 5, 3]);
  expect(turnOf([1, 5, 3], 3)).toBe(3);
  expect(turnOf([1, 5], 3)).toBe(0);
});

test("what is called at another turn, or not at all, differs", () => {
  expect(differing([1, 2, 3], [1, 2, 3])).toEqual([]);
  expect(differing([2, 1, 3], [1, 2, 3])).toEqual([2, 1]);
  expect(differing([1, 3], [1, 2, 3]).sort()).toEqual([2, 3]);
  expect([1, 2, 3, 4, 11].map(ordinal)).toEqual(["1st", "2nd", "3rd", "4th", "11th"]);
});

test("the line in words, with the paths beside it", () => {
  const frame = {
    calls: [2, 5],
    beside: [
      { of: "turn", at: 1, mix_percent: 70 },
      { of: "stop", at: 9, mix_percent: 50 },
    ],
  } as unknown as Frame;
  const names = (place: number) => ({ 2: "Drive", 5: "Tape" })[place]!;
  expect(lineWords(frame, names)).toBe("Drive with 30 % dry beside it, Tape");
  // It stays with the turn, whatever is called at then.
  expect(lineWords({ ...frame, calls: [5, 2] }, names)).toBe("Tape with 30 % dry beside it, Drive");
  expect(besideOf(frame, 5, 2)).toBeUndefined();
  expect(lineWords({ ...frame, calls: [] }, names)).toMatch(/^nothing/);
});
