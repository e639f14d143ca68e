// @vitest-environment jsdom
/** What an edit would make: only of the revision it was asked of, the newest thought last, refusals said. */
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";

import type { RigAction, Variant } from "../src/api/client";
import { json, serve } from "./server";

/** Answers that the server has not given yet, in the order they were asked for. */
const asked: { mix: number; seen: object; answer: (response: Response) => void }[] = [];
serve(async (request) => {
  const { action, ...seen } = (await request.json()) as {
    action: { values: { mix_percent: number } };
  };
  return new Promise<Response>((answer) =>
    asked.push({ mix: action.values.mix_percent, seen, answer }),
  );
});
const { useTrial } = await import("../src/steps/route/useTrial");
afterEach(() => {
  cleanup();
  asked.length = 0;
});

const mixTo = (mix: number) =>
  ({ do: "set", node: "hall", values: { mix_percent: mix } }) as RigAction;
const at = (revision: number, id = "v") => ({ id, revision }) as Variant;
const trying = () =>
  renderHook((variant: Variant | undefined) => useTrial(variant, 7), { initialProps: at(1) });
const answer = (which: number, response: Response) =>
  act(async () => {
    await waitFor(() => expect(asked.length).toBeGreaterThan(which));
    asked[which]!.answer(response);
    await new Promise((done) => setTimeout(done));
  });

test("one question is under way at a time, and of the thoughts in between only the last goes out", async () => {
  const hook = trying();
  act(() => [10, 20, 30].forEach((mix) => hook.result.current.look(mixTo(mix))));
  await answer(0, json({ words: "ten" }));
  expect(hook.result.current.trial).toEqual({ words: "ten" });
  await answer(1, json({ words: "thirty" }));
  expect(asked.map((a) => a.mix)).toEqual([10, 30]);
  expect(hook.result.current.trial).toEqual({ words: "thirty" });
});

test("each question says how the rig and its song stood when it was thought of, not when it goes out", async () => {
  const hook = trying();
  act(() => [10, 20].forEach((mix) => hook.result.current.look(mixTo(mix))));
  hook.rerender(at(2));
  await answer(0, json({}));
  act(() => hook.result.current.look(mixTo(30)));
  await answer(1, json({}));
  await waitFor(() =>
    expect(asked.map((a) => a.seen)).toEqual([
      { revision: 1, song_revision: 7 },
      { revision: 1, song_revision: 7 },
      { revision: 2, song_revision: 7 },
    ]),
  );
});

test.each([
  ["a newer revision", at(2)],
  ["another variant", at(1, "w")],
])("an answer that comes when %s is shown says nothing of it", async (_, next) => {
  const hook = trying();
  act(() => hook.result.current.look(mixTo(10)));
  hook.rerender(next);
  await answer(0, json({ words: "of the rig before" }));
  expect(hook.result.current.trial).toBeNull();
});

test("what was found is left when the thought is, also by an answer still under way", async () => {
  const hook = trying();
  act(() => hook.result.current.look(mixTo(10)));
  act(() => hook.result.current.look(null));
  await answer(0, json({ words: "too late" }));
  expect(hook.result.current.trial).toBeNull();
});

test("a refusal is said in its sentence; a lost connection refuses nothing", async () => {
  const hook = trying();
  act(() => hook.result.current.look(mixTo(400)));
  await answer(
    0,
    json({ detail: "mix is no more than 100 %.", status: 422, type: "refused" }, 422),
  );
  expect(hook.result.current.refused).toContain("no more than 100");
  act(() => hook.result.current.look(mixTo(50)));
  await answer(1, new Response("down", { status: 503 }));
  expect(hook.result.current.refused).toBe("");
});
