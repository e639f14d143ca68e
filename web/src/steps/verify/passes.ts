/** Three passes through a processor, each against the dry sound: what each has to show. */
import type { NullResult, NullTest } from "../../api/client";
import { num } from "../../ui/format";
import { depthOf } from "./tries";

export const PASSES = [
  {
    id: "bare",
    name: "Bare copy",
    ask: "the dry sound once more, through the way alone: it has to null",
  },
  {
    id: "idle",
    name: "Threshold out",
    ask: "through the processor, nothing over its threshold: the baseline",
  },
  { id: "working", name: "At work", ask: "through the processor as it is to be heard" },
] as const;
export type Pass = (typeof PASSES)[number]["id"];

/** A way that nulls less deep than this says nothing about what is in it. */
export const NULLS_DB = 50;
/** What the third pass leaves has to stand this far over the second to be told from it. */
const TOLD_DB = 3;

export interface Verdict {
  word: string;
  kind: "good" | "bad" | "open";
}

type Depths = Partial<Record<Pass, number | null>>;

/** What one pass says, given those before it. */
export function verdictOf(pass: Pass, depths: Depths): Verdict {
  const depth = depths[pass];
  if (depth === null || depth === undefined) return { word: "", kind: "open" };
  if (pass === "bare")
    return depth >= NULLS_DB
      ? { word: "nulls: the way is clean", kind: "good" }
      : {
          word: `only ${num(depth, 0)} dB: mend the way first, what follows says nothing`,
          kind: "bad",
        };
  if (pass === "idle") {
    const bare = depths.bare ?? null;
    if (bare !== null && bare < NULLS_DB) return { word: "the way is not clean", kind: "bad" };
    return {
      word: `what the processor does without compressing: ${num(-depth, 1)} dB`,
      kind: "good",
    };
  }
  const idle = depths.idle ?? null;
  if (idle === null) return { word: `${num(-depth, 1)} dB are left`, kind: "open" };
  const over = idle - depth;
  return over < TOLD_DB
    ? { word: "no more than at rest: it does not work at this level", kind: "bad" }
    : { word: `${num(over, 1)} dB over its rest`, kind: "good" };
}

/** The newest finished or running test of each chosen clip in one batch. */
export function testsOf(
  tests: NullTest[],
  reference: string,
  chosen: Partial<Record<Pass, string>>,
): Partial<Record<Pass, NullTest>> {
  const found: Partial<Record<Pass, NullTest>> = {};
  for (const { id } of PASSES) {
    const mine = newestOf(tests, reference, chosen[id]);
    if (mine) found[id] = mine;
  }
  return found;
}

/** The newest test of one clip against the dry sound. */
export function newestOf(
  tests: NullTest[],
  reference: string,
  clip: string | undefined,
): NullTest | undefined {
  return tests
    .filter((t) => t.clip_a === reference && t.clip_b === clip)
    .sort((a, b) => b.created_at.localeCompare(a.created_at))[0];
}

export const depthsOf = (tests: Partial<Record<Pass, NullTest>>): Depths =>
  Object.fromEntries(Object.entries(tests).map(([id, test]) => [id, depthOf(test)]));

/** The compression that was found in the third pass, beside what a meter claims. */
export function compressionOf(result: NullResult | null | undefined) {
  return result?.causes?.find((c) => c.code === "dynamics" || c.code === "level_moves") ?? null;
}

/** What else differs in the third pass, apart from what every way does to level and time. */
export function besides(result: NullResult): string[] {
  const plain = new Set(["dynamics", "level_moves", "level", "offset", "polarity", "rounding"]);
  return (result.causes ?? []).filter((c) => !plain.has(c.code)).map((c) => c.title);
}

/** Where it begins against where its meter first moves. */
export function meterSays(begins: number | undefined, meter: number | null): string {
  if (begins === undefined || meter === null) return "";
  const below = meter - begins;
  if (Math.abs(below) < 1) return "Its meter moves where it begins.";
  return below > 0
    ? `It begins ${num(below, 1)} dB before its meter moves.`
    : `Its meter moves ${num(-below, 1)} dB before it begins.`;
}

export interface Level {
  id: string;
  name: string;
  /** dB that are left; null: silent or not known yet. */
  left: number | null;
  /** Most reduction, dB, and the level that it begins at, where a compressor was found. */
  most: number | null;
  begins: number | null;
}

/** What the processor does at each level that it was driven at, gently driven first. */
export function levelsOf(
  tests: { id: string; b_name: string; null_depth_db: number | null; result?: NullResult | null }[],
): Level[] {
  return tests
    .map((test) => {
      const found = compressionOf(test.result);
      const figures: Record<string, number> = found?.figures ?? {};
      const most = figures.most_reduction_db ?? figures.least_db;
      return {
        id: test.id,
        name: test.b_name,
        left: test.null_depth_db,
        most: most === undefined ? null : Math.abs(most),
        begins: figures.threshold_db ?? null,
      };
    })
    .sort((a, b) => (a.most ?? 0) - (b.most ?? 0));
}
