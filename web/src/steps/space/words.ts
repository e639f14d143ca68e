/** How many gaps the tail leaves clear; where there is none, nothing is clear or not. */
export const gapsSaid = (out: { clear: number; gaps: readonly unknown[] }): string =>
  out.gaps.length ? `${out.clear} of ${out.gaps.length} clear` : "no gaps";
