/** Two sounds never play at once in one page. */
import { expect, test } from "vitest";

import { playOnly } from "../src/ui/only";

test("what begins stops what played before it, and never itself", () => {
  const said: string[] = [];
  const one = () => said.push("one stops");
  const two = () => said.push("two stops");
  playOnly(one);
  playOnly(one);
  expect(said).toEqual([]);
  playOnly(two);
  expect(said).toEqual(["one stops"]);
  playOnly(one);
  expect(said).toEqual(["one stops", "two stops"]);
});
