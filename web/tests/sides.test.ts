/** Sides of a null: whole sounds, their paths once each, and what they were before. */
import { expect, test } from "vitest";

import { sidesOf } from "../src/playing/sides";
import type { Sound } from "../src/playing/useRenders";

const stem = (id: string, name: string, level_db: number | null = 0) => ({ id, name, level_db });
const sound = (id: string, letter: string, render: object | undefined): Sound =>
  ({ id, letter, name: letter, render, next: undefined }) as never;
const done = (id: string, stems: object[]) => ({ id, status: "done", report: { stems } });

test("a variant gives its whole, each path once and what it was; clips and captures are wholes", () => {
  const found = sidesOf([
    sound(
      "v",
      "A",
      done("ra", [
        stem("hall.0", "Return, Guitar"),
        stem("hall.0", "Return, Clarinet"),
        stem("dry.0", "dry"),
        stem("echo.0", "Return"),
        stem("rest", "the rest", null),
      ]),
    ),
    sound("v capture", "A′", done("rc", [])),
    sound("w", "B", { id: "rb", status: "running", report: null }),
    sound("x", "C", undefined),
    sound("bare", "clip", done("r0", [])),
  ]);
  expect(found.map((s) => s.words)).toEqual([
    "A, the whole",
    "A, Return 1 alone",
    "A, dry alone",
    "A, Return 2 alone",
    "A before its last change",
    "A′, the whole",
    "the clips, past the rig",
  ]);
  expect(found[1]!.side).toEqual({ render: "ra", path: "hall.0", before: false });
  expect(found[4]!.side).toEqual({ render: "ra", path: "", before: true });
  expect(new Set(found.map((s) => s.key)).size).toBe(found.length);
});
