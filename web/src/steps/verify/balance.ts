/** What B's level, moved by hand from where it was matched, leaves: known without playing anything. */

/** Sums over all samples and channels of an excerpt of A, of the matched B, and of their product. */
export interface Sums {
  aa: number;
  ab: number;
  bb: number;
}

export function sumsOf(a: Float32Array[], b: Float32Array[]): Sums {
  const sums = { aa: 0, ab: 0, bb: 0 };
  a.forEach((channel, c) => {
    const other = b[c]!;
    const length = Math.min(channel.length, other.length);
    for (let i = 0; i < length; i++) {
      const x = channel[i]!;
      const y = other[i]!;
      sums.aa += x * x;
      sums.ab += x * y;
      sums.bb += y * y;
    }
  });
  return sums;
}

/** Residual against A, dB, with B so many dB over its matched level; null where nothing is left. */
export function leftDb({ aa, ab, bb }: Sums, trimDb: number): number | null {
  const gain = factorOf(trimDb);
  const left = aa - 2 * gain * ab + gain * gain * bb;
  return aa <= 0 || left <= 1e-12 * aa ? null : 10 * Math.log10(left / aa);
}

/** The trim that leaves least of this excerpt, dB; 0 where nothing relates the two. */
export function leastAt({ ab, bb }: Sums): number {
  return ab > 0 && bb > 0 ? 20 * Math.log10(ab / bb) : 0;
}

export const factorOf = (trimDb: number) => 10 ** (trimDb / 20);

/**
 * Gains for hearing A less B times `trim`: the residual as it is, and (1 - trim) of B beside it.
 * Raised by no more than asked for, and never louder than A itself, raised or not: before B is
 * turned over or moved, what is left can be twice as loud as A.
 */
export function residualLevels(
  raiseDb: number,
  trim: number,
  peak: { a: number; b: number; residual: number },
  ceiling: number,
): { a: number; b: number; residual: number } {
  const most = peak.residual + Math.abs(1 - trim) * peak.b;
  const wanted = factorOf(raiseDb);
  const held = Math.min(wanted, peak.a / Math.max(most, 1e-9));
  const raised = peak.a > 0 ? held : Math.min(wanted, 1);
  const level = raised * Math.min(1, ceiling / Math.max(most * raised, 1e-9));
  return { a: 0, b: (1 - trim) * level, residual: level };
}
