/** Generated: the core's defaults. */
import type { Schemas } from "./client";

export const keptBlend: Required<Schemas["KeptBlend"]> = {
  "parallel": {
    "threshold_db": -34.0,
    "ratio": 4.0,
    "knee_db": 6.0,
    "makeup_db": 0.0,
    "follow": false,
    "attack_ms": 10.0,
    "release_ms": 120.0,
    "dry_db": -3.0,
    "wet_db": 0.0,
    "detector_db": 0.0
  },
  "school": "",
  "pair": {
    "dry_db": 0.0,
    "wet_db": -2.5,
    "device_mix_percent": 100.0,
    "correlation": 0.0,
    "mix_step_percent": 1.0,
    "level_step_db": 0.1,
    "latency_apart_ms": 0.0,
    "inverted": false,
    "linear": true,
    "moving": false
  },
  "law": "linear",
  "insert": {
    "law": "linear",
    "mix_percent": 40.0,
    "trim_db": 0.0,
    "device_mix_percent": 100.0,
    "level_step_db": 0.1,
    "mix_step_percent": 1.0
  },
  "sides": {
    "apart_ms": 12.0,
    "level_db": 0.0,
    "inverted": false,
    "fused_ms": 25.0,
    "chorus_depth_ms": 2.0,
    "chorus_rate_hz": 0.8,
    "centre_db": -6.0,
    "wet_side_db": -9.0,
    "sides_correlation": 0.0,
    "wanted_wet_db": -6.0,
    "width_percent": 100.0,
    "pan_percent": 0.0
  },
  "full_scale_dbu": 24.0
};
export const keptSpace: Required<Schemas["KeptSpace"]> = {
  "rt60_s": 1.8,
  "pre_delay": "20 ms",
  "start_db": 0.0,
  "drop_db": 20.0,
  "school": "clears",
  "taste": "reed",
  "ratios": [
    1.15,
    1.08,
    1.0,
    0.96,
    0.8,
    0.6
  ],
  "ducking": null,
  "ducking_on": false,
  "ducking_said": "",
  "finder": {
    "below_db": 26.0,
    "hysteresis_db": 6.0,
    "shortest_gap_s": 0.12,
    "shortest_phrase_s": 0.08
  },
  "phrases": null,
  "clip": ""
};
export const duckingSettings: Required<Schemas["DuckingSettings"]> = {
  "way": "key",
  "depth_db": 9.0,
  "attack_ms": 10.0,
  "release_ms": 250.0,
  "sensitivity_percent": 60.0,
  "follower_gain_db": 6.0,
  "below_zero": false,
  "period_s": 0.5,
  "dip_shape": "ramp",
  "threshold_db": -30.0,
  "ratio": 4.0
};
export const roomRequest: Required<Schemas["RoomRequest"]> = {
  "volume_m3": 200.0,
  "surface_m2": 220.0,
  "absorption": 0.2,
  "celsius": 20.0,
  "distance_m": 4.0,
  "line_ms": 40.0,
  "feedback_percent": 82.0
};
export const delayLine: Required<Schemas["DelayLine"]> = {
  "name": "Delay",
  "value": "1/8.",
  "mode": "single",
  "second": "",
  "offset_ms": 0.0,
  "feedback_percent": 0.0,
  "first_db": -3.0,
  "low_cut_hz": null,
  "high_cut_hz": null,
  "device": null
};
/** The least and the most of every number that can be set. */
export const limits = {
  "KeptBlend": {
    "full_scale_dbu": [
      0,
      30
    ]
  },
  "ParallelSettings": {
    "threshold_db": [
      -80,
      12
    ],
    "ratio": [
      1,
      1000
    ],
    "knee_db": [
      0,
      48
    ],
    "makeup_db": [
      -24,
      48
    ],
    "attack_ms": [
      0.01,
      500
    ],
    "release_ms": [
      1,
      5000
    ],
    "dry_db": [
      -120,
      24
    ],
    "wet_db": [
      -120,
      24
    ],
    "detector_db": [
      -24,
      48
    ]
  },
  "BlendRequest": {
    "dry_db": [
      -120,
      24
    ],
    "wet_db": [
      -120,
      24
    ],
    "device_mix_percent": [
      0,
      100
    ],
    "correlation": [
      -1,
      1
    ],
    "mix_step_percent": [
      0,
      50
    ],
    "level_step_db": [
      0,
      6
    ],
    "latency_apart_ms": [
      0,
      2000
    ]
  },
  "InsertRequest": {
    "mix_percent": [
      0,
      100
    ],
    "trim_db": [
      -60,
      24
    ],
    "device_mix_percent": [
      0,
      100
    ],
    "level_step_db": [
      0,
      6
    ],
    "mix_step_percent": [
      0,
      50
    ]
  },
  "StereoRequest": {
    "apart_ms": [
      0,
      200
    ],
    "level_db": [
      -60,
      12
    ],
    "fused_ms": [
      1,
      60
    ],
    "chorus_depth_ms": [
      0,
      30
    ],
    "chorus_rate_hz": [
      0.01,
      50
    ],
    "centre_db": [
      -60,
      12
    ],
    "wet_side_db": [
      -60,
      12
    ],
    "sides_correlation": [
      -1,
      1
    ],
    "wanted_wet_db": [
      -60,
      12
    ],
    "width_percent": [
      -100,
      100
    ],
    "pan_percent": [
      -100,
      100
    ]
  },
  "KeptSpace": {
    "rt60_s": [
      0.05,
      60
    ],
    "start_db": [
      -60,
      24
    ],
    "drop_db": [
      0,
      90
    ]
  },
  "GapFinder": {
    "below_db": [
      3,
      80
    ],
    "hysteresis_db": [
      0,
      40
    ],
    "shortest_gap_s": [
      0.02,
      10
    ],
    "shortest_phrase_s": [
      0.02,
      10
    ]
  },
  "DuckingSettings": {
    "depth_db": [
      0,
      60
    ],
    "attack_ms": [
      0.01,
      500
    ],
    "release_ms": [
      1,
      5000
    ],
    "sensitivity_percent": [
      0,
      400
    ],
    "follower_gain_db": [
      -24,
      60
    ],
    "period_s": [
      0,
      30
    ],
    "threshold_db": [
      -80,
      12
    ],
    "ratio": [
      1,
      100
    ]
  },
  "RoomRequest": {
    "volume_m3": [
      0,
      1000000.0
    ],
    "surface_m2": [
      0,
      1000000.0
    ],
    "absorption": [
      0,
      1
    ],
    "celsius": [
      -40,
      60
    ],
    "distance_m": [
      0,
      1000
    ],
    "line_ms": [
      0,
      2000
    ],
    "feedback_percent": [
      0,
      100
    ]
  },
  "DelayLine": {
    "offset_ms": [
      -200,
      200
    ],
    "feedback_percent": [
      0,
      200
    ],
    "first_db": [
      -60,
      12
    ]
  }
} as const;
