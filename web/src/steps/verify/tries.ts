/** Tests that belong together: tries against one reference, and batches that were asked for together. */
import type { NullTest } from "../../api/client";

/** Depth of a residual below A in dB; nothing left counts as deep as can be drawn. */
export const SILENT_DB = 150;
export const depthOf = (test: NullTest) =>
  test.sentence === null ? null : test.null_depth_db === null ? SILENT_DB : -test.null_depth_db;

/** Finished tests of the same reference in the order that they were made, the present one among them. */
export function triesOf(tests: NullTest[], here: { id: string; clip_a: string }): NullTest[] {
  return tests
    .filter((t) => t.clip_a === here.clip_a && t.sentence !== null && t.batch === null)
    .sort((a, b) => a.created_at.localeCompare(b.created_at));
}

/** Each batch with its closest first, the newest batch first; what has no depth yet comes last. */
export function batchesOf(tests: NullTest[]): NullTest[][] {
  const found = new Map<string, NullTest[]>();
  for (const test of tests)
    if (test.batch) found.set(test.batch, [...(found.get(test.batch) ?? []), test]);
  const newest = (batch: NullTest[]) =>
    batch
      .map((t) => t.created_at)
      .sort()
      .at(-1)!;
  return [...found.values()]
    .map((batch) => [...batch].sort((a, b) => (depthOf(b) ?? -1) - (depthOf(a) ?? -1)))
    .sort((a, b) => newest(b).localeCompare(newest(a)));
}
