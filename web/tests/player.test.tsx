// @vitest-environment jsdom
/** What plays and what is heard: brought in once, the newest wish counts, switched without a break, put away whole. */
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { Sound } from "../src/playing/useRenders";

const calls: unknown[][] = [];
const said: string[] = [];
const engines: Engine[] = [];
let open: (url: string) => Promise<unknown>;
let hold: Promise<void> | null = null;

class Engine {
  hearing = "";
  isPlaying = false;
  at = 0;
  held = new Map<string, Record<string, unknown>>();
  onEnd: () => void = () => undefined;
  constructor(readonly context: Context) {
    engines.push(this);
  }
  set(id: string, values: Record<string, unknown>) {
    this.held.set(id, values);
    calls.push(["set", id]);
  }
  has = (id: string) => this.held.has(id);
  setGains = (id: string, gains: number[]) => calls.push(["gains", id, gains]);
  setMatch = (id: string, match: number) => calls.push(["match", id, +match.toFixed(4)]);
  setLate = (id: string, late: unknown) => calls.push(["late", id, late]);
  setLoop = (loop: unknown) => calls.push(["loop", loop]);
  setToggles = (toggles: { mono: boolean }) => calls.push(["toggles", toggles.mono]);
  prepare = async () => hold ?? undefined;
  play(id: string, from: number) {
    this.hearing = id;
    this.isPlaying = true;
    this.at = from;
    calls.push(["play", id, from]);
  }
  hear(id: string) {
    this.hearing = id;
    calls.push(["hear", id]);
  }
  stop() {
    if (this.isPlaying) this.onEnd();
    this.isPlaying = false;
    calls.push(["stop"]);
  }
  forget(but: string) {
    this.held.clear();
    calls.push(["forget", but]);
  }
  position = () => this.at;
  lap = () => 1;
  read = () => null;
}
class Context {
  sampleRate: number;
  closed = false;
  constructor(options: { sampleRate?: number } = {}) {
    this.sampleRate = options.sampleRate ?? 44_100;
  }
  resume = async () => undefined;
  close = async () => void (this.closed = true);
}
vi.stubGlobal("AudioContext", Context);
vi.mock("../src/playing/engine", () => ({ Engine }));
vi.mock("../src/ui/controls", () => ({ announce: (words: string) => void said.push(words) }));
const { Later, WavStream } = await import("../src/playing/stream");
vi.spyOn(WavStream, "open").mockImplementation((url) => open(url) as never);
const { usePlayer } = await import("../src/playing/usePlayer");

const sound = (id: string, render = id, more: object = {}): Sound =>
  ({ id, render: { id: render, start_s: 0, report: { rate_hz: 48_000, stems: [] }, ...more } }) as unknown as Sound; // prettier-ignore
const given = (done: Sound[], more: object = {}) => ({
  rig: "rig",
  done,
  gainsOf: () => [1],
  matchDb: (s: Sound) => (s.id === "b" ? -6 : 0),
  lateOf: () => null,
  loop: null,
  start: 0,
  onHear: (id: string) => void calls.push(["onHear", id]),
  ...more,
});
type Given = ReturnType<typeof given>;
const player = (first: Given) =>
  renderHook((now: Given) => usePlayer(now as never), { initialProps: first });
const of = (name: string) => calls.filter(([what]) => what === name).map(([, ...rest]) => rest);

beforeEach(() => {
  calls.length = said.length = engines.length = 0;
  hold = null;
  open = async (url) => ({ url, rate: 48_000, frames: 96_000 });
});
afterEach(cleanup);

test("all that can be heard is brought in once, at its own rate and never louder than it is", async () => {
  const { result } = player(given([sound("a"), sound("b")]));
  await act(() => result.current.play("a", 1.5));
  expect([of("set"), of("play"), of("onHear")]).toEqual([[["a"], ["b"]], [["a", 1.5]], [["a"]]]);
  expect(engines[0]!.context.sampleRate).toBe(48_000);
  // 6 dB down is half: 10 to the power of -6/20.
  expect([engines[0]!.held.get("a")!.match, engines[0]!.held.get("b")!.match]).toEqual([1, 10 ** (-6 / 20)]); // prettier-ignore
  await act(() => result.current.play("b", 0));
  expect([of("set").length, of("play").at(-1)]).toEqual([2, ["b", 0]]);
});

test("of two wishes while sounds come in the newer is played, and only that", async () => {
  let arrive = () => undefined as void;
  hold = new Promise((done) => (arrive = done));
  const { result } = player(given([sound("a"), sound("b")]));
  await act(async () => {
    void result.current.play("a", 0);
    await new Promise((done) => setTimeout(done, 20));
    void result.current.play("b", 3);
    await new Promise((done) => setTimeout(done, 20));
  });
  expect([result.current.loading, of("play")]).toEqual([true, []]);
  await act(async () => {
    arrive();
    await new Promise((done) => setTimeout(done, 20));
  });
  expect([of("play"), result.current.loading, result.current.playing]).toEqual([[["b", 3]], false, true]); // prettier-ignore
});

test("stopped while sounds come in, nothing plays when they are there", async () => {
  let arrive = () => undefined as void;
  hold = new Promise((done) => (arrive = done));
  const { result } = player(given([sound("a")]));
  await act(async () => {
    void result.current.play("a", 0);
    await new Promise((done) => setTimeout(done, 20));
    result.current.stop();
    arrive();
    await new Promise((done) => setTimeout(done, 20));
  });
  expect([of("play"), result.current.playing, result.current.loading]).toEqual([[], false, false]);
});

test("while it plays another sound is switched to at the same place; what is not there is not played", async () => {
  const { result } = player(given([sound("a"), sound("b")]));
  await act(() => result.current.play("a", 0));
  engines[0]!.at = 4.25;
  act(() => result.current.switchTo("b"));
  expect([of("hear"), of("play").length]).toEqual([[["b"]], 1]);
  expect(result.current.trail.map((t) => [t.lane, t.at])).toEqual([["a", 0], ["b", 4.25]]); // prettier-ignore
  // The match is taken as it is at each switch.
  expect(of("match").at(-1)).toEqual(["b", 0.5012]);
  const before = calls.length;
  await act(() => result.current.play("gone", 0));
  expect(calls.length).toBe(before);
});

test("a place behind the loop begins at its start, and what begins later in the song comes later", async () => {
  const done = [sound("a"), sound("b", "b", { start_s: 2 })];
  const { result } = player(given(done, { loop: { from: 1, to: 3 }, start: 0.5 }));
  await act(() => result.current.play("a", 7));
  expect(of("play")).toEqual([["a", 1]]);
  // Of 48,000 a second, from half a second to two.
  const later = engines[0]!.held.get("b")!.sound;
  expect(later).toBeInstanceOf(Later);
  expect((later as { frames: number }).frames).toBe(96_000 + 72_000);
});

test("a newer render takes the place of the one that plays, without a break", async () => {
  const first = given([sound("a", "old")]);
  const { result, rerender } = player(first);
  await act(() => result.current.play("a", 0));
  const stops = of("stop").length;
  rerender(given([sound("a", "new")]));
  await waitFor(() => expect(of("set")).toEqual([["a"], ["a"]]));
  expect(engines[0]!.held.get("a")!.sound).toMatchObject({ url: "/api/v1/renders/new/audio" });
  expect([of("play").length, of("stop").length]).toEqual([1, stops]);
});

test("what was pressed before the first sound counts from the first sound on", async () => {
  const { result } = player(given([sound("a")]));
  act(() => result.current.change({ mono: true }));
  expect(of("toggles")).toEqual([]);
  await act(() => result.current.play("a", 0));
  expect([of("toggles")[0], result.current.toggles.mono]).toEqual([[true], true]);
});

test("a sound that cannot be had is said, and it is not waited for any more", async () => {
  open = async () => Promise.reject(new Error("gone"));
  const { result } = player(given([sound("a")]));
  await act(() => result.current.play("a", 0));
  expect([said.length, result.current.loading, result.current.playing]).toEqual([1, false, false]);
  open = async (url) => ({ url, rate: 48_000, frames: 96_000 });
  await act(() => result.current.play("a", 0));
  expect(result.current.playing).toBe(true);
});

test("another rate is another engine, another rig another set of sounds, and at the end all is closed", async () => {
  const { result, rerender, unmount } = player(given([sound("a")]));
  await act(() => result.current.play("a", 0));
  const other = sound("a", "x", { report: { rate_hz: 44_100, stems: [] } });
  rerender(given([other], { rig: "other" }));
  expect(of("forget")).toEqual([[""]]);
  await act(() => result.current.play("a", 0));
  expect(engines.map((e) => [e.context.sampleRate, e.context.closed])).toEqual([[48_000, true], [44_100, false]]); // prettier-ignore
  unmount();
  expect(engines.map((e) => [e.isPlaying, e.context.closed])).toEqual([[false, true], [false, true]]); // prettier-ignore
});

test("where it does not play a place is only marked", async () => {
  const { result } = player(given([sound("a")]));
  act(() => result.current.seek("a", 2.5));
  expect([result.current.head.get().position, of("play")]).toEqual([2.5, []]);
  await act(() => result.current.play("a", result.current.head.get().position));
  await act(async () => result.current.seek("a", 1));
  await waitFor(() => expect(of("play")).toEqual([["a", 2.5], ["a", 1]])); // prettier-ignore
});
