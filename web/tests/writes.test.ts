/** What a device really does, as settings of a rig's stages. */
import { describe, expect, it } from "vitest";

import type { Variant } from "../src/api/client";
import { settingsOf, writesOf } from "../src/steps/verify/bench/writes";

const band = (hz: number, t20_s: number | null, t30_s: number | null) => ({
  hz,
  t20_s,
  t30_s,
  edt_s: null,
  c50_db: null,
  c80_db: null,
  range_db: 40,
});
const decay = (more: object = {}) =>
  ({
    kind: "decay",
    compared: [],
    decay: {
      t20_s: 1.9,
      t30_s: 1.82017,
      pre_delay_ms: 21.34,
      bands: [band(125, 2.4, null), band(1000, 1.8, 1.79), band(8000, 0.9, 0.88)],
      ...more,
    },
  }) as never;

const variant = {
  document: {
    nodes: {
      g: { kind: "source" },
      h: { kind: "reverb" },
      p: { kind: "reverb" },
      o: { kind: "outboard" },
    },
  },
  view: {
    layout: {
      reading: ["g", "p", "o", "h"],
      nodes: [
        { id: "h", shown: "Hall" },
        { id: "p", shown: "Plate" },
      ],
    },
  },
} as unknown as Variant;

describe("a measured decay", () => {
  it("is what a reverb of the rig is set to, octave by octave", () => {
    const found = settingsOf(decay())!;
    expect(found.values).toMatchObject({
      rt60_s: 1.82,
      pre_delay: "21.3 ms",
      rt60_125_s: 2.4,
      rt60_1000_s: 1.79,
      rt60_250_s: null,
    });
    // The rig's reverb has no control of its own at 8 kHz.
    expect(found.values).not.toHaveProperty("rt60_8000_s");
    expect(found.words).toBe("RT60 1.82 s, pre-delay 21.3 ms, by octave");
  });

  it("is not written where no decay was stated, and leaves a pre-delay alone that was not", () => {
    expect(settingsOf(decay({ t20_s: null, t30_s: null }))).toBeNull();
    expect(settingsOf(decay({ pre_delay_ms: null }))!.values).not.toHaveProperty("pre_delay");
  });

  it("goes to any reverb of the rig, in the order that it is read in", () => {
    expect(writesOf(decay(), variant).map((w) => w.name)).toEqual(["Plate", "Hall"]);
    expect(writesOf(decay(), undefined)).toEqual([]);
  });
});

describe("a measured loop and a compressor", () => {
  it("give an outboard loop its latency, and none that was before it was sent", () => {
    const loop = (measured: number | null, kind = "loop") =>
      ({
        kind,
        loop: { latency_ms: 77 },
        compared: [
          { name: "Gain", measured: 1 },
          { name: "Latency", measured },
        ],
      }) as never;
    expect(writesOf(loop(2.71234), variant)).toEqual([
      { node: "o", name: "o", values: { latency_ms: 2.7123 }, words: "latency 2.712 ms" },
    ]);
    expect(settingsOf(loop(-1))).toBeNull();
    // Of a take that did not begin with the signal, nobody knows how late it is.
    expect(settingsOf(loop(null))).toBeNull();
    // A cable is measured the same way, and is no stage.
    expect(settingsOf(loop(1, "cable"))).toBeNull();
  });

  it("give a compressor what was found, without what was not", () => {
    const found = (more: object) =>
      settingsOf({
        kind: "dynamics",
        compared: [],
        dynamics: { threshold_db: -30.5, ratio: 1.15, attack_ms: 12, release_ms: null, ...more },
      } as never);
    expect(found({})!.values).toEqual({ threshold_db: -30.5, ratio: 1.15, attack_ms: 12 });
    expect(found({ ratio: null })).toBeNull();
  });

  it("give their law to whatever stage mixes, and nothing where it was not told", () => {
    const mixing = {
      document: { nodes: { g: { kind: "source" }, h: { kind: "reverb", mix_law: "linear" } } },
      view: { layout: { reading: ["g", "h"], nodes: [] } },
    } as unknown as Variant;
    const mix = (law: string | null) => ({ kind: "mix", compared: [], mix: { law } }) as never;
    const found = writesOf(mix("equal-power"), mixing);
    expect(found.map((w) => [w.node, w.values])).toEqual([["h", { mix_law: "equal-power" }]]);
    expect(writesOf(mix(null), mixing)).toEqual([]);
  });

  it("takes the likeliest slope before the one by definition", () => {
    const found = settingsOf(decay({ rt60_s: 1.7512 }))!;
    expect(found.values.rt60_s).toBe(1.751);
    expect(found.words).toContain("1.75 s");
  });
});
