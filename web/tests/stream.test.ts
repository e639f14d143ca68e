/** Sounds read in pieces: what a file says of itself, stems apart, memory that does not grow. */
import { expect, test } from "vitest";

import { HeldSound, Later, layoutOf, PIECE_S, planar, WavStream } from "../src/playing/stream";

const RATE = 8000;

/** A float WAV whose samples are 1000 times their frame plus their channel. */
function wav(frames: number, channels: number, more = "fact", form = "RIFF"): ArrayBuffer {
  const extra = 8 + 4;
  const out = new DataView(new ArrayBuffer(12 + 24 + extra + 8 + frames * channels * 4));
  const word = (at: number, text: string) =>
    [...text].forEach((c, i) => out.setUint8(at + i, c.charCodeAt(0)));
  word(0, form);
  word(8, "WAVE");
  word(12, "fmt ");
  out.setUint32(16, 16, true);
  out.setUint16(20, 3, true);
  out.setUint16(22, channels, true);
  out.setUint32(24, RATE, true);
  out.setUint16(34, 32, true);
  word(36, more);
  out.setUint32(40, 4, true);
  word(48, "data");
  out.setUint32(52, form === "RF64" ? 0xffffffff : frames * channels * 4, true);
  for (let i = 0; i < frames; i++)
    for (let c = 0; c < channels; c++)
      out.setFloat32(56 + 4 * (i * channels + c), 1000 * i + c, true);
  return out.buffer;
}

function served(file: ArrayBuffer) {
  const asked: [number, number][] = [];
  const get = (_: string, from: number, to: number) => {
    asked.push([from, to]);
    return Promise.resolve({ bytes: file.slice(from, to), size: file.byteLength });
  };
  return { asked, get };
}

test("a file's layout is read from its first bytes, whatever stands before its samples", () => {
  const file = wav(100, 2, "PEAK");
  const want = { rate: RATE, channels: 2, data: 56, bytes: 800 };
  expect(layoutOf(new DataView(file), file.byteLength)).toEqual(want);
  // Past 4 GB the size stands elsewhere; a file that was cut ends where it ends.
  const long = wav(100, 2, "ds64", "RF64");
  expect(layoutOf(new DataView(long), long.byteLength)).toEqual(want);
  expect(layoutOf(new DataView(file), file.byteLength - 80).bytes).toBe(720);
  for (const bad of [new ArrayBuffer(4), new ArrayBuffer(64), wav(10, 2, "fact", "JUNK")])
    expect(() => layoutOf(new DataView(bad), bad.byteLength)).toThrow("no file that can be read");
});

test("stems that stand side by side come apart", () => {
  const data = Float32Array.from([1, 2, 3, 4, 11, 12, 13, 14]);
  const [dry, wet] = planar(data, 2, 2);
  expect([dry!.map((c) => [...c]), wet!.map((c) => [...c])]).toEqual([
    [
      [1, 11],
      [2, 12],
    ],
    [
      [3, 13],
      [4, 14],
    ],
  ]);
});

test("pieces end to end are the whole file, and few of them are held", async () => {
  const frames = Math.round(PIECE_S * RATE * 20.3);
  const { asked, get } = served(wav(frames, 2));
  const sound = await WavStream.open("x", 1, get);
  expect(sound.frames).toBe(frames);
  let at = 0;
  for (let i = 0; at < frames; i++) {
    const [[left, right]] = (await sound.load(i)) as [[Float32Array, Float32Array]];
    for (const j of [0, Math.floor(left.length / 2), left.length - 1]) {
      expect(left[j]).toBe(Math.fround(1000 * (at + j)));
      expect(right[j]).toBe(Math.fround(1000 * (at + j) + 1));
    }
    at += left.length;
  }
  expect(at).toBe(frames);
  // The newest are at hand, the oldest are gone and can be had again.
  expect(sound.ready(20)).toBeDefined();
  expect(sound.ready(0)).toBeUndefined();
  const before = asked.length;
  await sound.load(0);
  expect(sound.ready(0)).toBeDefined();
  expect(asked.length).toBe(before);
  const held = [...Array(21).keys()].filter((i) => sound.ready(i)).length;
  expect(held).toBeLessThanOrEqual(8);
  expect((await sound.load(99))[0]![0]!.length).toBe(0);
});

test("one piece is asked for once, however often it is wanted", async () => {
  const { asked, get } = served(wav(RATE, 1));
  const sound = await WavStream.open("x", 1, get);
  await Promise.all([sound.load(0), sound.load(0), Promise.resolve(sound.ready(0))]);
  expect(asked.length).toBe(2);
});

test("a piece that cannot be read fails, and can be asked for again", async () => {
  const file = wav(RATE, 1);
  let broken = false;
  const sound = await WavStream.open("x", 1, (_, from, to) =>
    broken
      ? Promise.reject(new Error("gone"))
      : Promise.resolve({ bytes: file.slice(from, to), size: file.byteLength }),
  );
  broken = true;
  await expect(sound.load(0)).rejects.toThrow("gone");
  expect(sound.ready(0)).toBeUndefined();
  await new Promise((done) => setTimeout(done, 0));
  broken = false;
  expect((await sound.load(0))[0]![0]![5]).toBe(5000);
});

test("an excerpt stands where it begins, silent before and after", async () => {
  const inner = await WavStream.open("x", 1, served(wav(3 * RATE, 1)).get);
  const late = 5000;
  const sound = new Later(inner, late);
  const all: number[] = [];
  for (let i = 0; all.length < sound.frames; i++) all.push(...(await sound.load(i))[0]![0]!);
  expect(all.slice(0, sound.frames)).toEqual(
    Array.from({ length: sound.frames }, (_, i) => (i < late ? 0 : 1000 * (i - late))),
  );
  expect(sound.ready(0)).toEqual(await sound.load(0));
});

test("a sound in memory is one piece", () => {
  const held = new HeldSound(RATE, [[Float32Array.from([1, 2, 3])]]);
  expect([held.stems, held.frames, held.piece]).toEqual([1, 3, 3]);
  expect([...held.ready(0)![0]![0]!]).toEqual([1, 2, 3]);
  expect(held.ready(1)![0]![0]!.length).toBe(0);
});
