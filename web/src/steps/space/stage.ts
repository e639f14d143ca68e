/** A reverb and a ducker as Space has them, and as stages of a rig have them. */
import type { Schemas } from "../../api/client";
import { duckingSettings, limits } from "../../api/defaults.gen";
import type { Stage } from "../../rigs/stages";

type Kept = Schemas["KeptSpace"];
type Ducking = Schemas["DuckingSettings"];
type Values = Record<string, unknown>;

const OCTAVES = [125, 250, 500, 1000, 2000, 4000];
const [SHORTEST, LONGEST] = limits.KeptSpace.rt60_s;
const held = (seconds: number) => Math.max(SHORTEST, Math.min(LONGEST, Number(seconds.toFixed(4))));

/** Decay, pre-delay and shares by octave of a reverb. */
export function reverbFrom(stage: Stage): Partial<Kept> {
  const values = stage as unknown as Values;
  const rt60_s = values.rt60_s as number;
  const ratios = OCTAVES.map((hz) => {
    const own = values[`rt60_${hz}_s`];
    return typeof own === "number" ? Number((own / rt60_s).toFixed(4)) : 1;
  });
  return { rt60_s, pre_delay: values.pre_delay as string, ratios, school: "taste" };
}

/** The settings of a reverb; decay by octave is none where all octaves are alike. */
export function reverbTo(space: Kept, octaves: number[]): Values {
  const even = octaves.every((v) => Math.abs(v - space.rt60_s!) < 1e-6);
  const own = OCTAVES.map((hz, i) => [
    `rt60_${hz}_s`,
    even || octaves[i] === undefined ? null : held(octaves[i]),
  ]);
  return { rt60_s: space.rt60_s!, pre_delay: space.pre_delay!, ...Object.fromEntries(own) };
}

const SHARED = [
  "way",
  "depth_db",
  "attack_ms",
  "release_ms",
  "sensitivity_percent",
  "follower_gain_db",
  "below_zero",
  "dip_shape",
] as const;

/** A ducker's settings; how long its note value is, the caller knows. */
export function duckerFrom(stage: Stage, period_s: number | null): Ducking {
  const values = stage as unknown as Values;
  const shared = Object.fromEntries(SHARED.map((f) => [f, values[f] ?? duckingSettings[f]]));
  return { ...duckingSettings, ...shared, ...(period_s ? { period_s } : {}) };
}

/** The settings of a ducker; a compressor's way is none of them. */
export function duckerTo(s: Ducking): Values {
  return {
    ...Object.fromEntries(SHARED.map((f) => [f, s[f]])),
    dip_time: `${Number((s.period_s! * 1000).toPrecision(9))} ms`,
  };
}
