/** What a test found, written into a rig; and by the steps of a device. */
import { describe, expect, it } from "vitest";

import type { Schemas } from "../src/api/client";
import { asText } from "../src/charts/ladder";
import { placeOf, writing } from "../src/steps/verify/correct";
import { stepsOf } from "../src/steps/verify/queries";
import { inSteps } from "../src/steps/verify/ReachLine";

type Corrections = Schemas["Corrections"];

const place = (rail: string, more: Partial<Corrections["places"][number]> = {}) => ({
  rail,
  name: rail,
  words: [],
  rest: [],
  actions: [{ do: "set_strip" as const, rail, values: { level_db: 1.7 } }],
  ...more,
});
const found = (more: Partial<Corrections> = {}): Corrections => ({
  variant: "v",
  named: "Two sends A",
  is_b: true,
  changed: false,
  places: [place("a.0", { rest: ["It would have to come earlier."] }), place("b.0")],
  ...more,
});

describe("into the rig", () => {
  it("goes to the input that takes all of it, unless another is picked", () => {
    expect(placeOf(found(), null)?.rail).toBe("b.0");
    expect(placeOf(found(), "a.0")?.rail).toBe("a.0");
    expect(placeOf(found({ places: [place("a.0", { rest: ["no"] })] }), null)?.rail).toBe("a.0");
    expect(placeOf(found({ places: [] }), null)).toBeUndefined();
  });

  it("is one edit, however many inputs it moves", () => {
    expect(writing(found(), place("b.0"))).toEqual(place("b.0").actions[0]);
    const both = place("b.0", { actions: [...place("b.0").actions, ...place("c.0").actions] });
    expect(writing(found(), both)).toMatchObject({ do: "several", actions: both.actions });
  });

  it("is not written twice: a rig that changed since has to be rendered and tested first", () => {
    expect(writing(found({ changed: true }), place("b.0"))).toBeNull();
    expect(writing(found(), place("b.0", { actions: [] }))).toBeNull();
  });
});

describe("by the steps of a device", () => {
  const reach = {
    level_set_db: 1.5,
    level_off_db: -0.2,
    time_set_ms: -0.5,
    time_off_ms: 0.013,
    best_db: -30,
    at_resolution: false,
    sentence: "",
  };

  it("says level and time in them, and nothing of what has no steps", () => {
    expect(inSteps("level", reach)).toBe("in its steps raise by 1.5 dB, −0.200 off");
    expect(inSteps("offset", reach)).toBe("in its steps earlier by 0.5 ms, +0.013 off");
    expect(inSteps("polarity", reach)).toBe("");
  });

  it("copies them beside the exact value", () => {
    const step = {
      code: "level" as const,
      words: "Raise B by",
      value: "1.70 dB",
      beside: "",
      hurts: "",
      leaves_db: -90,
      takes_db: 60,
    };
    const text = asText({ to_set: [step] }, (code) => inSteps(code, reach));
    expect(text).toBe("1. Raise B by 1.70 dB (in its steps raise by 1.5 dB, −0.200 off)");
    expect(asText({ to_set: [step] })).toBe("1. Raise B by 1.70 dB");
  });

  it("are those of a mixer until a device is chosen", () => {
    expect(stepsOf(null)).toEqual({ level_db: 0.1, time_ms: 0.01 });
    const device = { name: "Mine", min_ms: 20, max_ms: 900, step_ms: 2, level_step_db: 0.5 };
    expect(stepsOf(device as never)).toEqual({ level_db: 0.5, time_ms: 2 });
  });
});
