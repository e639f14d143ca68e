import { describe, expect, test } from "vitest";

import type { Variant } from "../src/api/client";
import { isOpen } from "../src/api/follow";
import {
  askedOf,
  atWork,
  begun,
  type Draft,
  figureIn,
  type Free,
  gained,
  heldOn,
  likely,
  meant,
  missing,
  othersOf,
  partsFor,
  type Proposals,
  scaleOf,
  shownFigure,
  standing,
  tradeBetween,
  usual,
  type Wish,
  type WishKind,
  type WishOut,
  type WishSearch,
} from "../src/wishes/wishes";

const kind = (more: Partial<WishKind>): WishKind => ({
  kind: "level",
  words: "level",
  unit: "dB",
  takes: ["part"],
  bound: "under",
  usual: -10,
  low: -80,
  high: 40,
  about: "",
  definition: "",
  taste: true,
  of: [],
  ...more,
});
const LEVEL = kind({});
const COMB = kind({ kind: "comb", words: "comb", takes: ["output", "band"], low: 0, high: 120, usual: 3 }); // prettier-ignore
const PRE = kind({ kind: "pre_delay", words: "pre-delay off", unit: "ms", takes: ["reverb", "note"], low: 0, high: 1000, usual: 1 }); // prettier-ignore
const wish = (more: Partial<Wish>) => ({ kind: "balance", value: -10, must: true, bound: "under", when: "", parts: [], ...more }) as WishOut["wish"]; // prettier-ignore

describe("what is written down", () => {
  const draft = (of: WishKind, more: Partial<Draft> = {}) => ({ ...begun(of, ["hall"]), ...more });

  test("begins with what is usual, of the first part that it can be of", () => {
    expect(begun(LEVEL, ["hall", "echo"])).toMatchObject({
      value: "-10",
      bound: "under",
      parts: ["hall"],
    });
    expect(begun(PRE, ["hall"])).toMatchObject({ parts: [], when: "1/64" });
    expect(begun(COMB, ["hall"]).parts).toEqual([]);
  });

  test("numbers as people type them; what is none is said", () => {
    expect(meant(draft(LEVEL, { value: "−12,5" }), LEVEL)).toMatchObject({ value: -12.5 });
    expect(meant(draft(LEVEL, { value: "loud" }), LEVEL)).toBe(
      "“loud” is no number: say how many dB.",
    );
    expect(meant(draft(LEVEL, { value: "" }), LEVEL)).toContain("is no number");
    expect(meant(draft(LEVEL, { value: "99" }), LEVEL)).toContain("lies between -80 and 40");
    expect(meant(draft(LEVEL, { parts: [] }), LEVEL)).toBe("Choose what it is of.");
    expect(meant(draft(PRE, { when: " " }), PRE)).toContain("Say when");
  });

  test("give or take belongs to about alone, and a band is two numbers or none", () => {
    expect(meant(draft(LEVEL, { within: "2" }), LEVEL)).toMatchObject({ within: null });
    expect(meant(draft(LEVEL, { bound: "about", within: "2" }), LEVEL)).toMatchObject({
      within: 2,
    });
    expect(meant(draft(LEVEL, { bound: "about", within: "-1" }), LEVEL)).toContain("no distance");
    expect(meant(draft(COMB, { low: "100", high: "2000" }), COMB)).toMatchObject({
      low_hz: 100,
      high_hz: 2000,
    });
    expect(meant(draft(COMB), COMB)).toMatchObject({ low_hz: null, high_hz: null });
    expect(meant(draft(COMB, { low: "low", high: "2000" }), COMB)).toContain("two numbers");
  });

  test("parts by their kind, in the order of the course", () => {
    const variant = {
      document: {
        nodes: { g: { kind: "source" }, s: { kind: "split" }, e2: { kind: "delay" }, hall: { kind: "reverb" }, e: { kind: "delay" }, o: { kind: "output" } }, // prettier-ignore
      },
      view: {
        layout: {
          reading: ["g", "s", "e", "e2", "hall", "o"],
          nodes: [
            { id: "hall", shown: "Long hall" },
            { id: "e", shown: "Echo" },
            { id: "e2", shown: "Echo" },
          ],
        },
      },
    } as unknown as Variant;
    expect(partsFor(LEVEL, variant).map(([id]) => id)).toEqual(["s", "e", "e2", "hall", "o"]);
    // Two of one name are told apart.
    expect(
      partsFor(LEVEL, variant)
        .map(([, name]) => name)
        .slice(1, 3),
    ).toEqual(["Echo", "Echo (2)"]);
    expect(partsFor(PRE, variant)).toEqual([["hall", "Long hall"]]);
    const against = kind({ kind: "balance", takes: ["part", "against", "output"] });
    expect(partsFor(against, variant).map(([, name]) => name)).toEqual([
      "Echo",
      "Echo (2)",
      "Long hall",
    ]);
    expect(likely(partsFor(LEVEL, variant), variant)).toEqual(["e"]);
    expect(likely([["s", "Split"]], variant)).toEqual(["s"]);
    expect(likely([], variant)).toEqual([]);
  });
});

describe("what may move", () => {
  const all = [
    { key: "a", label: "Hall: RT60", usual: true, low: 0.1, high: 12 },
    { key: "b", label: "Hall: mix", usual: false, low: 0, high: 100 },
  ] as Free[];

  test("is what is usual until somebody says otherwise", () => {
    expect(Object.keys(usual(all))).toEqual(["a"]);
    expect(askedOf(null, all)).toBeNull();
    expect(askedOf({}, all)).toEqual([]);
  });

  test("goes as far as is said, in numbers as people type them", () => {
    expect(askedOf({ a: { low: "0,8", high: "" }, b: { low: "−5", high: "5" } }, all)).toEqual([
      { key: "a", low: 0.8, high: null },
      { key: "b", low: -5, high: 5 },
    ]);
    expect(askedOf({ a: { low: "short", high: "" } }, all)).toBe(
      "Hall: RT60: “short” is no number.",
    );
    expect(askedOf({ a: { low: "2", high: "1" } }, all)).toContain("ends below where it begins");
  });

  test("what went with its part is not asked for", () => {
    expect(askedOf({ gone: { low: "x", high: "" } }, all)).toEqual([]);
  });
});

describe("what is shown", () => {
  test("a scale holds the bound and the figure with room on both sides", () => {
    const [low, high] = scaleOf(wish({ bound: "under", value: -20 }), -11.4);
    expect(low).toBeLessThan(-20);
    expect(high).toBeGreaterThan(-11.4);
    expect(heldOn(wish({ bound: "under", value: -20 }), [low, high])).toEqual([low, -20]);
    expect(heldOn(wish({ bound: "over", value: -20 }), [low, high])).toEqual([-20, high]);
    expect(heldOn(wish({ bound: "about", value: -15, within: 2 }), [low, high])).toEqual([
      -17, -13,
    ]);
    const [l, h] = scaleOf(wish({ value: 0 }), null);
    expect(h - l).toBeGreaterThan(0);
  });

  const out = (more: Partial<WishOut>) =>
    ({
      title: "Tail",
      unit: "dB",
      figure: -11.4,
      holds: false,
      wish: wish({}),
      ...more,
    }) as WishOut;

  test("figures with their sign where it has one", () => {
    expect(shownFigure(out({}))).toBe("−11.4 dB");
    expect(shownFigure(out({ figure: 2.25, unit: "ms" }))).toBe("2.25 ms");
    expect(shownFigure(out({ figure: 6.02, wish: wish({ kind: "comb" }) }))).toBe("6.0 dB");
    expect(shownFigure(out({ figure: null }))).toBe("no figure");
  });

  test("what does not hold is named with its figure", () => {
    const some = [out({}), out({ title: "Comb", holds: true }), out({ title: "Loop gain", figure: null, holds: null })]; // prettier-ignore
    expect(missing(some)).toEqual(["Tail: −11.4 dB", "Loop gain: no figure"]);
  });

  test("what a proposal gains and what it loses", () => {
    const after = [out({ figure: -20.4, holds: true }), out({ holds: false })];
    const before = [out({}), out({ holds: true })];
    expect(gained(before, after).map((g) => g.said)).toEqual([
      "−11.4 dB → −20.4 dB, holds now",
      "−11.4 dB → −11.4 dB, no longer holds",
    ]);
  });

  test("a trade is drawn between two that contradict each other, or one that missed and one that holds", () => {
    const some = (more: object) =>
      ({ contradiction: [], proposals: [], ...more }) as unknown as Proposals;
    expect(tradeBetween(some({ contradiction: [2, 0, 1] }))).toEqual([2, 0]);
    const wishes = [out({ holds: true }), out({ holds: false })];
    expect(tradeBetween(some({ proposals: [{ wishes }] }))).toEqual([1, 0]);
    expect(tradeBetween(some({ proposals: [{ wishes: [out({ holds: true })] }] }))).toBeNull();
    expect(tradeBetween(some({}))).toBeNull();
  });
});

describe("over the clip, and of other variants", () => {
  const NULL = kind({ kind: "null", words: "null", takes: ["variant", "output"], low: -120, high: 20, usual: -30 }); // prettier-ignore
  const DUCK = kind({ kind: "ducking", words: "ducking", takes: ["part"], of: ["ducker", "compressor"], low: 0, high: 80, usual: 6 }); // prettier-ignore

  test("a wish says which phrases or gaps, and which variant", () => {
    const of = kind({ kind: "balance", takes: ["part", "against", "output", "during"] });
    const draft = { ...begun(of, ["hall"]), during: "gaps" };
    expect(meant(draft, of)).toMatchObject({ during: "gaps", variant: null });
    // Of a kind that has none, what was chosen before is not sent.
    expect(meant({ ...begun(LEVEL, ["hall"]), during: "gaps" }, LEVEL)).toMatchObject({ during: null }); // prettier-ignore
    expect(meant(begun(NULL, []), NULL)).toBe("Choose another variant to hold it against.");
    expect(meant({ ...begun(NULL, []), variant: "B" }, NULL)).toMatchObject({ variant: "B" });
  });

  test("a null against a variant is worked out anew when that one is changed", () => {
    const all = [
      { id: "a", letter: "A", revision: 3 },
      { id: "b", letter: "B", revision: 7 },
    ];
    const of = (wishes: object[]) => ({ id: "a", document: { wishes } }) as unknown as Variant;
    expect(othersOf(of([{ kind: "null", variant: "B" }]), all)).toBe("B7");
    expect(othersOf(of([{ kind: "tail", variant: null }]), all)).toBe("");
    expect(othersOf(of([{ kind: "null", variant: "A" }]), all)).toBe("");
  });

  test("ducking is of what ducks", () => {
    const variant = {
      document: { nodes: { g: { kind: "source" }, d: { kind: "ducker" }, h: { kind: "reverb" } } },
      view: { layout: { reading: ["g", "h", "d"], nodes: [] } },
    } as unknown as Variant;
    expect(partsFor(DUCK, variant)).toEqual([["d", "d"]]);
    expect(partsFor({ ...DUCK, of: [] }, variant).map(([id]) => id)).toEqual(["h", "d"]);
  });

  test("figures in their units: sizes without a sign, ratios without a gap", () => {
    const said = (more: object, figure: number) =>
      figureIn({ unit: "dB", wish: wish({}), ...more } as WishOut, figure);
    expect(said({}, 3.04)).toBe("+3.0 dB");
    expect(said({ wish: wish({ kind: "ducking" }) }, 8.75)).toBe("8.8 dB");
    expect(said({ unit: ":1" }, 3.96)).toBe("4.0:1");
    expect(said({ unit: "ms" }, 0.125)).toBe("0.13 ms");
    expect(said({ unit: "ms" }, 324.6)).toBe("325 ms");
  });

  test("what a render says stands behind the plan's figure", () => {
    const one = {
      figure: -20.4,
      holds: true,
      unit: "dB",
      wish: wish({}),
      title: "Tail",
    } as WishOut;
    const after = [{ ...one, heard: -21.2 }] as WishOut[];
    expect(gained([{ ...one, figure: -11.4, holds: false } as WishOut], after)[0]!.said).toBe(
      "−11.4 dB → −20.4 dB, holds now; −21.2 dB in its render",
    );
  });
});

describe("a search", () => {
  const search = (more: object) =>
    ({ status: "running", stage: "", best: null, proposals: null, ...more }) as WishSearch;

  test("says what it is at, and the best so far until there is more", () => {
    expect(atWork(search({ status: "queued" }))).toBe("Waiting for its turn");
    const best = { sentence: "1 of 2 hold so far with 2 changes." };
    const stage = "41 settings looked at";
    expect(atWork(search({ stage, best }))).toBe(
      "41 settings looked at. 1 of 2 hold so far with 2 changes.",
    );
    expect(atWork(search({ stage: "Rendering 1 of 2", best, proposals: {} }))).toBe(
      "Rendering 1 of 2.",
    );
    expect([isOpen(null), isOpen(search({})), isOpen(search({ status: "done" }))]).toEqual([
      false,
      true,
      false,
    ]);
  });

  test("a way is called fulfilled by its render, and by nothing else", () => {
    const one = (checked: boolean | null, checked_said = "") =>
      ({ checked, checked_said }) as Proposals["proposals"][number];
    expect(standing(one(null), true)).toEqual(["note", "In the plan; being rendered."]);
    expect(standing(one(null), false)).toEqual(["note", "In the plan; not rendered."]);
    expect(standing(one(null, "Not rendered: it was stopped."), false)[0]).toBe("note");
    expect(standing(one(true, "Rendered: 1 of 1 hold in sound."), false)[0]).toBe("passed");
    expect(standing(one(false, "Not so in its render."), false)[0]).toBe("caution");
  });
});
