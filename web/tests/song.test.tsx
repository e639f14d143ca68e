// @vitest-environment jsdom
/** A song's unsent edits: no line, another tab, refusals, a store that cannot be read. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, expect, test } from "vitest";

import { json, serve } from "./server";

const server = {
  song: { id: "s", title: "Old", revision: 1 } as Record<string, unknown>,
  down: false,
  refuse: null as null | { status: number; body: object },
  /** The next edit is stored, and its answer is lost. */
  loses: false,
  patches: [] as { base_revision: number; changes: Record<string, unknown> }[],
};

serve(async (request) => {
  if (server.down) throw new TypeError("Failed to fetch");
  if (request.method === "GET") return json(server.song);
  if (server.refuse) {
    const { status, body } = server.refuse;
    return json({ ...body, status, type: "refused" }, status);
  }
  const body = (await request.json()) as (typeof server.patches)[number];
  server.patches.push(body);
  // As the server does: what was changed since, to something else, is not overwritten.
  const clashes = Object.entries(body.changes)
    .filter(
      ([f, v]) => body.base_revision < (server.song.revision as number) && server.song[f] !== v,
    )
    .filter(([f]) => server.song[`${f} at`] !== undefined)
    .map(([field, yours]) => ({ field, theirs: server.song[field], yours }));
  if (clashes.length) {
    const problem = { detail: "Changed.", clashes, revision: server.song.revision };
    return json({ ...problem, status: 409, type: "changed-elsewhere" }, 409);
  }
  for (const field of Object.keys(body.changes)) server.song[`${field} at`] = server.song.revision;
  server.song = { ...server.song, ...body.changes, revision: (server.song.revision as number) + 1 };
  if (server.loses) {
    server.loses = false;
    throw new TypeError("Failed to fetch");
  }
  return json(server.song);
});

const { useSong } = await import("../src/song/useSong");

function open() {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  return renderHook(() => useSong("s"), { wrapper });
}

beforeEach(() => {
  localStorage.clear();
  Object.assign(server, {
    song: { id: "s", title: "Old", revision: 1 },
    down: false,
    refuse: null,
    loses: false,
    patches: [],
  });
});
afterEach(cleanup);

const opened = async () => {
  const view = open();
  await waitFor(() => expect(view.result.current.song).toBeDefined());
  return view;
};

test("an edit shows at once, and several in a row go out as one", async () => {
  const { result } = await opened();
  act(() => result.current.edit({ title: "New" } as never));
  act(() => result.current.edit({ key: "D" } as never));
  expect(result.current.song).toMatchObject({ title: "New", key: "D" });
  await waitFor(() => expect(result.current.saved.state).toBe("saved"), { timeout: 3000 });
  expect(server.patches).toEqual([{ base_revision: 1, changes: { title: "New", key: "D" } }]);
  expect(localStorage.length).toBe(0);
});

test("without a line edits stay, are counted, outlive a reload and go out when it is back", async () => {
  const first = await opened();
  server.down = true;
  act(() => first.result.current.edit({ title: "Kept" } as never));
  await waitFor(
    () => expect(first.result.current.saved).toEqual({ state: "offline", waiting: 1 }),
    {
      timeout: 3000,
    },
  );
  first.unmount();
  server.down = false;
  const again = await opened();
  await waitFor(() => expect(server.patches).toHaveLength(1), { timeout: 3000 });
  expect(again.result.current.song).toMatchObject({ title: "Kept" });
});

test("another tab's edit is not overwritten unseen; mine goes out when I say so", async () => {
  const { result } = await opened();
  const clash = { field: "title", theirs: "Theirs", yours: "Mine" };
  server.refuse = { status: 409, body: { detail: "Changed.", clashes: [clash], revision: 7 } };
  act(() => result.current.edit({ title: "Mine" } as never));
  await waitFor(() => expect(result.current.saved.state).toBe("clash"), { timeout: 3000 });
  expect(result.current.song).toMatchObject({ title: "Mine" });
  server.refuse = null;
  act(() => result.current.settle(true));
  await waitFor(() => expect(server.patches).toHaveLength(1), { timeout: 3000 });
  expect(server.patches[0]).toEqual({ base_revision: 7, changes: { title: "Mine" } });
});

test("the other tab's value can be taken; what did not clash still goes out", async () => {
  const { result } = await opened();
  const clash = { field: "title", theirs: "Theirs", yours: "Mine" };
  server.refuse = { status: 409, body: { detail: "Changed.", clashes: [clash], revision: 7 } };
  act(() => result.current.edit({ title: "Mine", key: "D" } as never));
  await waitFor(() => expect(result.current.saved.state).toBe("clash"), { timeout: 3000 });
  server.refuse = null;
  act(() => result.current.settle(false));
  await waitFor(() => expect(server.patches).toHaveLength(1), { timeout: 3000 });
  expect(server.patches[0]!.changes).toEqual({ key: "D" });
});

test("a refusal keeps what was typed until it is given up", async () => {
  const { result } = await opened();
  server.refuse = { status: 422, body: { detail: "Too long." } };
  act(() => result.current.edit({ title: "x".repeat(10_000) } as never));
  await waitFor(
    () => expect(result.current.saved).toEqual({ state: "refused", sentence: "Too long." }),
    {
      timeout: 3000,
    },
  );
  expect(localStorage.length).toBe(1);
  act(() => result.current.giveUp());
  await waitFor(() => expect(result.current.song).toMatchObject({ title: "Old" }));
  expect(localStorage.length).toBe(0);
});

test("an answer that was lost, and another edit after it: nobody else changed it", async () => {
  const { result } = await opened();
  server.loses = true;
  act(() => result.current.edit({ title: "First" } as never));
  await waitFor(() => expect(result.current.saved.state).toBe("offline"), { timeout: 3000 });
  expect(server.song.title).toBe("First");
  act(() => result.current.edit({ title: "Second" } as never));
  await waitFor(() => expect(server.song.title).toBe("Second"), { timeout: 5000 });
  await waitFor(() => expect(result.current.saved.state).toBe("saved"));
  expect(localStorage.length).toBe(0);
});

test("an answer that was lost, and somebody else's edit after it: that asks", async () => {
  const { result } = await opened();
  server.loses = true;
  act(() => result.current.edit({ title: "First" } as never));
  await waitFor(() => expect(result.current.saved.state).toBe("offline"), { timeout: 3000 });
  server.song = { ...server.song, title: "Theirs", revision: 9 };
  act(() => result.current.edit({ title: "Second" } as never));
  await waitFor(() => expect(result.current.saved.state).toBe("clash"), { timeout: 5000 });
  expect(server.song.title).toBe("Theirs");
});

test("two tabs without a line, both gone: the edits of both go out", async () => {
  const at = Date.now() - 120_000;
  const left = (tab: string, changes: object, later: number) =>
    localStorage.setItem(
      `fonodrome.unsent.s.${tab}`,
      JSON.stringify({ base: 1, changes, at: at + later }),
    );
  left("one", { title: "One", key: "D" }, 0);
  left("two", { title: "Two" }, 5);
  await opened();
  await waitFor(() => expect(server.song).toMatchObject({ title: "Two", key: "D" }), {
    timeout: 3000,
  });
  await waitFor(() => expect(localStorage.length).toBe(0));
});

test("what a tab that is still open keeps is its own", async () => {
  const theirs = JSON.stringify({ base: 1, changes: { title: "Typing" }, at: Date.now() });
  localStorage.setItem("fonodrome.unsent.s.open", theirs);
  const { result } = await opened();
  act(() => result.current.edit({ key: "D" } as never));
  await waitFor(() => expect(server.song.key).toBe("D"), { timeout: 3000 });
  expect(server.song.title).toBe("Old");
  expect(localStorage.getItem("fonodrome.unsent.s.open")).toBe(theirs);
});

test("what stands in the store and cannot be read opens the song as the server has it", async () => {
  for (const text of ["{", "7", "null", '{"base":1}']) {
    localStorage.setItem("fonodrome.unsent.s", text);
    const { result, unmount } = await opened();
    expect(result.current.song).toMatchObject({ title: "Old" });
    // What was there is set aside, not thrown away.
    await waitFor(() => expect(localStorage.getItem("fonodrome.set-aside.unsent.s")).toBe(text));
    expect(localStorage.getItem("fonodrome.unsent.s")).toBeNull();
    unmount();
  }
});
