/** Settings and a song that tests are about. */
import type { Frame, Parameter } from "../src/api/client";

export const SONG = {
  tempo_bpm: 120,
  beat_unit: "1/4",
  metre_count: 4,
  metre_unit: 4,
  sample_rate_hz: 48_000,
} as Frame;

export const parameter = (more: Partial<Parameter> & { field: string }): Parameter => ({
  label: more.field,
  sort: "number",
  unit: "",
  low: null,
  high: null,
  choices: [],
  about: "",
  optional: false,
  own: true,
  group: "level",
  default: 0,
  scale: null,
  ...more,
});

export const MIX = parameter({
  field: "mix_percent",
  label: "mix",
  unit: "%",
  low: 0,
  high: 100,
  default: 100,
  scale: { low: 0, high: 100, log: false },
});
export const TIME = parameter({
  field: "time",
  label: "time",
  sort: "time",
  default: "1/8",
  group: "time",
  scale: { low: 1, high: 2000, log: true },
});
export const CUT = parameter({
  field: "low_cut_hz",
  label: "low cut",
  unit: "Hz",
  low: 1,
  high: 96_000,
  optional: true,
  default: null,
  group: "tone",
  about: "Takes the rumble away",
  scale: { low: 20, high: 2000, log: true },
});
