// @vitest-environment jsdom
/** A search for settings: followed to its end, stopped, asked anew, across a broken line. */
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test } from "vitest";

import type { WishSearch } from "../src/wishes/wishes";
import { json, serve } from "./server";

const base = { id: "s", sort: "proposals", status: "queued", progress: 0, stage: "", problem: "", best: null, proposals: null, trade: null }; // prettier-ignore
type State = Partial<WishSearch> & { broken?: boolean };
let states: State[];
let asked: string[];
let now: WishSearch;

serve(async (request) => {
  const path = new URL(request.url).pathname.replace("/api/v1", "");
  asked.push(`${request.method} ${path}`);
  if (request.method === "POST") {
    if (path.endsWith("/cancel")) states = [{ status: "done", progress: 1 }];
    return json(now);
  }
  const next = states.shift();
  if (next?.broken) throw new TypeError("Failed to fetch");
  if (next) now = { ...now, ...next };
  await new Promise((done) => setTimeout(done, 5));
  return json(now);
});

const { api, ask } = await import("../src/api/client");
const { useSearch } = await import("../src/wishes/useSearch");

const send = () =>
  ask(api.POST("/api/v1/variants/{variant_id}/proposals", { params: { path: { variant_id: "v" } }, body: { clip: null, free: null } })); // prettier-ignore
const looks = () => asked.filter((a) => a === "GET /searches/s").length;

beforeEach(() => {
  states = [];
  asked = [];
  now = base as unknown as WishSearch;
});
afterEach(cleanup);

test("it is looked at until it is done, a broken line in between or not, and no more after that", async () => {
  states = [
    { status: "running", progress: 0.3 },
    { broken: true },
    { status: "done", progress: 1 },
  ];
  const { result } = renderHook(() => useSearch("v 1"));
  expect(result.current.looking).toBe(false);
  act(() => void result.current.begin("v 1", send));
  await waitFor(() => expect(result.current.search?.progress).toBe(0.3));
  expect(result.current.looking).toBe(true);
  await waitFor(() => expect(result.current.looking).toBe(false), { timeout: 3000 });
  expect(result.current.search?.status).toBe("done");
  expect(looks()).toBe(3);
  await new Promise((done) => setTimeout(done, 150));
  expect(looks()).toBe(3);
});

test("of another rig or clip it is no answer", async () => {
  states = [{ status: "done" }];
  const { result, rerender } = renderHook(({ about }) => useSearch(about), { initialProps: { about: "v 1" } }); // prettier-ignore
  act(() => void result.current.begin("v 1", send));
  await waitFor(() => expect(result.current.search?.status).toBe("done"));
  rerender({ about: "v 2" });
  expect(result.current.search).toBeNull();
  expect(result.current.looking).toBe(false);
  rerender({ about: "v 1" });
  expect(result.current.search?.status).toBe("done");
});

test("stopping asks the server, and what it had is kept", async () => {
  const { result } = renderHook(() => useSearch("v"));
  act(() => void result.current.begin("v", send));
  await waitFor(() => expect(result.current.search).not.toBeNull());
  act(() => result.current.stop());
  await waitFor(() => expect(result.current.search?.status).toBe("done"));
  expect(asked).toContain("POST /searches/s/cancel");
});

test("one that fails says why; one that cannot be asked as well", async () => {
  states = [{ status: "failed", problem: "The disk is full." }];
  const { result } = renderHook(() => useSearch("v"));
  act(() => void result.current.begin("v", send));
  await waitFor(() => expect(result.current.problem).toBe("The disk is full."));
  expect(result.current.looking).toBe(false);
  act(() => void result.current.begin("v", () => Promise.reject(new Error("No line."))));
  await waitFor(() => expect(result.current.problem).not.toBe("The disk is full."));
  expect(result.current.search).toBeNull();
});

test("once the page is left nothing is followed", async () => {
  states = Array.from({ length: 400 }, () => ({ status: "running" as const }));
  const { result, unmount } = renderHook(() => useSearch("v"));
  act(() => void result.current.begin("v", send));
  await waitFor(() => expect(looks()).toBeGreaterThan(0));
  unmount();
  await new Promise((done) => setTimeout(done, 120));
  const then = looks();
  await new Promise((done) => setTimeout(done, 200));
  expect(looks()).toBe(then);
});
