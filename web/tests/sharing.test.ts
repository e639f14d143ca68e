/** Sharing: what can be chosen, when a link runs out, and how a shared sound begins. */
import { expect, test } from "vitest";

import { FADE_MS, fadedIn, namedIn, runsOut, thingsOf, volumeFor } from "../src/share/sharing";

test("the song, each variant and each finished test can be shared", () => {
  const things = thingsOf({
    rigs: [
      {
        name: "Board",
        variants: [
          { id: "v1", letter: "A", name: "" },
          { id: "v2", letter: "B", name: "dark" },
        ],
      },
    ],
    tests: [
      { id: "t1", status: "done", a_name: "dry", b_name: "wet" },
      { id: "t2", status: "running", a_name: "x", b_name: "y" },
    ],
    measurements: [
      { id: "m1", status: "done", device: "Long delay" },
      { id: "m2", status: "failed", device: "Loop" },
    ],
  });
  expect(things.map((t) => t.key)).toEqual([
    "song",
    "sheet:v1",
    "sheet:v2",
    "test:t1",
    "measurement:m1",
  ]);
  expect(things[0]!.thing).toBeNull();
  expect(things[2]!.name).toBe("Stage sheet of Board B dark");
  expect(things[3]!.name).toBe("Proof: wet against dry");
});

test("the address says what is shared", () => {
  const named = (text: string) => namedIn(new URLSearchParams(text));
  expect(["", "variant=v1", "test=t1", "measurement=m1"].map(named)).toEqual([
    "song",
    "sheet:v1",
    "test:t1",
    "measurement:m1",
  ]);
});

test("a link says how long it lasts", () => {
  const now = Date.parse("2026-03-01T12:00:00Z");
  const after = (hours: number) => runsOut(new Date(now + hours * 3_600_000).toISOString(), now);
  expect(after(14 * 24)).toBe("runs out in 14 days");
  expect(after(47)).toBe("runs out in 1 day");
  expect(after(23)).toBe("runs out in 23 hours");
  expect(after(0.2)).toBe("runs out in 1 hour");
  expect(after(-1)).toBe("has run out");
});

test("a shared sound begins at nothing and never plays louder than it is", () => {
  // A peak of +5 dBFS is turned down by 6 dB: 10^(-6/20).
  expect(volumeFor(5)).toBeCloseTo(0.5012, 4);
  expect(volumeFor(-1)).toBeCloseTo(1, 9);
  expect(volumeFor(-20)).toBe(1);
  expect(volumeFor(null)).toBe(1);
  expect(fadedIn(0.5, 0)).toBe(0);
  expect(fadedIn(0.5, -5)).toBe(0);
  expect(fadedIn(0.5, FADE_MS / 2)).toBeCloseTo(0.25, 9);
  expect(fadedIn(0.5, 10 * FADE_MS)).toBe(0.5);
});
