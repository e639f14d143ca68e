import assert from "node:assert/strict";
import { test } from "vitest";

import { gapsSaid } from "../src/steps/space/words";
import { dateAndTime, dateOf, onceKnown, timeOfDay, wholeDay } from "../src/ui/format";

test("the time of day has two digits each, at night as well", () => {
  assert.equal(timeOfDay(new Date(2026, 10, 29, 9, 5)), "09:05");
  assert.equal(timeOfDay(new Date(2026, 10, 29, 0, 0)), "00:00");
  assert.equal(timeOfDay(new Date(2026, 10, 29, 23, 59, 59)), "23:59");
});

test("a moment is written out where it is read, whether it came as text or as a date", () => {
  const at = new Date(2026, 10, 29, 14, 20);
  assert.equal(dateAndTime(at), "29 Nov 2026, 14:20");
  assert.equal(dateAndTime(at.toISOString()), "29 Nov 2026, 14:20");
  assert.equal(wholeDay(at), "Sunday 29 November 2026");
  assert.equal(dateOf(at), "29 Nov 2026");
});

test("a list of hundreds makes one formatter of each form", () => {
  const Real = Intl.DateTimeFormat;
  let made = 0;
  Intl.DateTimeFormat = new Proxy(Real, {
    construct: (target, given) => (made++, Reflect.construct(target, given) as object),
  });
  try {
    for (let day = 1; day < 29; day++) {
      dateAndTime(new Date(2026, 1, day));
      wholeDay(new Date(2026, 1, day));
    }
  } finally {
    Intl.DateTimeFormat = Real;
  }
  assert.ok(made <= 3, `${made} made`);
});

test("what is still being asked for is not said to be missing", () => {
  const words = (db: number) => `${db} dB`;
  assert.equal(onceKnown(undefined, words, true, "no clip"), "");
  assert.equal(onceKnown(undefined, words, false, "no clip"), "no clip");
  // A figure of nothing is a figure; and one that is there stands while the next is asked for.
  assert.equal(onceKnown(0, words, true, "no clip"), "0 dB");
  assert.equal(onceKnown(-3, words, false, "no clip"), "-3 dB");
});

test("phrases without a gap are not told as all clear", () => {
  assert.equal(gapsSaid({ clear: 0, gaps: [] }), "no gaps");
  assert.equal(gapsSaid({ clear: 0, gaps: [1, 2] }), "0 of 2 clear");
  assert.equal(gapsSaid({ clear: 3, gaps: [1, 2, 3, 4, 5] }), "3 of 5 clear");
});
