// @vitest-environment jsdom
/** Settings that move: shown at once, kept when they rest, put back, taken back where they cannot be. */
import { act, cleanup, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { RigAction, Variant } from "../src/api/client";
import { actionOf, useMoving } from "../src/steps/route/useMoving";
import type { Trying } from "../src/steps/route/useTrial";

beforeEach(() => vi.useFakeTimers());
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

const variantAt = (revision: number, mix: number) =>
  ({
    id: "v",
    revision,
    document: { nodes: { hall: { id: "hall", kind: "reverb", mix_percent: mix } } },
  }) as unknown as Variant;

function hands(start = { revision: 1, mix: 27, selected: "hall", refused: "" }) {
  const edits: RigAction[] = [];
  const looked: (RigAction | null)[] = [];
  const hook = renderHook(
    (now: typeof start) => {
      const trying: Trying = { trial: null, refused: now.refused, look: (a) => looked.push(a) };
      const variant = variantAt(now.revision, now.mix);
      const stored = { mix_percent: now.mix };
      return useMoving(variant, now.selected, stored, (a) => edits.push(a), trying);
    },
    { initialProps: start },
  );
  const again = (more: Partial<typeof start>) => hook.rerender({ ...start, ...more });
  return { edits, looked, again, now: () => hook.result.current };
}

const rest = () => act(() => vi.advanceTimersByTime(400));

test("what moves is looked at with each step and kept once, when it rests", () => {
  const h = hands();
  for (const mix of [28, 29, 30]) act(() => h.now().move("mix_percent", mix));
  expect(h.now().values.mix_percent).toBe(30);
  expect(h.now().before).toEqual({ mix_percent: 27 });
  expect(h.looked).toHaveLength(3);
  expect(h.edits).toEqual([]);
  rest();
  expect(h.edits).toEqual([{ do: "set", node: "hall", values: { mix_percent: 30 } }]);
});

test("two settings that move together are one edit", () => {
  const h = hands();
  act(() => h.now().move("mix_percent", 40));
  act(() => h.now().move("rt60_s", 2));
  rest();
  expect(h.edits).toEqual([{ do: "set", node: "hall", values: { mix_percent: 40, rt60_s: 2 } }]);
});

test("where it stood stays known after it was kept, and is put back in one press", () => {
  const h = hands();
  act(() => h.now().set("mix_percent", 60));
  expect(h.edits).toHaveLength(1);
  h.again({ revision: 2, mix: 60 });
  expect(h.now().values.mix_percent).toBe(60);
  expect(h.now().before).toEqual({ mix_percent: 27 });
  expect(h.now().was?.revision).toBe(1);
  act(() => h.now().back());
  expect(h.edits.at(-1)).toEqual({ do: "set", node: "hall", values: { mix_percent: 27 } });
  expect(h.now().before).toEqual({});
});

test("what was moved is kept when something else is selected before it rests", () => {
  const h = hands();
  act(() => h.now().move("mix_percent", 33));
  h.again({ selected: "echo" });
  expect(h.edits).toEqual([{ do: "set", node: "hall", values: { mix_percent: 33 } }]);
  expect(h.now().before).toEqual({});
});

test("what cannot be is taken back and never sent; without a connection it is sent all the same", () => {
  const h = hands();
  act(() => h.now().move("mix_percent", 33));
  h.again({ refused: "Mix: less than or equal to 100." });
  rest();
  expect(h.edits).toEqual([]);
  expect(h.now().values.mix_percent).toBe(27);
  const away = hands();
  act(() => away.now().move("mix_percent", 33));
  rest();
  expect(away.edits).toHaveLength(1);
});

test("one word says what is set: a part, a strip, or what stands at a siding", () => {
  expect(actionOf("hall", { a: 1 })).toEqual({ do: "set", node: "hall", values: { a: 1 } });
  expect(actionOf("hall.0", { a: 1 })).toEqual({
    do: "set_strip",
    rail: "hall.0",
    values: { a: 1 },
  });
  expect(actionOf("frame1@3", { a: 1 })).toMatchObject({
    do: "arrange",
    frame: "frame1",
    place: 3,
  });
});

test("what is ridden is shown while the hand is on it, and nothing is set", () => {
  const edits: RigAction[] = [];
  const looked: (RigAction | null)[] = [];
  const ridden: unknown[] = [];
  const trying: Trying = { trial: null, refused: "", look: (a) => looked.push(a) };
  const hook = renderHook(() =>
    useMoving(
      variantAt(1, 27),
      "hall",
      { mix_percent: 27, rt60_s: 2 },
      (a) => edits.push(a),
      trying,
      (part, field, value) => field === "mix_percent" && ridden.push([part, field, value]) > 0,
    ),
  );
  act(() => hook.result.current.move("mix_percent", 40));
  act(() => hook.result.current.set("mix_percent", 45));
  expect(ridden).toEqual([
    ["hall", "mix_percent", 40],
    ["hall", "mix_percent", 45],
  ]);
  expect(hook.result.current.values.mix_percent).toBe(45);
  // It rests where it did: there is nothing to put back.
  expect(hook.result.current.before).toEqual({});
  act(() => vi.advanceTimersByTime(2000));
  expect(hook.result.current.values.mix_percent).toBe(27);
  expect(looked.at(-1)).toBeNull();
  act(() => hook.result.current.move("rt60_s", 3));
  rest();
  expect(edits).toEqual([{ do: "set", node: "hall", values: { rt60_s: 3 } }]);
});
