/** Found things: their order, where they open, what of the help fits. */
import { expect, test } from "vitest";

import {
  type Answer,
  type Found,
  handOf,
  helpOf,
  linesOf,
  nextLine,
  pathOf,
} from "../src/app/find";

const hit = (more: Partial<Found>): Found => ({
  sort: "stage",
  title: "Hall",
  about: "",
  song: "s1",
  place: "route",
  variant: null,
  clip: null,
  node: "",
  ...more,
});
const answer = (more: Partial<Answer>): Answer => ({ found: [], wishes: [], wanted: [], ...more });

test("wishes first, then what was found, then words of the help", () => {
  const lines = linesOf(
    answer({
      found: [hit({}), hit({ sort: "song", title: "Tide" })],
      wishes: [{ does: "tempo", title: "Set the tempo to 96 BPM", value: "96.0" }],
      wanted: [["aux", "send"]],
    }),
    [
      { word: "send", means: "A way out of a rail." },
      { word: "gap", means: "Between phrases." },
    ],
    true,
  );
  expect(lines.map((l) => l.sort).slice(0, 4)).toEqual(["wish", "stage", "song", "help"]);
  expect(lines.filter((l) => l.sort === "help").map((l) => l.title)).toContain("send");
  expect(new Set(lines.map((l) => l.key)).size).toBe(lines.length);
});

test("without a song in hand nothing of a song is offered to be done", () => {
  const wishes: Answer["wishes"] = [
    { does: "tempo", title: "t", value: "96.0" },
    { does: "song", title: "New song “x”", value: "x" },
  ];
  expect(linesOf(answer({ wishes }), [], false).map((l) => l.title)).toEqual(["New song “x”"]);
});

test("a thing opens in its own song, a check in the one in hand, a device nowhere", () => {
  expect(pathOf(hit({}), "s2")).toBe("/songs/s1/route");
  expect(pathOf(hit({ place: "" }), null)).toBe("/songs/s1");
  expect(pathOf(hit({ sort: "check", song: null }), "s2")).toBe("/songs/s2/route");
  expect(pathOf(hit({ sort: "check", song: null }), null)).toBeNull();
  expect(pathOf(hit({ sort: "device", song: null, place: "" }), "s2")).toBeNull();
  expect(pathOf(hit({ sort: "list", song: null, place: "set-lists/l1" }), "s2")).toBe(
    "/set-lists/l1",
  );
  expect(handOf(hit({ variant: "v", node: "hall" }))).toEqual({ variant: "v", selected: "hall" });
  expect(handOf(hit({ clip: "c" }))).toEqual({ clip: "c" });
  expect(handOf(hit({}))).toEqual({});
});

test("help: every word or another one for it, and the word itself first", () => {
  const words = [
    { word: "loop", means: "What comes back to a send." },
    { word: "send", means: "A way out." },
  ];
  expect(
    helpOf([["aux", "send"]], words)
      .map((h) => h.title)
      .slice(0, 2),
  ).toEqual(["send", "loop"]);
  expect(helpOf([["aux", "send"], ["teapot"]], words)).toEqual([]);
  expect(helpOf([], words)).toEqual([]);
});

test("arrows go round", () => {
  expect([
    nextLine(0, 3, "ArrowUp"),
    nextLine(2, 3, "ArrowDown"),
    nextLine(1, 3, "End"),
    nextLine(0, 0, "ArrowDown"),
  ]).toEqual([2, 0, 2, 0]);
});
