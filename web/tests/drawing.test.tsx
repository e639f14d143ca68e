// @vitest-environment jsdom
/** How a course is drawn, and where the focus is after each change. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, fireEvent, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { Variant } from "../src/api/client";
import { json, serve } from "./server";

let asked: string[];
serve(async (request) => {
  const url = new URL(request.url);
  asked.push(url.pathname.replace("/api/v1", "") + url.search);
  return json({ reading: ["hall"] });
});
vi.stubGlobal("requestAnimationFrame", (run: () => void) => setTimeout(run, 0));
vi.stubGlobal("cancelAnimationFrame", (id: number) => clearTimeout(id));
vi.stubGlobal("CSS", { escape: (text: string) => text });
const { useDrawing } = await import("../src/steps/route/useDrawing");
const { useHeldFocus } = await import("../src/steps/route/useHeldFocus");

const VARIANT = { id: "v", revision: 3, view: { layout: { nodes: [{ id: "hall", shown: "Hall" }] } } } as unknown as Variant; // prettier-ignore
const client = new QueryClient();
const wrapper = ({ children }: { children: ReactNode }) => (
  <QueryClientProvider client={client}>{children}</QueryClientProvider>
);
const drawing = (selected: string) =>
  renderHook((at: string) => useDrawing(VARIANT, at), { initialProps: selected, wrapper });

beforeEach(() => {
  asked = [];
  client.clear();
  document.body.innerHTML = "";
});
afterEach(cleanup);

test("what is folded is opened by the same press, and it is said how much is folded", () => {
  const { result, rerender } = drawing("hall");
  act(() => result.current.fold());
  rerender("echo");
  act(() => result.current.fold());
  expect([result.current.foldedBy, result.current.openedBy]).toEqual([["hall", "echo"], []]);
  expect(result.current.said(VARIANT)).toBe("2 folded.");
  act(() => result.current.fold());
  expect([result.current.foldedBy, result.current.openedBy]).toEqual([["hall"], ["echo"]]);
  // Opened by hand it can be folded again.
  act(() => result.current.fold());
  expect([result.current.foldedBy, result.current.openedBy]).toEqual([["hall", "echo"], []]);
  rerender("");
  act(() => result.current.fold());
  expect(result.current.foldedBy).toEqual(["hall", "echo"]);
  act(() => result.current.drawAll());
  expect([result.current.foldedBy, result.current.said(VARIANT)]).toEqual([[], ""]);
});

test("what belongs to one part is asked for when it is wanted, and left by the same press", async () => {
  const { result } = drawing("hall");
  expect([asked, result.current.alone]).toEqual([[], undefined]);
  act(() => result.current.focusHere());
  await waitFor(() => expect(result.current.alone).toEqual({ reading: ["hall"] }));
  expect(asked).toEqual(["/variants/v/layout?focus=hall"]);
  expect(result.current.said(VARIANT)).toBe("Only what belongs to Hall is drawn.");
  act(() => result.current.focusHere());
  expect([result.current.alone, result.current.said(VARIANT)]).toEqual([undefined, ""]);
});

test("nothing is focused where nothing is selected", () => {
  const { result } = drawing("");
  act(() => result.current.focusHere());
  expect([asked, result.current.said(VARIANT)]).toEqual([[], ""]);
});

test("it is drawn closer or wider from what is shown, and by itself again", () => {
  const { result } = drawing("");
  document.body.innerHTML = "<div data-closeness='close'></div>";
  act(() => result.current.zoom("apart"));
  const apart = result.current.atLeast;
  expect(apart).not.toBeNull();
  act(() => result.current.zoom("together"));
  expect(result.current.atLeast).not.toBe(apart);
  act(() => result.current.zoom("all"));
  expect(result.current.atLeast).toBeNull();
});

const marks = () => {
  document.body.innerHTML =
    "<button data-stage='echo' tabindex='0'></button><button data-stage='hall' tabindex='-1'></button><input>";
};
const settled = () => act(() => new Promise<void>((done) => setTimeout(done, 20)));
const held = (selected = "hall", wanted = true) =>
  renderHook(({ turn }: { turn: string }) => useHeldFocus(turn, selected, wanted), {
    initialProps: { turn: "1" },
  });
const at = () => document.activeElement?.getAttribute("data-stage") ?? document.activeElement?.tagName; // prettier-ignore

test("a focus that was lost goes to what is selected", async () => {
  marks();
  const { rerender } = held();
  await settled();
  expect(at()).toBe("hall");
  (document.activeElement as HTMLElement).blur();
  rerender({ turn: "2" });
  await settled();
  expect(at()).toBe("hall");
});

test("where nothing is selected it goes to the first mark, but not for a pointer", async () => {
  marks();
  fireEvent.keyDown(document.body, { key: "a" });
  const { rerender } = held("");
  await settled();
  expect(at()).toBe("echo");
  (document.activeElement as HTMLElement).blur();
  fireEvent.pointerDown(document.body);
  rerender({ turn: "2" });
  await settled();
  expect(at()).toBe("BODY");
});

test("who types, who reads a dialog and who does not want it keep theirs", async () => {
  marks();
  document.querySelector("input")!.focus();
  held();
  await settled();
  expect(at()).toBe("INPUT");
  cleanup();
  marks();
  document.body.insertAdjacentHTML("beforeend", "<dialog open></dialog>");
  held();
  await settled();
  expect(at()).toBe("BODY");
  cleanup();
  marks();
  held("hall", false);
  await settled();
  expect(at()).toBe("BODY");
});
