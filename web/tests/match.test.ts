/** Equal loudness is made by turning down; expectations by hand. */
import { expect, test } from "vitest";

import { downTo, quietestOf, stemGains } from "../src/playing/match";

test("the quietest of what is known sets the level; nothing is raised to it", () => {
  expect(quietestOf([-18, null, -23.5, -20])).toBe(-23.5);
  expect(quietestOf([null, null])).toBeNull();
  expect(quietestOf([])).toBeNull();
  expect(downTo(-23.5, -18)).toBe(-5.5);
  expect(downTo(-23.5, -23.5)).toBe(0);
  // A sound that is quieter than the quietest, as while it is measured again, is left as it is.
  expect(downTo(-23.5, -30)).toBe(0);
  expect(downTo(null, -18)).toBe(0);
  expect(downTo(-23.5, null)).toBe(0);
});

test("wet stems move, dry ones stay; the ends leave one of both", () => {
  const stems = [{ wet: false }, { wet: true }, { wet: true }];
  const [dry, wet] = stemGains(stems, -6);
  expect(dry).toBe(1);
  expect(wet).toBeCloseTo(0.501187, 6);
  expect(stemGains(stems, 0)).toEqual([1, 1, 1]);
  expect(stemGains(stems, -Infinity)).toEqual([1, 0, 0]);
  expect(stemGains(stems, Infinity)).toEqual([0, 1, 1]);
  expect(stemGains([], -6)).toEqual([1]);
});
