/** B moved by hand: what it leaves, and how loud it is heard. */
import { describe, expect, it } from "vitest";

import { leastAt, leftDb, residualLevels, sumsOf } from "../src/steps/verify/balance";

/** A tone and a copy of it 1 dB down, with some of another tone beside it. */
const tone = (hz: number, level: number) =>
  Float32Array.from({ length: 4800 }, (_, i) => level * Math.sin((2 * Math.PI * hz * i) / 48_000));
const a = tone(100, 0.5);
const other = tone(250, 0.005);
const b = tone(100, 0.5 * 10 ** (-1 / 20)).map((x, i) => x + other[i]!);

describe("by hand", () => {
  it("leaves what a subtraction of the samples leaves", () => {
    const sums = sumsOf([a, a], [b, b]);
    for (const trim of [-3, 0, 0.99, 1, 1.01]) {
      const gain = 10 ** (trim / 20);
      const rest = a.reduce((sum, x, i) => sum + (x - gain * b[i]!) ** 2, 0);
      const whole = a.reduce((sum, x) => sum + x * x, 0);
      expect(leftDb(sums, trim)).toBeCloseTo(10 * Math.log10(rest / whole), 2);
    }
  });

  it("finds the trim that leaves least, and nothing where there is nothing", () => {
    const sums = sumsOf([a], [b]);
    const best = leastAt(sums);
    expect(best).toBeCloseTo(1, 2);
    expect(leftDb(sums, best)!).toBeLessThan(leftDb(sums, best + 0.01)!);
    expect(leftDb(sums, best)!).toBeLessThan(leftDb(sums, best - 0.01)!);
    expect(leftDb(sumsOf([a], [a]), 0)).toBeNull();
    expect(leastAt(sumsOf([a], [a.map(() => 0)]))).toBe(0);
  });
});

describe("how loud the residual is heard", () => {
  const peak = { a: 0.5, b: 0.45, residual: 0.01 };

  it("adds B beside the residual so that A less B times the trim is heard", () => {
    const { a: dry, b: beside, residual } = residualLevels(0, 0.9, peak, 0.89);
    expect(dry).toBe(0);
    expect(residual).toBe(1);
    expect(beside).toBeCloseTo(0.1);
  });

  it("is never raised beyond what was asked, nor beyond A's own peak", () => {
    expect(residualLevels(20, 1, peak, 0.89).residual).toBeCloseTo(10);
    // Moved by hand it has grown to 0.01 + 0.5 * 0.45: 20 dB more would be louder than A.
    const moved = residualLevels(20, 0.5, peak, 0.89);
    expect(moved.residual * 0.01 + moved.b * 0.45).toBeLessThanOrEqual(0.5 + 1e-9);
    // Not turned over yet, A less B is twice A: it is heard no louder than A.
    expect(residualLevels(0, 1, { a: 0.4, b: 0.4, residual: 0.8 }, 0.89).residual).toBeCloseTo(0.5);
    expect(residualLevels(0, 0.5, { a: 1, b: 1.9, residual: 0.5 }, 0.89).residual).toBeLessThan(1);
  });
});
