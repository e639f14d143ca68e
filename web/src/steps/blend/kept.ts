/** What of Blend is kept with the song. */
import type { Schemas } from "../../api/client";
import { useSongContext } from "../../song/context";

export type Kept = Schemas["KeptBlend"];
export const START: Kept = {
  parallel: {
    threshold_db: -34,
    ratio: 4,
    knee_db: 6,
    makeup_db: 0,
    follow: false,
    attack_ms: 10,
    release_ms: 120,
    dry_db: -3,
    wet_db: 0,
    detector_db: 0,
  },
  school: "",
  pair: {
    dry_db: 0,
    wet_db: -2.5,
    device_mix_percent: 100,
    correlation: 0,
    mix_step_percent: 1,
    level_step_db: 0.1,
    latency_apart_ms: 0,
    inverted: false,
    linear: true,
    moving: false,
  },
  law: "linear",
  insert: {
    law: "linear",
    mix_percent: 40,
    trim_db: 0,
    device_mix_percent: 100,
    level_step_db: 0.1,
    mix_step_percent: 1,
  },
  sides: {
    apart_ms: 12,
    level_db: 0,
    inverted: false,
    fused_ms: 25,
    chorus_depth_ms: 2,
    chorus_rate_hz: 0.8,
    centre_db: -6,
    wet_side_db: -9,
    sides_correlation: 0,
    wanted_wet_db: -6,
    width_percent: 100,
    pan_percent: 0,
  },
  full_scale_dbu: 24,
};

export function useKeptBlend() {
  const { song, edit } = useSongContext();
  const kept: Kept = { ...START, ...(song.blend ?? {}) };
  return { kept, keep: (more: Partial<Kept>) => edit({ blend: { ...kept, ...more } }) };
}
