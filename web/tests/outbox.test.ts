/** Edits on their way: order, loss of the line, refusals, what an earlier visit left. */
import { expect, test } from "vitest";

import type { RigAction, Variant } from "../src/api/client";
import { Outbox, readKept, type Waiting, type Wire } from "../src/rigs/outbox";

const title = (text: string) => ({ do: "rig", title: text }) as unknown as RigAction;
const settled = async () => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
};

class Line {
  sent: [string, Waiting][] = [];
  store = new Map<string, string>();
  timers: (() => void)[] = [];
  time = 1000;
  full = false;
  down = false;
  refuse = "";
  /** The server's own count, by variant; each taken edit is one more. */
  revision: Record<string, number> = { v: 1, w: 1 };
  private next = 0;

  box(): Outbox {
    const wire: Wire = {
      send: async (variant, edit) => {
        if (this.down) throw "down";
        if (this.refuse) throw this.refuse;
        this.sent.push([variant, edit]);
        this.revision[variant] = (this.revision[variant] ?? 0) + 1;
        return { id: variant, revision: this.revision[variant] } as Variant;
      },
      passing: (fault) => fault === "down",
      store: {
        getItem: (name) => this.store.get(name) ?? null,
        setItem: (name, text) => {
          if (this.full) throw new Error("no room");
          this.store.set(name, text);
        },
        removeItem: (name) => void this.store.delete(name),
      },
      names: () => [...this.store.keys()],
      id: () => `e${++this.next}`,
      later: (run) => void this.timers.push(run),
      now: () => this.time,
    };
    return new Outbox(wire, (fault) => `said: ${String(fault)}`);
  }
}

test("edits go out one after the other, each on the revision that the one before made", async () => {
  const line = new Line();
  const box = line.box();
  box.known("v", 1);
  for (const text of ["a", "b", "c"]) box.add("v", title(text));
  expect(box.flow().waiting).toBe(3);
  await settled();
  expect(line.sent.map(([, e]) => e.action)).toEqual(["a", "b", "c"].map(title));
  expect(line.sent.map(([, e]) => e.base_revision)).toEqual([1, 2, 3]);
  expect(box.flow()).toMatchObject({ waiting: 0, offline: false, refused: "" });
  expect(line.store.size).toBe(0);
});

test("without a line edits wait, outlive the page, and go out in order once it is back", async () => {
  const line = new Line();
  line.down = true;
  const before = line.box();
  before.known("v", 1);
  before.add("v", title("first"));
  before.add("v", title("second"));
  await settled();
  expect(before.flow()).toMatchObject({ waiting: 2, offline: true });
  // A new page: only what was stored is left.
  line.timers.length = 0;
  const after = line.box();
  after.takeUp();
  expect(after.flow().waiting).toBe(2);
  await settled();
  line.down = false;
  line.timers.splice(0).forEach((run) => run());
  await settled();
  expect(line.sent.map(([, e]) => e.id)).toEqual(["e1", "e2"]);
  expect(after.flow()).toMatchObject({ waiting: 0, offline: false });
});

test("an edit that is refused is said and dropped; the ones behind it still go", async () => {
  const line = new Line();
  const box = line.box();
  const refused: unknown[] = [];
  box.tell({ refused: (variant, fault) => refused.push([variant, fault]) });
  line.refuse = "no such stage";
  box.add("v", title("bad"));
  await settled();
  expect(refused).toEqual([["v", "no such stage"]]);
  expect(box.flow()).toMatchObject({ waiting: 0, refused: "said: no such stage" });
  line.refuse = "";
  box.add("v", title("good"));
  await settled();
  expect(line.sent.map(([, e]) => e.action)).toEqual([title("good")]);
  expect(box.flow().refused).toBe("");
});

test("when somebody else's edit came between, what waits is not passed off as a follower", async () => {
  const line = new Line();
  const box = line.box();
  box.known("v", 1);
  line.revision.v = 5;
  box.add("v", title("mine"));
  box.add("v", title("mine too"));
  await settled();
  // The second keeps the revision that its author saw: the server can tell.
  expect(line.sent.map(([, e]) => e.base_revision)).toEqual([1, 1]);
});

test("an edit of what nobody looks at is made on the newest revision that a list told of", async () => {
  const line = new Line();
  const box = line.box();
  line.revision.v = 4;
  line.revision.w = 7;
  box.listed("v", 4);
  box.listed("v", 2);
  box.add("v", title("from another step"));
  // What is on the screen is what its author saw, whatever a list says.
  const hide = box.shows("w");
  box.known("w", 5);
  box.listed("w", 7);
  box.add("w", title("seen at 5"));
  await settled();
  expect(line.sent.map(([id, e]) => [id, e.base_revision])).toEqual([
    ["v", 4],
    ["w", 5],
  ]);
  hide();
  box.listed("w", 9);
  box.add("w", title("put away"));
  await settled();
  expect(line.sent.at(-1)![1].base_revision).toBe(9);
});

test("one variant that cannot be reached holds up no other", async () => {
  const line = new Line();
  const box = line.box();
  line.down = true;
  box.add("v", title("waits"));
  await settled();
  line.down = false;
  box.add("w", title("goes"));
  await settled();
  expect(line.sent.map(([v]) => v)).toEqual(["w"]);
  expect(box.flow().waiting).toBe(1);
});

test("what cannot be read of the store is null, and no fault", () => {
  for (const text of [
    null,
    "",
    "{",
    "7",
    '{"id":1}',
    "null",
    '{"id":"e","base_revision":1.5,"action":{"do":"rig"}}',
  ])
    expect(readKept(text), String(text)).toBeNull();
  expect(readKept("[]")).toEqual([]);
});

test("two tabs without a line keep the edits of both; who comes next sends all of them, once", async () => {
  const line = new Line();
  line.down = true;
  const [one, other] = [line.box(), line.box()];
  for (const [box, texts] of [
    [one, ["a", "b"]],
    [other, ["c"]],
    [one, ["d"]],
  ] as const)
    for (const text of texts) {
      line.time += 5;
      box.add("v", title(text));
    }
  await settled();
  // Both tabs are killed.
  line.timers.length = 0;
  line.down = false;
  const after = line.box();
  after.takeUp();
  await settled();
  expect(line.sent.map(([, e]) => e.action)).toEqual(["a", "b", "c", "d"].map(title));
  expect(line.store.size).toBe(0);
});

test("a tab that is done takes nothing from the store that is another's", async () => {
  const line = new Line();
  line.down = true;
  const other = line.box();
  other.add("v", title("theirs"));
  await settled();
  line.down = false;
  const mine = line.box();
  mine.add("v", title("mine"));
  await settled();
  expect(line.sent.map(([, e]) => e.action)).toEqual([title("mine")]);
  expect([...line.store.values()].map((t) => JSON.parse(t).action)).toEqual([title("theirs")]);
});

test("kept edits that cannot be read are set aside and told of; the others go out", async () => {
  const line = new Line();
  line.store.set("fonodrome.rig-edits.v.bad", '{"id": "half');
  line.store.set("fonodrome.rig-edits.w.odd", '{"id":"x","base_revision":"1","action":null}');
  const kept = { id: "good", base_revision: 1, action: title("good"), at: 3 };
  line.store.set("fonodrome.rig-edits.v.good", JSON.stringify(kept));
  const box = line.box();
  const aside: number[] = [];
  box.tell({ aside: (count) => aside.push(count) });
  box.takeUp();
  await settled();
  expect(aside).toEqual([2]);
  expect(line.sent.map(([, e]) => e.action)).toEqual([title("good")]);
  // The words that were there are there still, under another name.
  expect(line.store.get("fonodrome.set-aside.v.bad")).toBe('{"id": "half');
  box.takeUp();
  expect(aside).toEqual([2]);
});

test("the list of an earlier release goes out in its order and is removed", async () => {
  const line = new Line();
  const list = ["x", "y"].map((text, i) => ({
    id: `o${i}`,
    base_revision: 1,
    action: title(text),
  }));
  line.store.set("fonodrome.rig-edits.v", JSON.stringify(list));
  line.box().takeUp();
  await settled();
  expect(line.sent.map(([, e]) => e.action)).toEqual(["x", "y"].map(title));
  expect(line.sent.map(([, e]) => e.base_revision)).toEqual([1, 2]);
  expect(line.store.size).toBe(0);
});

test("a store that is full is told of, and the edit goes out all the same", async () => {
  const line = new Line();
  line.full = true;
  const box = line.box();
  let told = 0;
  box.tell({ unkept: () => told++ });
  box.add("v", title("still sent"));
  await settled();
  expect(told).toBe(1);
  expect(line.sent.map(([, e]) => e.action)).toEqual([title("still sent")]);
});
