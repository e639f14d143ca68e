/** A set list: keys and foot switches, the count-in, taps, MIDI bytes, edits that wait, what the worker keeps. */
import { expect, test } from "vitest";

import {
  ahead,
  type Card,
  countedAt,
  figuresAt,
  litWords,
  meaningOf,
  placeAfter,
  readable,
  tapped,
  tempoOf,
} from "../src/stage/list/cards";
import {
  changed,
  isShown,
  moved,
  newEntry,
  programsRead,
  programsWritten,
  toggled,
  type Values,
  without,
} from "../src/stage/list/edits";
import { Keeper, type Wire } from "../src/stage/list/keeper";
import { clocksDue, midiMeans, programBytes } from "../src/stage/list/midi";
import { leaves, outdated, tooMany, wayOf } from "../src/worker/ways";

const ID = "6f8a1c1e-1234-4abc-8def-000000000001";
const count = {
  bars: 2,
  pulses: 6,
  pulse_ms: 200,
  strong: [1, 4],
  lit_every: 3,
  words: "6/8, starts on 1",
};
const line = (name: string, figure: string, more = {}) => ({
  name,
  said: "",
  figure,
  unit: "ms",
  by_tempo: [] as string[],
  shown: true,
  ...more,
});
const card = (more: Partial<Card> = {}): Card =>
  ({
    version: 1,
    key: "a",
    kind: "song",
    title: "x",
    tempos: [99, 100, 101],
    lines: [],
    programs: [],
    ...more,
  }) as Card;

test("any key a foot switch sends is the next song; a few mean something else, some nothing", () => {
  for (const key of [" ", "Enter", "PageDown", "ArrowRight", "ArrowDown", "b", "5", "g", "F", "."])
    expect(meaningOf({ key }), key).toBe("next");
  for (const key of ["ArrowLeft", "ArrowUp", "PageUp", "Backspace"])
    expect(meaningOf({ key }), key).toBe("back");
  expect(["c", "T", "Escape"].map((key) => meaningOf({ key }))).toEqual(["count", "tap", "leave"]);
  for (const key of ["Tab", "Shift", "F5", "AudioVolumeUp", "Meta", "Dead"])
    expect(meaningOf({ key }), key).toBeNull();
  expect(meaningOf({ key: "r", ctrlKey: true })).toBeNull();
  expect(meaningOf({ key: " ", repeat: true })).toBeNull();
  expect([
    placeAfter(0, -1, 3),
    placeAfter(2, 1, 3),
    placeAfter(1, 1, 3),
    placeAfter(5, 0, 0),
  ]).toEqual([0, 2, 2, 0]);
});

test("two bars are counted, light up on the beats alone, and then stand still", () => {
  expect(countedAt(count, 0)).toEqual({ bar: 1, pulse: 1, over: false, lit: true });
  expect(countedAt(count, 199.9)).toMatchObject({ pulse: 1 });
  expect(countedAt(count, 200)).toEqual({ bar: 1, pulse: 2, over: false, lit: false });
  expect(countedAt(count, 600)).toMatchObject({ pulse: 4, lit: true });
  expect(countedAt(count, 1200)).toMatchObject({ bar: 2, pulse: 1, lit: true });
  expect(countedAt(count, 2399)).toMatchObject({ bar: 2, pulse: 6, over: false });
  expect(countedAt(count, 2400)).toMatchObject({ over: true, lit: false });
  expect(countedAt({ ...count, bars: 0 }, 0).over).toBe(true);
  // In every second of it at most three begin to be lit.
  for (const [pulse, every] of [
    [200, 3],
    [334, 1],
    [331, 4],
    [100, 12],
  ] as const) {
    const one = { ...count, bars: 4, pulse_ms: pulse, lit_every: every };
    const lit = Array.from({ length: 24 }, (_, n) => n * pulse).filter(
      (t) => countedAt(one, t).lit,
    );
    for (const from of lit)
      expect(lit.filter((t) => t >= from && t < from + 1000).length).toBeLessThanOrEqual(3);
  }
  expect(litWords(count)).toBe("lights on 1 and 4");
  expect(litWords({ ...count, lit_every: 12 })).toBe("lights on 1 of every 2 bars");
  expect(litWords({ ...count, lit_every: 0 })).toContain("nothing lights");
});

test("taps give the middle tempo, begin anew after a pause, and ask for whole tempi that were computed", () => {
  let taps: number[] = [];
  // 600 ms apart, one of them late: 100 a minute all the same.
  for (const at of [0, 600, 1200, 1950, 2400]) taps = tapped(taps, at);
  expect(tempoOf(taps)).toBeCloseTo(100, 6);
  expect(tapped(taps, 9000)).toEqual([9000]);
  expect(tempoOf([0, 600])).toBeNull();
  const one = card({
    lines: [line("Lead", "450", { by_tempo: ["455", "450", "446"] }), line("Slap", "118")],
  });
  expect(figuresAt(one, 99.4)!.figures.get("Lead")).toBe("455");
  expect(figuresAt(one, 100.6)!.figures.get("Lead")).toBe("446");
  expect(figuresAt(one, 100.6)!.figures.has("Slap")).toBe(false);
  expect(figuresAt(one, 130)).toBeNull();
  expect(ahead(one)).toBe("450 ms");
  expect(ahead(card({ lines: [line("Lead", "450", { shown: false })] }))).toBe("");
});

test("a copy that another release kept is not read", () => {
  const good = { name: "x", cards: [card()] };
  expect(readable(good)).toBe(true);
  for (const bad of [
    null,
    "x",
    {},
    { name: "x" },
    { name: "x", cards: [{ ...card(), version: 2 }] },
    { name: "x", cards: [{ version: 1 }] },
    { name: "x", cards: [null] },
  ])
    expect(readable(bad)).toBe(false);
});

test("MIDI as it goes over the wire", () => {
  expect(programBytes({ channel: 1, program: 0 })).toEqual([0xc0, 0]);
  expect(programBytes({ channel: 16, program: 127 })).toEqual([0xcf, 127]);
  // 125 quarters a minute: a clock every 20 ms.
  const [due, next] = clocksDue(0, 100, 125);
  expect(due).toEqual([0, 20, 40, 60, 80]);
  expect(next).toBe(100);
  expect(clocksDue(100, 100, 125)).toEqual([[], 100]);
  // A page that slept for a minute sends a second's worth.
  expect(clocksDue(0, 60_000, 125)[0].length).toBe(50);
  expect(midiMeans([0xb3, 64, 127])).toBe("next");
  expect(midiMeans([0xb3, 64, 0])).toBeNull();
  expect(midiMeans([0x90, 36, 100])).toBe("tap");
  expect(midiMeans([0x90, 36, 0])).toBeNull();
  expect(midiMeans([0xf8])).toBeNull();
});

const list = (...keys: string[]): Values => ({
  name: "Pier",
  channel: 1,
  send_clock: false,
  entries: keys.map((key) => newEntry(key, { kind: "pause" })),
});
const order = (values: Values) => values.entries.map((e) => e.key).join("");

test("entries are moved, changed and taken out; an end is an end", () => {
  const abc = list("a", "b", "c");
  expect(order(moved(abc, "a", 1))).toBe("bac");
  expect(order(moved(abc, "c", -1))).toBe("acb");
  expect(moved(abc, "a", -1)).toBe(abc);
  expect(moved(abc, "z", 1)).toBe(abc);
  expect(order(without(abc, "b"))).toBe("ac");
  expect(changed(abc, "b", { note: "capo 2" }).entries[1]!.note).toBe("capo 2");
  expect(order(abc)).toBe("abc");
});

test("programs are read as they are typed", () => {
  expect(programsRead("12", 5)).toEqual([{ program: 12, channel: 5 }]);
  expect(programsRead(" 0, 127 on 16 ; 3 ch 2", 1)).toEqual([
    { program: 0, channel: 1 },
    { program: 127, channel: 16 },
    { program: 3, channel: 2 },
  ]);
  expect(programsRead("", 1)).toEqual([]);
  for (const bad of ["128", "3 on 17", "soup", "1 on 0", "1,2,3,4,5,6,7,8,9"])
    expect(typeof programsRead(bad, 1), bad).toBe("string");
  expect(
    programsWritten(
      [
        { program: 12, channel: 5 },
        { program: 3, channel: 2 },
      ],
      5,
    ),
  ).toBe("12, 3 on 2");
});

test("what is left away begins with what the card leaves away", () => {
  const lines = [
    { name: "d", shown: true },
    { name: "f", shown: false },
  ];
  expect(isShown(null, lines, "f")).toBe(false);
  expect(toggled(null, lines, "f")).toEqual([]);
  expect(toggled(null, lines, "d")).toEqual(["f", "d"]);
  // Asked twice before the card is made anew, it is as it was.
  expect(toggled(toggled(null, lines, "d"), lines, "d")).toEqual(["f"]);
  expect(isShown(["d"], lines, "d")).toBe(false);
});

class Server {
  stored = { values: list("a"), revision: 1 };
  down = false;
  sent: number[] = [];
  memory = new Map<string, string>();
  timers: (() => void)[] = [];

  keeper(): Keeper {
    const wire: Wire = {
      send: async (base, values) => {
        if (this.down) throw "down";
        this.sent.push(base);
        if (values.name === "bad") throw "bad";
        if (base !== this.stored.revision) throw "clash";
        this.stored = { values, revision: base + 1 };
        return this.stored;
      },
      read: (fault) =>
        fault === "down"
          ? { sort: "offline" }
          : fault === "bad"
            ? { sort: "refused", sentence: "No." }
            : { sort: "clash", theirs: this.stored.values, revision: this.stored.revision },
      store: {
        getItem: (name) => this.memory.get(name) ?? null,
        setItem: (name, text) => void this.memory.set(name, text),
        removeItem: (name) => void this.memory.delete(name),
      },
      name: "n",
      later: (run) => void this.timers.push(run),
    };
    return new Keeper(wire);
  }
  async wait(): Promise<void> {
    for (let i = 0; i < 4; i++) {
      for (const run of this.timers.splice(0)) run();
      for (let n = 0; n < 10; n++) await Promise.resolve();
    }
  }
}

test("an edit without the network waits over a reload, and goes out when it is back", async () => {
  const server = new Server();
  server.down = true;
  const before = server.keeper();
  before.know(server.stored);
  before.edit(list("a", "b"));
  await server.wait();
  expect(before.stands()).toEqual({ is: "waiting" });
  // A reload: the edit is seen before anything was asked, and what is asked does not undo it.
  const after = server.keeper();
  expect(order(after.values()!)).toBe("ab");
  after.know(server.stored);
  expect(order(after.values()!)).toBe("ab");
  server.down = false;
  await after.goOn();
  expect(order(server.stored.values)).toBe("ab");
  expect(after.stands()).toEqual({ is: "saved" });
  expect(server.memory.size).toBe(0);
});

test("quick edits go out on the revision that the one before made", async () => {
  const server = new Server();
  const keeper = server.keeper();
  keeper.know(server.stored);
  keeper.edit(list("a", "b"));
  const first = keeper.goOn();
  keeper.edit(list("a", "b", "c"));
  await first;
  await server.wait();
  expect(server.sent).toEqual([1, 2]);
  expect(order(server.stored.values)).toBe("abc");
  // An older answer that comes late changes nothing.
  keeper.know({ values: list("a"), revision: 1 });
  expect(order(keeper.values()!)).toBe("abc");
});

test("a clash is settled by the person, either way", async () => {
  for (const mine of [true, false]) {
    const server = new Server();
    const keeper = server.keeper();
    keeper.know(server.stored);
    server.stored = { values: list("x", "y"), revision: 5 };
    keeper.edit(list("a", "b"));
    await server.wait();
    expect(keeper.stands()).toMatchObject({ is: "clash", revision: 5 });
    // While it is open nothing is sent over the other.
    keeper.edit(list("a", "b", "c"));
    await server.wait();
    expect(order(server.stored.values)).toBe("xy");
    keeper.settle(mine);
    await server.wait();
    expect(order(server.stored.values)).toBe(mine ? "abc" : "xy");
    expect(order(keeper.values()!)).toBe(mine ? "abc" : "xy");
    expect(keeper.stands().is).toBe("saved");
  }
});

test("a refused edit stays until it is given up; a spoilt copy is no edit", async () => {
  const server = new Server();
  const keeper = server.keeper();
  keeper.know(server.stored);
  keeper.edit({ ...list("a"), name: "bad" });
  await server.wait();
  expect(keeper.stands()).toEqual({ is: "refused", sentence: "No." });
  expect(keeper.values()!.name).toBe("bad");
  keeper.giveUp();
  expect(keeper.values()!.name).toBe("Pier");
  for (const spoilt of ["{", "3", '{"base":1}', '{"base":"1","values":{"entries":[]}}']) {
    server.memory.set("n", spoilt);
    expect(server.keeper().values(), spoilt).toBeNull();
  }
});

const get = (path: string, more = {}) => ({
  method: "GET",
  mode: "cors",
  url: `http://h${path}`,
  ...more,
});
const way = (path: string, more = {}) => wayOf(get(path, more), "http://h");

test("the worker keeps what opens a song and a set list, and never sound, files or what is sent", () => {
  for (const path of [
    "session",
    "songs",
    `songs/${ID}`,
    `songs/${ID}/rigs`,
    "set-lists",
    `set-lists/${ID}`,
    `set-lists/${ID}/stage`,
    `variants/${ID}`,
    `variants/${ID}/sheet?scene=Verse`,
  ])
    expect(way(`/api/v1/${path}`), path).toBe("answer");
  for (const path of [
    `songs/${ID}/file`,
    "studio/file",
    `renders/${ID}/audio`,
    `null-tests/${ID}/audio/residual`,
    "find?words=a",
    `songs/${ID}/log.csv`,
    `variants/${ID}/sheet?form=csv`,
    `trials/${ID}`,
    "set-lists/../session/x",
  ])
    expect(way(`/api/v1/${path}`), path).toBe("network");
  expect(way("/api/v1/songs", { method: "POST" })).toBe("network");
  expect(way(`/api/v1/songs/${ID}`, { mode: "navigate" })).toBe("network");
  expect(way("/songs/x/route", { mode: "navigate" })).toBe("page");
  expect(way("/healthy", { mode: "navigate" })).toBe("network");
  expect(way("/static/assets/a.js")).toBe("file");
  expect(wayOf(get("/static/a.js"), "http://other")).toBe("network");
});

test("who signs in or out leaves nothing behind; older releases go, but not the files of an open page", () => {
  expect(leaves(get("/api/v1/session", { method: "DELETE" }))).toBe(true);
  expect(leaves(get("/api/v1/demo", { method: "POST" }))).toBe(true);
  expect(leaves(get("/api/v1/session"))).toBe(false);
  expect(leaves(get("/api/v1/songs", { method: "POST" }))).toBe(false);
  const names = [
    "fonodrome-files-1",
    "fonodrome-answers-1",
    "fonodrome-files-2",
    "fonodrome-answers-3",
    "fonodrome-files-3",
    "another's",
  ];
  expect(outdated(names, "3")).toEqual(["fonodrome-files-1", "fonodrome-answers-1"]);
  expect(tooMany(["a", "b", "c"], 2)).toEqual(["a"]);
  expect(tooMany(["a"], 2)).toEqual([]);
});
