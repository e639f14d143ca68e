// @vitest-environment jsdom
/** Edits of a variant as the steps send them: what is said of each, undone ones, a store that is spoilt or full. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { RigAction, Variant } from "../src/api/client";
import { json, serve } from "./server";

const said: { words: string; kind?: string }[] = [];
vi.mock("../src/ui/controls", () => ({
  announce: (words: string, more: { kind?: string } = {}) => void said.push({ words, ...more }),
}));

const server = {
  refuse: null as null | { status: number; detail: string },
  asked: [] as { path: string; body: { id?: string; base_revision?: number } | null }[],
  revision: 4,
};
serve(async (request) => {
  const path = new URL(request.url).pathname;
  const text = await request.text();
  server.asked.push({ path, body: text ? (JSON.parse(text) as never) : null });
  if (server.refuse) {
    const { status, detail } = server.refuse;
    return json({ type: "x", title: "x", status, detail }, status);
  }
  server.revision += 1;
  const [, , , , id, way] = path.split("/");
  return json({ id, revision: server.revision, said: way === "edits" ? "Mixed" : `Done: ${way}` });
});

const { giveWay, isPassing, outbox, pauseOf, sendEdit, taken, useOutbox, useTurn } =
  await import("../src/rigs/edits");
const { Refused } = await import("../src/api/client");

const action = { do: "set", node: "hall", values: { mix_percent: 30 } } as unknown as RigAction;
let client: QueryClient;
const wrapper = ({ children }: { children: ReactNode }) => (
  <QueryClientProvider client={client}>{children}</QueryClientProvider>
);

beforeEach(() => {
  localStorage.clear();
  said.length = 0;
  Object.assign(server, { refuse: null, asked: [], revision: 4 });
  client = new QueryClient();
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

test("an edit goes out on the revision that is shown, is said, and what is shown follows", async () => {
  const chosen: Variant[] = [];
  renderHook(() => useOutbox((variant) => void chosen.push(variant)), { wrapper });
  client.setQueryData(["variant", "a", 1], { id: "a", revision: 4 });
  outbox.known("a", 4);
  act(() => sendEdit("a", action));
  await waitFor(() => expect(chosen).toHaveLength(1));
  expect(server.asked[0]).toMatchObject({
    path: "/api/v1/variants/a/edits",
    body: { base_revision: 4, action },
  });
  expect(said).toEqual([{ words: "Mixed." }]);
  expect(client.getQueryData(["variant", "a", 1])).toMatchObject({ revision: 5 });
});

test("where a step has better words, those are said, once", async () => {
  renderHook(() => useOutbox(() => undefined), { wrapper });
  act(() => sendEdit("b", action, "The hall is at 30 %."));
  await waitFor(() => expect(said).toHaveLength(1));
  act(() => sendEdit("b", action));
  await waitFor(() => expect(said).toHaveLength(2));
  expect(said.map((one) => one.words)).toEqual(["The hall is at 30 %.", "Mixed."]);
});

test("a refusal is said as a fault, and what is shown is asked for again", async () => {
  renderHook(() => useOutbox(() => undefined), { wrapper });
  client.setQueryData(["variant", "c"], { id: "c", revision: 4 });
  server.refuse = { status: 422, detail: "There is no such stage." };
  act(() => sendEdit("c", action));
  await waitFor(() => expect(said).toEqual([{ words: "There is no such stage.", kind: "fault" }]));
  expect(client.getQueryState(["variant", "c"])!.isInvalidated).toBe(true);
  expect(localStorage.length).toBe(0);
});

test("what the store kept and cannot be read is told of when the song is opened", async () => {
  localStorage.setItem("fonodrome.rig-edits.d.x", "half of");
  localStorage.setItem("fonodrome.rig-edits.d.y", '{"id":1}');
  renderHook(() => useOutbox(() => undefined), { wrapper });
  await waitFor(() => expect(said).toHaveLength(1));
  expect(said[0]!.words).toMatch(/^2 edits that this browser kept cannot be read any more/);
  expect(said[0]!.kind).toBe("fault");
});

test("a store that is full is told of, and the edit is sent", async () => {
  renderHook(() => useOutbox(() => undefined), { wrapper });
  vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  act(() => sendEdit("e", action));
  await waitFor(() => expect(server.asked).toHaveLength(1));
  expect(said[0]).toMatchObject({ kind: "fault" });
  expect(said[0]!.words).toMatch(/^This browser keeps nothing more/);
  await waitFor(() => expect(said.at(-1)!.words).toBe("Mixed."));
});

test("steps back, forward and to a number ask for just that", async () => {
  const { result } = renderHook(() => useTurn("f"), { wrapper });
  await act(() => result.current("undo"));
  await act(() => result.current("redo"));
  await act(() => result.current(7));
  expect(server.asked.map((one) => one.path)).toEqual([
    "/api/v1/variants/f/undo",
    "/api/v1/variants/f/redo",
    "/api/v1/variants/f/history/7",
  ]);
  server.refuse = { status: 409, detail: "There is nothing to undo." };
  await act(() => result.current("undo"));
  expect(said.at(-1)).toEqual({ words: "There is nothing to undo.", kind: "fault" });
});

test("what nobody waits for is asked for a moment later, and later still while it plays", () => {
  vi.useFakeTimers();
  const again: string[] = [];
  vi.spyOn(client, "invalidateQueries").mockImplementation(async (what) => {
    again.push(String((what as { queryKey: string[] }).queryKey[0]));
  });
  giveWay(false);
  taken(client, { id: "g", revision: 2 } as Variant);
  expect(again).toContain("tail");
  expect(again).not.toContain("history");
  vi.advanceTimersByTime(pauseOf(false));
  expect(again).toContain("history");
  again.length = 0;
  giveWay(true);
  taken(client, { id: "g", revision: 3 } as Variant);
  vi.advanceTimersByTime(pauseOf(false));
  expect(again).not.toContain("renders");
  vi.advanceTimersByTime(pauseOf(true));
  expect(again).toContain("renders");
  vi.useRealTimers();
});

test("no line and a server that is busy pass by themselves; a refusal does not", () => {
  const fault = (status: number) =>
    new Refused({ type: "x", title: "x", status, detail: "x" } as never);
  for (const status of [500, 502, 503, 507]) expect(isPassing(fault(status))).toBe(true);
  for (const status of [400, 404, 409, 413, 422, 429]) expect(isPassing(fault(status))).toBe(false);
  expect(isPassing(new Error("x"))).toBe(false);
});
