/** Words and spans of Listen: spectra, levels of a part, what works by level, where sources sound. */
import { expect, test } from "vitest";

import type { Clip, Schemas } from "../src/api/client";
import { soundingOf } from "../src/steps/listen/sounding";
import { differencesOf, hertz, mostOf, short } from "../src/steps/listen/Spectrum";
import { levelWords } from "../src/steps/listen/SpectrumPart";
import { loudWords } from "../src/steps/listen/Parts";
import { loopWordsOf, nowOf, rowsOf, wordsOf } from "../src/steps/listen/Working";

test("frequencies are said as people say them", () => {
  expect([15.848930000000001, 31.5, 125.892, 1000, 1258.9, 15848.93].map(hertz)).toEqual([
    "16 Hz",
    "32 Hz",
    "126 Hz",
    "1 kHz",
    "1.3 kHz",
    "16 kHz",
  ]);
  expect([63.0957, 15848.930000000001].map(short)).toEqual(["63", "16 k"]);
});

test("the largest difference has the right sign and place, and the faint say nothing", () => {
  const before = [-20, -30, -40, -120];
  const after = [-21, -38, -33, -80];
  const apart = differencesOf(after, before);
  // The last band is 40 dB apart and 60 below the loudest.
  expect(apart).toEqual([-1, -8, 7, null]);
  expect(mostOf(apart)).toBe(1);
  expect(mostOf([null, null])).toBeNull();
  expect(mostOf([0, 3, -3])).toBe(1);
});

test("a part's level, its low end and its tail are said, and silence as silence", () => {
  const heard = {
    seconds: 4,
    loudness_lufs: -30,
    rms_dbfs: -32,
    peak_dbfs: -10,
    low_dbfs: -42,
    until_s: 3.25,
    band_hz: [],
    band_dbfs: [],
  };
  expect(levelWords(heard)).toBe(
    "\u221230.0 LUFS, below 150 Hz \u221242.0 dBFS (10 % of it), down by 60 dB at 0:03.3",
  );
  expect(levelWords({ ...heard, rms_dbfs: null })).toBe("silence, sample for sample");
  expect(levelWords({ ...heard, loudness_lufs: null, low_dbfs: null, until_s: null })).toBe(
    "\u221232.0 dBFS RMS",
  );
});

const gauge: Schemas["StageGauge"] = {
  node: "c",
  rms_dbfs: [],
  peak_dbfs: [],
  true_peak_dbtp: [],
  // Quiet gain of 10 dB: 2 is 8 dB down. A value every 50 ms.
  gain_db: [10, null, 2],
  loop_dbfs: [],
  resting_db: 10,
  acting: 0.5,
  most_db: 8,
  typical_db: 8,
  key_dbfs: -21.5,
};

test("what works by level says how often, how much, and what it does now", () => {
  expect(nowOf(gauge, 0.02)).toBe(0);
  expect(nowOf(gauge, 0.07)).toBeNull();
  expect(nowOf(gauge, 0.149)).toBe(-8);
  expect(nowOf(gauge, 9)).toBeNull();
  expect(wordsOf(gauge, -8)).toBe(
    "now \u22128.0 dB, acts 50 % of the time, most \u22128.0, mostly \u22128.0 dB, its key at \u221221.5 dBFS",
  );
  expect(wordsOf({ ...gauge, most_db: null, typical_db: null, key_dbfs: null }, null)).toBe(
    "never acts on this",
  );
});

test("a source sounds where its clips were put, as often, and as much of them", () => {
  const clips = [{ id: "c", facts: { seconds: 4 } }] as unknown as Clip[];
  const feeds = (feed: object, gone = 0) =>
    ({
      sources: [{ source: "g", name: "Guitar", gone, feed: { source: "g", ...feed } }],
    }) as unknown as Schemas["FeedsOut"];
  const placed = (more: object) => ({ placements: [{ clip: "c", ...more }] });
  const spans = soundingOf(feeds(placed({ at_s: 2, from_s: 1, repeats: 2 })), "g", clips);
  expect(spans).toEqual([
    { from: 2, to: 5, first: 0.25, last: 1 },
    { from: 5, to: 8, first: 0.25, last: 1 },
  ]);
  const cut = soundingOf(feeds(placed({ length_s: 1 })), "g", clips);
  expect(cut).toEqual([{ from: 0, to: 1, first: 0, last: 0.25 }]);
  expect(soundingOf(feeds(placed({ from_s: 9 })), "g", clips)).toEqual([]);
  expect(soundingOf(feeds({ ...placed({}), silent: true }), "g", clips)).toBeNull();
  expect(soundingOf(feeds(placed({}), 1), "g", clips)).toBeNull();
  expect(soundingOf(feeds({}), "g", clips)).toBeNull();
  expect(soundingOf(undefined, "g", clips)).toBeNull();
});

test("a loop has a lane of its own, and says how loud it was and when it was gone", () => {
  const quiet = { ...gauge, gain_db: [], most_db: null, typical_db: null, key_dbfs: null };
  const echo = { ...quiet, node: "echo", loop_dbfs: [null, -12.4, -18.4, null, -63, null] };
  const rows = rowsOf([
    gauge,
    echo,
    { ...quiet, loop_dbfs: [null, null] },
    { ...gauge, loop_dbfs: [-20] },
  ]);
  expect(rows.map((r) => [r.key, r.loop])).toEqual([
    [gauge.node, false],
    ["echo loop", true],
    [gauge.node, false],
    [`${gauge.node} loop`, true],
  ]);
  expect(loopWordsOf(echo, null)).toBe("at most −12.4 dBFS, under −60 dBFS from 0.2 s on");
  expect(loopWordsOf(echo, -18.4)).toBe(
    "now −18.4, at most −12.4 dBFS, under −60 dBFS from 0.2 s on",
  );
  expect(loopWordsOf({ ...quiet, loop_dbfs: [null] }, null)).toBe("nothing goes round");
});

test("what is heard and not measured yet is not called silent", () => {
  expect(loudWords(-18.44, "running")).toBe("−18.4");
  expect(loudWords(null, "running")).toBe("…");
  expect(loudWords(null, "done")).toBe("silent");
});
