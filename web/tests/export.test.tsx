// @vitest-environment jsdom
/** A render as a file: followed to its end, kept once, stopped, refused in a sentence, of another form anew. */
import { act, cleanup, fireEvent, renderHook, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import { json, serve } from "./server";

type State = { status: string; progress?: number; problem?: string; broken?: boolean };
let states: State[];
let asked: { call: string; body: unknown }[];
let now: Record<string, unknown>;
let refusal: Response | null;

serve(async (request) => {
  const path = new URL(request.url).pathname.replace("/api/v1", "");
  const body = request.method === "POST" && !path.endsWith("/cancel") ? await request.json() : null;
  asked.push({ call: `${request.method} ${path}`, body });
  if (refusal) return refusal;
  if (path.endsWith("/cancel")) states = [{ status: "cancelled" }];
  const next = request.method === "GET" ? states.shift() : undefined;
  if (next?.broken) throw new TypeError("Failed to fetch");
  if (next) now = { ...now, ...next };
  return json(now);
});
const { useExport } = await import("../src/steps/listen/useExport");
const { Export } = await import("../src/steps/listen/Export");
const { show, standIn } = await import("./dom");
standIn();

const WAV = { form: "wav", word: "24", stems: false } as const;
const made = { id: "e", render: "r", ...WAV, progress: 0, stage: "", problem: "", size_bytes: null, down_db: null, name: "x.wav", status: "queued" }; // prettier-ignore
const calls = () => asked.map((a) => a.call);
beforeEach(() => {
  states = [];
  asked = [];
  now = made;
  refusal = null;
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

test("it is followed over a broken line, and the file kept once when it is there", async () => {
  states = [{ status: "running", progress: 0.4 }, { status: "", broken: true }, { status: "done", progress: 1 }]; // prettier-ignore
  const keep = vi.fn();
  const { result } = renderHook(() => useExport("r", keep));
  expect(result.current.making).toBe(false);
  act(() => result.current.make(WAV));
  await waitFor(() => expect(result.current.file?.progress).toBe(0.4));
  expect([result.current.making, keep.mock.calls.length]).toEqual([true, 0]);
  await waitFor(() => expect(result.current.making).toBe(false), { timeout: 3000 });
  await new Promise((done) => setTimeout(done, 150));
  expect(keep.mock.calls).toEqual([["/api/v1/exports/e/file"]]);
  expect(asked[0]).toEqual({ call: "POST /renders/r/exports", body: WAV });
  expect(calls().filter((c) => c === "GET /exports/e")).toHaveLength(3);
});

test("what is stopped is not kept; what was left is looked at no more", async () => {
  states = Array.from({ length: 50 }, () => ({ status: "running", progress: 0.2 }));
  const keep = vi.fn();
  const { result, unmount } = renderHook(() => useExport("r", keep));
  act(() => result.current.make(WAV));
  await waitFor(() => expect(result.current.file?.status).toBe("running"));
  act(() => result.current.stop());
  await waitFor(() => expect(result.current.making).toBe(false));
  expect([result.current.file?.status, keep.mock.calls.length]).toEqual(["cancelled", 0]);
  now = made;
  states = Array.from({ length: 50 }, () => ({ status: "running" }));
  act(() => result.current.make(WAV));
  await waitFor(() => expect(result.current.file?.status).toBe("running"));
  unmount();
  const before = asked.length;
  await new Promise((done) => setTimeout(done, 200));
  expect(asked.length - before).toBeLessThanOrEqual(1);
});

test("a refusal and a failure are said in their sentences, and can be tried again", async () => {
  const { result } = renderHook(() => useExport("r", () => undefined));
  refusal = json({ detail: "FLAC holds whole numbers only.", status: 422, type: "x" }, 422);
  act(() => result.current.make({ ...WAV, form: "flac", word: "float" }));
  await waitFor(() => expect(result.current.problem).toContain("whole numbers"));
  refusal = null;
  states = [{ status: "failed", problem: "The disk is full." }];
  act(() => result.current.make(WAV));
  await waitFor(() => expect(result.current.problem).toBe("The disk is full."));
  expect(result.current.making).toBe(false);
});

test("each sound has its file, made by a press, with its size and by how much it was turned down", async () => {
  const clicked = vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(() => undefined); // prettier-ignore
  const sound = (id: string, stems: string[]) => ({
    id, render: { id, clip: "c", letter: "A", start_s: 2, bare: false, capture: null, report: { seconds: 3.25, stems } },
  }); // prettier-ignore
  const l = { song: { title: "Pier" }, rig: { name: "Two amps" }, clips: [{ id: "c", name: "take.wav" }] }; // prettier-ignore
  show(<Export l={l as never} sounds={[sound("r", []), sound("q", ["dry"])] as never} />);
  const name = "Save as a file, Pier, Two amps A, take, 2.0 to 5.3 s";
  expect(screen.getAllByRole("button", { name })).toHaveLength(2);
  now = { ...made, status: "done", size_bytes: 2_345_678, down_db: -1.2345 };
  fireEvent.click(screen.getAllByRole("button", { name })[0]!);
  await screen.findByText("2.3 MB, turned down by 1.23 dB");
  expect(clicked).toHaveBeenCalledTimes(1);
  expect(screen.getByRole("link").getAttribute("href")).toBe("/api/v1/exports/e/file");
  // Of another form nothing is made yet, and without paths there is nothing side by side.
  fireEvent.click(screen.getByRole("checkbox"));
  expect(screen.queryByRole("link")).toBeNull();
  expect(screen.getAllByRole("button", { name })).toHaveLength(1);
});
