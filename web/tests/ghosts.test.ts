/** What of a rig that is only thought of is drawn as not there yet. Rails by hand. */
import { expect, test } from "vitest";

import type { Variant } from "../src/api/client";
import { ghostsOf } from "../src/steps/route/ghosts";

type Document = Pick<Variant["document"], "nodes" | "rails">;

/** in → drive → out, with what more there is put over it. */
const rig = (kinds: Record<string, string> = {}, rails: Record<string, string> = {}) => {
  const all = { in: "source", drive: "drive", out: "output", ...kinds };
  const wired = { "in.0": "drive", "drive.0": "out", ...rails };
  return {
    nodes: Object.fromEntries(Object.entries(all).map(([id, kind]) => [id, { id, kind }])),
    rails: Object.fromEntries(Object.entries(wired).map(([port, target]) => [port, { target }])),
  } as unknown as Document;
};
const BEFORE = rig();
const ghosts = (kinds: Record<string, string>, rails: Record<string, string>) =>
  [...ghostsOf(BEFORE, rig(kinds, rails))].sort();

test("nothing is new in the same rig, nor in one with a stop less", () => {
  expect([...ghostsOf(BEFORE, rig())]).toEqual([]);
  const less = rig({}, { "in.0": "out" });
  expect([...ghostsOf(less, less)]).toEqual([]);
});

test("a split put on a rail leaves both its halves, and its second way is new", () => {
  const found = ghosts(
    { split1: "split", hall: "reverb", join: "merge" },
    {
      "in.0": "split1",
      "split1.0": "drive",
      "split1.1": "hall",
      "hall.0": "join",
      "drive.0": "join",
      "join.0": "out",
    },
  );
  // Of in–drive and drive–out, the halves are there already: only the way round is not.
  expect(found).toEqual(["hall", "hall.0", "join", "split1", "split1.1"]);
});

test("a rail led elsewhere is new, and so is what comes out of a stage put between", () => {
  expect(ghosts({ out2: "output" }, { "drive.0": "out2" })).toContain("out2");
  const both = rig({ hall: "reverb" }, { "hall.0": "out" });
  const led = rig({ hall: "reverb" }, { "in.0": "hall", "hall.0": "out" });
  expect([...ghostsOf(both, led)]).toEqual(["in.0"]);
  expect(ghosts({ hall: "reverb" }, { "drive.0": "hall", "hall.0": "out" })).toEqual([
    "hall",
    "hall.0",
  ]);
});

test("a port whose name has a dot in its stop is read from its end", () => {
  const found = ghosts({ "amp.1": "split" }, { "drive.0": "amp.1", "amp.1.0": "out" });
  expect(found).toEqual(["amp.1"]);
});
