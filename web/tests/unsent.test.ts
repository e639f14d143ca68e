// @vitest-environment jsdom
/** A song's edits that were never answered: kept by tab, taken up from tabs that are gone, known as one's own. */
import { beforeEach, expect, test, vi } from "vitest";

const away = new Set<string>();
vi.mock("../src/ui/tabs", () => ({
  thisTab: "mine",
  gone: async (tabs: Map<string, number>) => new Set([...tabs.keys()].filter((t) => away.has(t))),
}));
const { allOwn, keepPending, keptOf, merged, pendingIn, takeLeft, trying } =
  await import("../src/song/unsent");

const key = (tab: string, song = "s") => `fonodrome.unsent.${song}${tab && `.${tab}`}`;
const left = (tab: string, at: number, changes: object, base = 4, song = "s") =>
  localStorage.setItem(key(tab, song), JSON.stringify({ base, changes, at }));
beforeEach(() => {
  localStorage.clear();
  away.clear();
});

test.each([
  ["nothing", null],
  ["half a text", '{"base": 3, "cha'],
  ["no object", "7"],
  ["a list", "[]"],
  ["no base", '{"changes": {}}'],
  ["a base that is no revision", '{"base": 1.5, "changes": {}}'],
  ["changes that are a list", '{"base": 3, "changes": ["title"]}'],
  ["changes that are nothing", '{"base": 3, "changes": null}'],
])("%s is no edit", (_, text) => {
  expect(pendingIn(text)).toBeNull();
});

test("what is kept is this tab's own, and is let go of when it is answered", () => {
  left("other", 1, { title: "Theirs" });
  expect(keepPending("s", { base: 5, changes: { title: "Mine" } })).toBe(true);
  expect(keptOf("s")).toMatchObject({ base: 5, changes: { title: "Mine" } });
  expect(keptOf("another")).toBeNull();
  keepPending("s", null);
  expect([keptOf("s"), localStorage.length]).toEqual([null, 1]);
});

test("a store that is full is said, not thrown", () => {
  const full = vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  expect(keepPending("s", { base: 5, changes: {} })).toBe(false);
  full.mockRestore();
});

test("of several the later counts, and all are made on the oldest", () => {
  const one = { base: 7, changes: { title: "Late", players: "horn" }, at: 30, tried: { title: ["a"] } }; // prettier-ignore
  const two = { base: 4, changes: { title: "Early" }, at: 10, tried: { title: ["b"], players: ["c"] } }; // prettier-ignore
  expect(merged([one, two])).toEqual({
    base: 4,
    changes: { title: "Late", players: "horn" },
    tried: { title: ["b", "a"], players: ["c"] },
  });
  expect(merged([])).toBeNull();
});

test("only what tabs left that are gone is taken, once, and of this song alone", async () => {
  left("gone", 10, { title: "Left" }, 3);
  left("there", 20, { title: "At work" });
  left("gone", 30, { title: "Of another" }, 9, "other");
  // As an earlier release kept it: without a tab.
  left("", 5, { players: "oboe" }, 6);
  away.add("gone");
  const { left: found, aside } = await takeLeft("s");
  expect([found!.base, found!.changes, aside]).toEqual([3, { title: "Left", players: "oboe" }, 0]);
  expect(Object.keys(localStorage).sort()).toEqual([key("gone", "other"), key("there")].sort());
  expect((await takeLeft("s")).left).toBeNull();
});

test("what cannot be read is set aside whole, and the rest is taken", async () => {
  localStorage.setItem(key("gone"), "half a te");
  left("also", 10, { title: "Left" });
  away.add("also");
  const { left: found, aside } = await takeLeft("s");
  expect([found!.changes, aside]).toEqual([{ title: "Left" }, 1]);
  expect(localStorage.getItem("fonodrome.set-aside.unsent.s.gone")).toBe("half a te");
});

test("an answer that was lost is known as one's own, with what the server adds to it", () => {
  const changes = { delays: [{ name: "Lead" }], title: "A" } as never;
  const sent = trying({ base: 1, changes });
  const again = trying({ ...sent, changes: { title: "B" } });
  expect(again.tried).toEqual({ delays: [[{ name: "Lead" }]], title: ["A", "B"] });
  // Sent twice it is noted once.
  expect(trying(again).tried!.title).toEqual(["A", "B"]);
  const theirs = (field: string, value: unknown) => [{ field, theirs: value }];
  expect(allOwn(theirs("title", "A"), again.tried)).toBe(true);
  expect(allOwn(theirs("delays", [{ name: "Lead", mode: "single" }]), again.tried)).toBe(true);
  expect(allOwn(theirs("delays", [{ name: "Lead" }, { name: "Slap" }]), again.tried)).toBe(false);
  expect(allOwn(theirs("delays", [{ name: "Throw" }]), again.tried)).toBe(false);
  expect(allOwn([...theirs("title", "A"), ...theirs("players", "x")], again.tried)).toBe(false);
});

test("of many tries the last twenty are remembered", () => {
  let pending = { base: 1, changes: { title: "0" } } as Parameters<typeof trying>[0];
  for (let n = 0; n < 30; n++) pending = trying({ ...pending, changes: { title: String(n) } });
  expect(pending.tried!.title).toHaveLength(20);
  expect(pending.tried!.title!.at(-1)).toBe("29");
});
