/** Places against bars, written points, gains between points. Expectations by hand. */
import { expect, test } from "vitest";

import { type Bar, barWords, between, placeIn, thinned } from "../src/playing/bars";
import { withPoint } from "../src/playing/moves";
import { clock, clockFine, ms, msShort, num, signed } from "../src/ui/format";

// Two bars of 3/4 at 120, then one of 2/4 at 60, heard from half a second into the first.
const BARS: Bar[] = [
  { bar: 1, at: -0.5, beats: 3, length: 1.5, beatsAt: [-0.5, 0, 0.5] },
  { bar: 2, at: 1, beats: 3, length: 1.5, beatsAt: [1, 1.5, 2] },
  { bar: 3, at: 2.5, beats: 2, length: 2, beatsAt: [2.5, 3.5] },
];

test("a time is a bar, a beat and a part of it, under the tempo that holds there", () => {
  expect(placeIn(BARS, 0)).toEqual({ bar: 1, beat: 2 });
  expect(placeIn(BARS, 0.25)).toEqual({ bar: 1, beat: 2.5 });
  expect(placeIn(BARS, 1)).toEqual({ bar: 2, beat: 1 });
  // A beat of a whole second: a quarter of it.
  expect(placeIn(BARS, 2.75)).toEqual({ bar: 3, beat: 1.25 });
  expect(placeIn(BARS, 4)).toEqual({ bar: 3, beat: 2.5 });
  expect(placeIn(BARS, -1)).toBeNull();
  expect(barWords(BARS, 1.9)).toBe("2, beat 2");
  expect(barWords([], 1)).toBe("-");
});

test("points that follow each other closely become the last of them; a lap begins anew", () => {
  const run = [0, 0.1, 0.2, 0.4, 0.9].map((at, i) => ({ at, wet: -i }));
  expect(thinned(run)).toEqual([
    { at: 0, wet: -2 },
    { at: 0.4, wet: -3 },
    { at: 0.9, wet: -4 },
  ]);
  // Round the loop time goes back: that is no run.
  expect(
    thinned([
      { at: 3.9, wet: 1 },
      { at: 0, wet: 2 },
    ]),
  ).toHaveLength(2);
  expect(thinned([])).toEqual([]);
});

test("gains lie straight between the core's points, and end where they end", () => {
  const travel = {
    points: [
      { wet_db: null, gains: [1, 0] },
      { wet_db: -12, gains: [0.8, 0.2] },
      { wet_db: 0, gains: [0.5, 0.5] },
      { wet_db: null, gains: [0, 1] },
    ],
  } as unknown as Parameters<typeof between>[0];
  const close = (wet: number, gains: number[]) =>
    between(travel, wet).forEach((g, i) => expect(g).toBeCloseTo(gains[i]!, 12));
  close(-6, [0.65, 0.35]);
  close(-12, [0.8, 0.2]);
  close(-30, [0.8, 0.2]);
  close(12, [0.5, 0.5]);
  expect(between(travel, -Infinity)).toEqual([1, 0]);
  expect(between(travel, Infinity)).toEqual([0, 1]);
});

test("a written point takes the place of one that stood there, in order, and leaves other moves", () => {
  const point = (bar: number, beat: number, value: number) => ({ bar, beat, value, ramp: false });
  const other = { part: "x", field: "mix_percent", points: [point(1, 1, 50)] };
  let moves = withPoint([other], "m.1", "level_db", point(4, 1, -6));
  moves = withPoint(moves, "m.1", "level_db", point(2, 3, -120));
  moves = withPoint(moves, "m.1", "level_db", point(4, 1, 0));
  expect(moves).toContain(other);
  expect(moves.find((m) => m.part === "m.1")!.points).toEqual([point(2, 3, -120), point(4, 1, 0)]);
});

test("numbers are written with a true minus, thin groups, and no sign of nothing", () => {
  expect([num(-3, 1), num(-0.04, 1), num(12345.6, 1), num(1e6, 0)]).toEqual([
    "\u22123.0",
    "0.0",
    "12\u202f345.6",
    "1\u202f000\u202f000",
  ]);
  expect([signed(2, 1), signed(-2, 1), signed(0.04, 1), signed(0, 0)]).toEqual([
    "+2.0",
    "\u22122.0",
    "0.0",
    "0",
  ]);
  expect([ms(319.14894), ms(1276.5957)]).toEqual(["319.149", "1\u202f276.6"]);
  expect([msShort(13.298), msShort(319.149), msShort(10_212.77)]).toEqual([
    "13.30",
    "319.1",
    "10\u202f213",
  ]);
  expect([clock(75.9), clockFine(59.96), clockFine(0)]).toEqual(["1:15", "1:00.0", "0:00.0"]);
});
