// @vitest-environment jsdom
/** What is heard of a rig that was made from a clip is that clip, at its first source. */
import { beforeEach, expect, test } from "vitest";

import { json, serve } from "./server";

let put: { path: string; body: { feed: { source: string; placements: { clip: string }[] } } }[];
let sources: { source: string }[];

serve(async (request) => {
  const path = new URL(request.url).pathname.replace("/api/v1", "");
  if (request.method === "PUT") {
    put.push({ path, body: (await request.json()) as never });
    return json({ sources });
  }
  return json({ sources });
});

const { playInto } = await import("../src/rigs/variants");

beforeEach(() => {
  put = [];
  sources = [{ source: "voice" }, { source: "keys" }];
});

test("the clip in hand plays into the first source, once, from its beginning", async () => {
  await playInto("r", "c");
  expect(put).toHaveLength(1);
  expect(put[0]!.path).toBe("/rigs/r/feeds/voice");
  expect(put[0]!.body.feed).toEqual({
    source: "voice",
    silent: false,
    placements: [
      { clip: "c", at_s: 0, from_s: 0, length_s: null, repeats: 1, gain_db: 0, sides: "both" },
    ],
  });
});

test("without a clip, and of a rig without sources, nothing is asked for", async () => {
  await playInto("r", undefined);
  sources = [];
  await playInto("r", "c");
  expect(put).toEqual([]);
});
