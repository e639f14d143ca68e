// @vitest-environment jsdom
/** What a scene does stands under that scene, as soon as it is worked out, and nothing of another one. */
import { ChakraProvider } from "@chakra-ui/react";
import { cleanup, fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, test, vi } from "vitest";

import type { Variant } from "../src/api/client";
import { json, serve } from "./server";

let asked: string[];
let answer: (found: unknown) => void;
serve(
  (request) =>
    new Promise((done) => {
      asked.push(new URL(request.url).pathname);
      answer = (found) => done(json(found));
    }),
);
vi.mock("../src/song/context", () => ({ useSongContext: () => ({ song: { revision: 3 } }) }));
vi.mock("../src/rigs/kinds", () => ({
  useKinds: () => ({
    data: [{ kind: "reverb", parameters: [
      { field: "output_db", label: "level", unit: "dB" }, { field: "rt60_s", label: "RT60", unit: "s" },
      { field: "locked", label: "locked", unit: "" }, { field: "ratio", label: "ratio", unit: "ratio" },
    ] }],
  }),
})); // prettier-ignore
const { standIn } = await import("./dom");
standIn();
const { system } = await import("../src/ui/theme");
const { Scenes } = await import("../src/steps/route/Scenes");

const step = (name: string, level_change_db: number | null, arrivals: string[] = []) =>
  ({ name, program: null, loops: [], level_change_db, said: [], arrivals }); // prettier-ignore
const variant = (names: string[], revision = 1) =>
  ({
    id: "v", revision, view: { layout: { nodes: [], reading: ["hall"] } },
    document: { nodes: { hall: { id: "hall", kind: "reverb", bypassed: false } }, scenes: names.map((name) => ({ name, on: [], off: [], values: {} })) },
  }) as unknown as Variant; // prettier-ignore

const client = new QueryClient();
const onEdit = vi.fn();
const sheet = (of: Variant) => (
  <ChakraProvider value={system}>
    <QueryClientProvider client={client}>
      <Scenes variant={of} onEdit={onEdit} />
    </QueryClientProvider>
  </ChakraProvider>
);
const row = (name: string) =>
  within(screen.getByText(name).closest("tr")!)
    .getAllByRole("cell")
    .slice(1)
    .map((cell) => cell.textContent);

beforeEach(() => {
  asked = [];
  client.clear();
});
afterEach(cleanup);

test("levels and arrivals come when they are worked out, each under its own scene", async () => {
  render(sheet(variant(["Verse", "Out", "End"])));
  expect(row("Level at the first output")).toEqual(["…", "…", "…"]);
  await waitFor(() => expect(asked).toEqual(["/api/v1/variants/v/scenes"]));
  answer([step("Verse", 3.26, ["Reverb goes"]), step("Out", null), step("End", -1.04)]);
  await screen.findByText("Reverb goes");
  expect(row("Level at the first output")).toEqual(["+3.3 dB, jumps", "silent", "−1.0 dB"]);
  expect(row("Arrivals")).toEqual(["Reverb goes", "as they stand", "as they stand"]);
});

test("on a phone each cell stands behind its scene's name, and the name can be set where it is seen", () => {
  render(sheet(variant(["Verse", "Out"])));
  const behind = (words: string) =>
    within(screen.getByText(words).closest("tr")!)
      .getAllByRole("cell")
      .map((cell) => cell.dataset.label);
  for (const words of ["Level at the first output", "Arrivals", "Program change"])
    expect(behind(words)).toEqual([undefined, "Verse", "Out"]);
  // The head of a table is only read out there.
  const field = screen.getByLabelText("Name of scene 2");
  expect(field.closest("thead")).toBeNull();
  fireEvent.change(field, { target: { value: "Coda" } });
  fireEvent.blur(field);
  expect(onEdit.mock.lastCall![0].scenes.map((s: { name: string }) => s.name)).toEqual([
    "Verse",
    "Coda",
  ]);
});

test("of a scene that has another name by now nothing is said until it is worked out anew", async () => {
  const view = render(sheet(variant(["Verse", "Out"])));
  await waitFor(() => expect(asked).toHaveLength(1));
  answer([step("Verse", 1), step("Out", 2)]);
  await screen.findByText("+2.0 dB");
  view.rerender(sheet(variant(["Verse", "Coda"], 2)));
  await waitFor(() => expect(asked).toHaveLength(2));
  expect(row("Level at the first output")).toEqual(["+1.0 dB", "…"]);
  answer([step("Verse", 1), step("Coda", -6)]);
  await screen.findByText("−6.0 dB, jumps");
});

test("a rig without scenes asks for nothing, and the first one is added by a press", async () => {
  render(sheet(variant([])));
  screen.getByText(/No scenes yet/);
  fireEvent.click(screen.getByRole("button", { name: "Add a scene" }));
  await new Promise((done) => setTimeout(done, 50));
  expect(asked).toEqual([]);
  expect(onEdit.mock.lastCall![0].scenes).toEqual([
    { name: "Scene 1", program: 0, on: [], off: [], values: {} },
  ]);
});

test("a setting that differs is called as on its panel, with its unit, and taken out by its name", () => {
  const of = variant(["Verse"]);
  const values = { hall: { output_db: -20, rt60_s: 2.75, locked: true, ratio: 4 } };
  of.document.scenes = [{ ...of.document.scenes![0]!, values }];
  render(sheet(of));
  const said = row("Settings that differ")[0]!;
  for (const words of [
    "hall: level −20 dB",
    "hall: RT60 2.75 s",
    "hall: locked on",
    "hall: ratio 4:1",
  ])
    expect(said).toContain(words);
  fireEvent.click(screen.getByRole("button", { name: /level of hall of Verse/ }));
  expect(onEdit.mock.lastCall![0].scenes[0].values).toEqual({
    hall: { rt60_s: 2.75, locked: true, ratio: 4 },
  });
});
