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
        setItem: (name, text) => void this.store.set(name, text),
        removeItem: (name) => void this.store.delete(name),
      },
      names: () => [...this.store.keys()],
      id: () => `e${++this.next}`,
      later: (run) => void this.timers.push(run),
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

test("what cannot be read of the store is nothing, and no fault", () => {
  expect(readKept(null)).toEqual([]);
  for (const text of ["", "{", "7", '{"id":1}', "null"]) expect(readKept(text)).toEqual([]);
});
