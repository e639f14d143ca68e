/** Which stretch is heard, and of which steps what is left can be heard. */
import { describe, expect, it } from "vitest";

import type { NullResult } from "../src/api/client";
import { canBeHeard, keptStretch, stretch } from "../src/steps/verify/stretch";

const step = (code: string) => ({ code }) as NullResult["to_set"][number];
const result = (kept: string[]) =>
  ({
    compared_s: 30,
    to_set: ["offset", "level", "filter", "dynamics"].map(step),
    rests: kept.length ? { codes: kept, start_s: 4.5, frames: 480_000, rate_hz: 48_000 } : null,
  }) as Pick<NullResult, "compared_s" | "to_set" | "rests">;

describe("the stretch that is heard", () => {
  it("begins where it is wanted, inside of what was compared", () => {
    expect(stretch(result([]), -3, 12)).toEqual({ from: 0, length: 12 });
    expect(stretch(result([]), 25, 12).from).toBe(18);
    // A chosen place near the end is still heard.
    expect(stretch(result([]), 27, 2).from).toBe(27);
    expect(stretch({ compared_s: 1 }, 0.5, 12).from).toBe(0);
  });

  it("is the kept excerpt for a step that matching cannot do", () => {
    const kept = result(["filter", "dynamics"]);
    expect(keptStretch(kept, 3)).toEqual({ from: 4.5, length: 10 });
    expect(keptStretch(kept, 2)).toBeNull();
    expect(keptStretch(kept, null)).toBeNull();
    expect(keptStretch(kept, 9)).toBeNull();
  });

  it("is offered for what matching makes and for what was kept, and for nothing else", () => {
    const heard = (kept: string[]) => [0, 1, 2, 3, 4].map((k) => canBeHeard(result(kept), k));
    expect(heard(["filter", "dynamics"])).toEqual([true, true, true, true, true]);
    expect(heard(["dynamics"])).toEqual([true, true, true, false, true]);
    // Tests from before anything was kept.
    expect(heard([])).toEqual([true, true, true, false, false]);
  });
});
