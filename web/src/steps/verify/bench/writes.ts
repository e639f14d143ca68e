/** What a device really does, as settings of the stages of a rig that stand for it. */
import { nameOf } from "../../../rigs/names";
import type { Variant } from "../../../api/client";
import { num } from "../../../ui/format";
import type { BenchResult } from "./queries";

export interface Write {
  node: string;
  /** "Hall". */
  name: string;
  values: Record<string, unknown>;
  /** "RT60 1.82 s, pre-delay 21.3 ms". */
  words: string;
}

type Measured = Pick<BenchResult, "kind" | "decay" | "compared" | "dynamics" | "mix">;
type Stage = { kind: string };
const isOf = (kind: string) => (node: Stage) => node.kind === kind;

const OCTAVES = [125, 250, 500, 1000, 2000, 4000];

/** Seconds to the millisecond: more is not known of a decay. */
const toMs = (seconds: number) => Math.round(seconds * 1000) / 1000;

/** Settings by the kind of stage that takes them; nothing where the figure was not stated. */
export function settingsOf(
  result: Measured,
): { takes: (node: Stage) => boolean; values: Record<string, unknown>; words: string } | null {
  const { decay, dynamics } = result;
  if (result.kind === "decay" && decay) {
    const whole = decay.rt60_s ?? decay.t30_s ?? decay.t20_s;
    if (whole == null) return null;
    const bands = Object.fromEntries(
      OCTAVES.map((hz) => {
        const band = decay.bands.find((b) => b.hz === hz);
        const own = band?.rt60_s ?? band?.t30_s ?? band?.t20_s ?? null;
        return [`rt60_${hz}_s`, own === null ? null : toMs(own)];
      }),
    );
    const before = decay.pre_delay_ms == null ? null : `${num(decay.pre_delay_ms, 1)} ms`;
    return {
      takes: isOf("reverb"),
      values: { rt60_s: toMs(whole), ...bands, ...(before ? { pre_delay: before } : {}) },
      words: `RT60 ${num(whole, 2)} s${before ? `, pre-delay ${before}` : ""}, by octave`,
    };
  }
  // The plan's row, not the recording's: known only where playing and recording began together.
  const late = result.compared.find((row) => row.name === "Latency")?.measured;
  if (result.kind === "loop" && late != null && late >= 0)
    return {
      takes: isOf("outboard"),
      values: { latency_ms: Number(late.toFixed(4)) },
      words: `latency ${num(late, 3)} ms`,
    };
  if (result.kind === "dynamics" && dynamics?.threshold_db != null && dynamics.ratio != null) {
    const times = {
      ...(dynamics.attack_ms == null ? {} : { attack_ms: dynamics.attack_ms }),
      ...(dynamics.release_ms == null ? {} : { release_ms: dynamics.release_ms }),
    };
    return {
      takes: isOf("compressor"),
      values: { threshold_db: dynamics.threshold_db, ratio: dynamics.ratio, ...times },
      words: `${num(dynamics.ratio, 2)}:1 from ${num(dynamics.threshold_db, 1)} dBFS`,
    };
  }
  const law = result.kind === "mix" ? result.mix?.law : null;
  if (law)
    return {
      takes: (node) => "mix_law" in node,
      values: { mix_law: law },
      words: `the ${law} law`,
    };
  return null;
}

/** Every stage of a variant that can take them, in the order that the rig is read in. */
export function writesOf(result: Measured, variant: Variant | undefined): Write[] {
  const found = settingsOf(result);
  if (!found || !variant) return [];
  const nodes = (variant.document.nodes ?? {}) as Record<string, Stage>;
  return variant.view.layout.reading
    .filter((id) => nodes[id] !== undefined && found.takes(nodes[id]))
    .map((id) => ({
      node: id,
      name: nameOf(variant, id),
      values: found.values,
      words: found.words,
    }));
}
