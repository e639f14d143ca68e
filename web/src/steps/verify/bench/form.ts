/** What a measurement is asked with: which figures are worth stating for each kind, and their words. */
import type { BenchPlan } from "./queries";

export const KINDS = ["delay", "decay", "loop", "dynamics", "filter", "cable", "mix"] as const;
export type Kind = (typeof KINDS)[number];

export const WORDS: Record<Kind, { name: string; about: string; device: string }> = {
  delay: {
    name: "Delay",
    about: "time, feedback, first repeat, sides",
    device: "The delay",
  },
  decay: { name: "Decay", about: "pre-delay, decay by octave, clarity", device: "The reverb" },
  loop: {
    name: "Loop",
    about: "latency, gain, response, noise, clock",
    device: "The loop",
  },
  dynamics: {
    name: "Compressor",
    about: "where it begins, ratio, attack, release",
    device: "The compressor",
  },
  filter: { name: "Filter", about: "edges and response", device: "The filter" },
  cable: { name: "Cable", about: "polarity, gain, top", device: "The cable" },
  mix: {
    name: "Mix control",
    about: "the law that it follows, what its marks really do",
    device: "The mix control",
  },
};

/** Mix laws by what a stage calls them. */
export const LAWS = ["linear", "equal-power", "compromise", "full"] as const;
export type Law = (typeof LAWS)[number];

type Field = {
  [K in keyof BenchPlan]-?: NonNullable<BenchPlan[K]> extends number ? K : never;
}[keyof BenchPlan];

export interface PlanField {
  field: Field;
  label: string;
  unit: string;
  least: number;
  most: number;
  digits: number;
}

const number = (
  field: Field,
  label: string,
  unit: string,
  least: number,
  most: number,
  digits = 1,
): PlanField => ({ field, label, unit, least, most, digits });

/** What can be planned of each kind; what is left empty is not compared. */
export const PLANNED: Record<Kind, PlanField[]> = {
  delay: [
    number("label_ms", "it is set to", "ms", 0.1, 60_000, 2),
    number("wanted_ms", "the plan wants", "ms", 0.1, 60_000, 3),
    number("first_db", "first repeat", "dB", -96, 24),
    number("each_db", "each repeat", "dB", -96, 12),
  ],
  decay: [
    number("rt60_s", "decay", "s", 0.05, 60, 2),
    number("pre_delay_ms", "pre-delay", "ms", 0, 2000),
  ],
  loop: [
    number("latency_ms", "latency", "ms", 0, 2000, 3),
    number("gain_db", "gain", "dB", -96, 48, 2),
    number("home_ms", "the cable alone takes", "ms", 0, 2000, 4),
  ],
  dynamics: [
    number("threshold_db", "its meter first moves at", "dBFS", -96, 24),
    number("ratio", "ratio", ":1", 1.01, 1000, 2),
  ],
  filter: [number("gain_db", "gain", "dB", -96, 48, 2)],
  cable: [number("gain_db", "gain", "dB", -96, 48, 2)],
  mix: [],
};

/** Only what belongs to the kind goes out: a time left over from a delay says nothing of a cable. */
export function planFor(
  kind: Kind,
  typed: Partial<Record<Field, number>>,
): Partial<Record<Field, number>> {
  const known = new Set(PLANNED[kind].map((f) => f.field));
  return Object.fromEntries(Object.entries(typed).filter(([field]) => known.has(field as Field)));
}

/** A number as it was typed, or null where it is none or out of its bounds. */
export function typedNumber(text: string, field: PlanField): number | null {
  const value = Number(text.trim().replace("−", "-").replace(",", "."));
  if (!text.trim() || !Number.isFinite(value)) return null;
  return value >= field.least && value <= field.most ? value : null;
}

/** What is wrong with a typed number, or nothing. */
export function typedFault(text: string, field: PlanField): string {
  if (!text.trim() || typedNumber(text, field) !== null) return "";
  return `${field.least} to ${field.most} ${field.unit}`;
}
