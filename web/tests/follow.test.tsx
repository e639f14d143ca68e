// @vitest-environment jsdom
/** Renders that are asked for and followed: heard before they are measured, let go, refused. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { Render } from "../src/playing/useRenders";
import { json, serve } from "./server";

const RIG = {
  id: "r",
  name: "R",
  variants: [{ id: "v", letter: "A", name: "R", revision: 1, differs: [] }],
};
const WANTED = { clip: "c", output: "o", start_s: 0, length_s: null, place: "" };
const base = {
  rig: "r",
  variant: "v",
  letter: "A",
  clip: "c",
  capture: null,
  bare: false,
  tail: true,
  output: "o",
  place: "",
  start_s: 0,
  length_s: null,
  progress: 0,
  stage: "",
  problem: "",
  older: false,
  audible: false,
  report: null,
};
let renders: Render[];
let asked: string[];
let states: Partial<Render>[];
let late = 0;

/** Each look at a render is the next of its states; the list has it as it was looked at last. */
serve(async (request) => {
  const path = new URL(request.url).pathname.replace("/api/v1", "");
  asked.push(`${request.method} ${path}`);
  if (request.method === "POST") {
    const body = (await request.json()) as Partial<Render>;
    if (body.output === "nowhere")
      return json({ detail: "The rig has no such output.", status: 422 }, 422);
    renders = [{ ...base, id: "new", status: "queued" } as Render, ...renders];
    return json(renders[0]);
  }
  if (path === "/rigs/r/renders") {
    const then = renders;
    if (late) await new Promise((done) => setTimeout(done, late));
    return json(then);
  }
  const next = states.shift();
  if (next?.problem === "broken line") throw new TypeError("Failed to fetch");
  if (next) renders = renders.map((r) => (r.id === "new" ? { ...r, ...next } : r));
  return json(renders.find((r) => r.id === "new"));
});

const { useRenders } = await import("../src/playing/useRenders");

function hook(wanted = WANTED) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  return renderHook(() => useRenders(RIG, wanted, 1), { wrapper });
}
const REPORT = { stems: [] } as unknown as Render["report"];

beforeEach(() => {
  renders = [
    { ...base, id: "old", status: "done", audible: true, report: REPORT, older: true } as Render,
  ];
  asked = [];
  states = [];
});
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

test("the old sound stays until the new one can be heard, and that is before it is measured", async () => {
  states = [
    { status: "running", progress: 0.4 },
    { status: "running", progress: 0.8, audible: true, report: REPORT },
    { status: "done", progress: 1 },
  ];
  const { result } = hook();
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("old"));
  const seen: string[] = [];
  await act(async () => {
    await result.current.begin({ variant: "v" });
  });
  await waitFor(
    () => {
      const { render, next } = result.current.rendered("v");
      const state = `${render?.id} ${render?.status} ${next?.status ?? "-"}`;
      if (seen.at(-1) !== state) seen.push(state);
      expect(render?.status === "done" && render.id === "new" && !next).toBe(true);
    },
    { timeout: 4000, interval: 5 },
  );
  expect(seen).toContain("new running running");
  expect(seen.at(-1)).toBe("new done -");
  // Nothing older is heard once the new one was.
  const first = seen.findIndex((s) => s.startsWith("new"));
  expect(seen.slice(first).every((s) => s.startsWith("new"))).toBe(true);
  // It is looked at until it is done, and not any more.
  const looks = asked.filter((a) => a === "GET /renders/new").length;
  expect(looks).toBe(3);
  await new Promise((done) => setTimeout(done, 300));
  expect(asked.filter((a) => a === "GET /renders/new").length).toBe(looks);
});

test("one that fails leaves what could be heard, and says why", async () => {
  states = [{ status: "failed", problem: "This rig grows without limit." }];
  const { result } = hook();
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("old"));
  await act(async () => {
    await result.current.begin({ variant: "v" });
  });
  await waitFor(() => expect(result.current.rendered("v").next?.status).toBe("failed"), {
    timeout: 4000,
  });
  const { render, next } = result.current.rendered("v");
  expect([render?.id, next?.problem]).toEqual(["old", "This rig grows without limit."]);
});

test("a line that is broken for a moment is not the end of it", async () => {
  states = [
    { problem: "broken line" },
    { problem: "broken line" },
    { status: "done", progress: 1, audible: true, report: REPORT },
  ];
  const { result } = hook();
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("old"));
  await act(async () => {
    await result.current.begin({ variant: "v" });
  });
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("new"), {
    timeout: 4000,
  });
  expect(result.current.open).toBe(false);
});

test("a list that lags behind what was told does not begin it all again", async () => {
  renders = [{ ...base, id: "new", status: "running", progress: 0.5 } as Render, ...renders];
  states = [{ status: "done", progress: 1, audible: true, report: REPORT }];
  // Lists come late, and what comes is what was true when they were asked for.
  late = 250;
  const { result } = hook();
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("new"), {
    timeout: 4000,
  });
  await new Promise((done) => setTimeout(done, 1500));
  late = 0;
  expect(asked.filter((a) => a === "GET /renders/new").length).toBeLessThanOrEqual(2);
  expect(asked.filter((a) => a === "GET /rigs/r/renders").length).toBeLessThanOrEqual(4);
  expect(result.current.open).toBe(false);
});

test("what is refused is thrown with its sentence, and nothing is followed", async () => {
  const { result } = hook({ ...WANTED, output: "nowhere" });
  await waitFor(() => expect(asked).toContain("GET /rigs/r/renders"));
  await expect(result.current.begin({ variant: "v" })).rejects.toThrow();
  expect(asked.some((a) => a.startsWith("GET /renders/"))).toBe(false);
});

test("renders of another stretch, output or place are not taken for this one", async () => {
  renders = [
    { ...renders[0]!, id: "later", start_s: 4 },
    { ...renders[0]!, id: "there", output: "p" },
    { ...renders[0]!, id: "other", place: "m2" },
    { ...renders[0]!, id: "bare", bare: true },
    { ...renders[0]!, id: "capture", capture: "x" },
    { ...renders[0]!, id: "mine", place: "m1" },
  ];
  const { result } = hook({ ...WANTED, place: "m1" });
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("mine"));
  expect(result.current.bare.render?.id).toBe("bare");
  expect(result.current.captured("v").render?.id).toBe("capture");
  expect(result.current.open).toBe(false);
});

test("another place is wanted: what was rendered is heard until it is there for it", async () => {
  renders = [
    { ...renders[0]!, id: "at m", place: "m", older: false },
    { ...renders[0]!, id: "clip", bare: true, place: "", older: false },
  ];
  const { result } = hook({ ...WANTED, place: "m+n" });
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("at m"));
  expect(result.current.bare.render?.id).toBe("clip");
  states = [{ status: "done", progress: 1, audible: true, report: REPORT, place: "m+n" }];
  await act(async () => {
    await result.current.begin({ variant: "v" });
  });
  await waitFor(() => expect(result.current.rendered("v").render?.id).toBe("new"));
});
