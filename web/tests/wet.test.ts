/** Wet against dry in steps and words. */
import assert from "node:assert/strict";
import { test } from "vitest";

import { HIGH, LOW, shareOf, stepped, wetWords } from "../src/playing/wet";

test("equal levels are half each; 6 dB are a third and two thirds", () => {
  assert.equal(shareOf(0), 50);
  assert.ok(Math.abs(shareOf(-6.0206) - 100 / 3) < 1e-3);
  assert.ok(Math.abs(shareOf(6.0206) - 200 / 3) < 1e-3);
  assert.deepEqual([shareOf(-Infinity), shareOf(Infinity)], [0, 100]);
});

test("what is said is a share of the level, never a mix that a device could be set to", () => {
  assert.equal(wetWords(0.4), "wet +0.4 dB, 51.2 % of the level");
  assert.equal(wetWords(-Infinity), "dry only");
  assert.equal(wetWords(Infinity), "wet only");
});

test("steps go over the ends and come back where they left", () => {
  assert.equal(stepped(LOW, -0.5), -Infinity);
  assert.equal(stepped(-Infinity, 0.5), LOW);
  assert.equal(stepped(-Infinity, -0.5), -Infinity);
  assert.equal(stepped(HIGH, 0.1), Infinity);
  assert.equal(stepped(Infinity, -3), HIGH);
  // Tenths stay tenths, however many.
  let wet = -3;
  for (let i = 0; i < 30; i++) wet = stepped(wet, 0.1);
  assert.equal(wet, 0);
});

test("a step of half a decibel is half a decibel, wherever the measured level lies", () => {
  // A balance measured at -7.2350 dB of a fader at -3 dB: two steps down set -4.00, not -4.01.
  for (const measured of [-7.235, -7.2349, -0.0051, 3.33333]) {
    const moved = stepped(stepped(measured, -0.5), -0.5) - measured;
    assert.equal(Math.round((-3 + moved) * 1e4) / 1e4, -4);
  }
});
