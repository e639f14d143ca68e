import { afterEach, expect, test, vi } from "vitest";

import { Refused } from "../src/api/client";
import { chosen, fitted, saidOf, send, smaller } from "../src/steps/log/pictures";

afterEach(() => vi.unstubAllGlobals());

const file = (name: string, type: string) => ({ name, type });

test("a picture keeps its shape and is never made larger", () => {
  expect(fitted(4032, 3024)).toEqual([2048, 1536]);
  expect(fitted(3024, 4032)).toEqual([1536, 2048]);
  expect(fitted(640, 480)).toEqual([640, 480]);
  expect(fitted(20_000, 3)).toEqual([2048, 1]);
});

test("four go with a note; of more it is said how many did not fit, and what is no picture", () => {
  const three = ["a", "b", "c"].map((name) => file(`${name}.jpg`, "image/jpeg"));
  expect(chosen(0, three)).toEqual({ taken: three, said: "" });
  expect(chosen(3, three)).toEqual({
    taken: three.slice(0, 1),
    said: "A note has up to 4 pictures; 2 did not fit.",
  });
  const mixed = [file("take.wav", "audio/wav"), file("heic without a type", "")];
  expect(chosen(0, mixed)).toEqual({
    taken: mixed.slice(1),
    said: "“take.wav” is no picture.",
  });
  expect(chosen(4, three).taken).toEqual([]);
});

test("what the browser cannot open goes to the server as it is, to be told why not", async () => {
  vi.stubGlobal("createImageBitmap", () => Promise.reject(new Error("no")));
  const odd = new Blob(["?"], { type: "image/heic" });
  expect(await smaller(odd)).toBe(odd);
});

test("a small JPEG goes as it is; a large one and one of another kind are drawn anew", async () => {
  const drawn: [number, number, string][] = [];
  const canvas = {
    width: 0,
    height: 0,
    getContext: () => ({ fillRect() {}, drawImage() {} }),
    toBlob(done: (b: Blob) => void, type: string) {
      drawn.push([this.width, this.height, type]);
      done(new Blob(["x"], { type }));
    },
  };
  vi.stubGlobal("document", { createElement: () => canvas });
  const seen = (width: number, height: number) =>
    vi.stubGlobal("createImageBitmap", () => Promise.resolve({ width, height, close() {} }));
  seen(800, 600);
  const jpeg = new Blob(["j"], { type: "image/jpeg" });
  expect(await smaller(jpeg)).toBe(jpeg);
  await smaller(new Blob(["h"], { type: "image/heic" }));
  seen(4032, 3024);
  await smaller(jpeg);
  await smaller(new Blob(["p"], { type: "image/png" }));
  expect(drawn).toEqual([
    [800, 600, "image/jpeg"],
    [2048, 1536, "image/jpeg"],
    [2048, 1536, "image/png"],
  ]);
});

test("what the server says of it is what is shown; no line is a sentence too", async () => {
  vi.stubGlobal("document", { cookie: "csrftoken=abc" });
  const asked: RequestInit[] = [];
  const answers = (status: number, body: object) =>
    vi.stubGlobal("fetch", (_: string, more: RequestInit) => {
      asked.push(more);
      return Promise.resolve(new Response(JSON.stringify(body), { status }));
    });
  answers(200, { id: "one" });
  expect(await send("song", new Blob(["x"]))).toBe("one");
  expect((asked[0]!.headers as Record<string, string>)["X-CSRFToken"]).toBe("abc");
  answers(422, { status: 422, detail: "This is no picture.", type: "x" });
  await expect(send("song", new Blob(["x"]))).rejects.toThrow("This is no picture.");
  vi.stubGlobal("fetch", () => Promise.reject(new TypeError("no line")));
  const fault = await send("song", new Blob(["x"])).catch((e: unknown) => e);
  expect((fault as Refused).offline).toBe(true);
});

test("what is heard of a picture", () => {
  expect(saidOf(1, 1, "At the desk")).toBe("Picture: At the desk");
  expect(saidOf(2, 3, "At the desk")).toBe("Picture 2 of 3: At the desk");
});
