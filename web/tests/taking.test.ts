/** A song's file on its way: how far it is, what is said of refusals, and that it can be stopped. */
import { expect, test, vi } from "vitest";

import { Refused } from "../src/api/client";
import { sendFile, takenWords } from "../src/songs/taking";

function line() {
  const request = {
    headers: {} as Record<string, string>,
    url: "",
    status: 0,
    responseText: "",
    upload: {} as Record<string, (event: unknown) => void>,
    sent: undefined as unknown,
    open(_: string, url: string) {
      this.url = url;
    },
    setRequestHeader(name: string, value: string) {
      this.headers[name] = value;
    },
    send(body: unknown) {
      this.sent = body;
    },
    abort: vi.fn(function (this: { onabort: () => void }) {
      this.onabort();
    }),
    onload: () => {},
    onerror: () => {},
    onabort: () => {},
  };
  vi.stubGlobal("document", { cookie: "csrftoken=abc" });
  return request;
}
const start = (request: ReturnType<typeof line>, signal = new AbortController().signal) => {
  const seen: number[] = [];
  const done = sendFile(new Blob(["zip"]), "second", (s) => seen.push(s), signal, {
    open: () => request as unknown as XMLHttpRequest,
  });
  return { seen, done };
};

test("it says how far it is and answers what was taken", async () => {
  const request = line();
  const { seen, done } = start(request);
  request.upload.onprogress!({ lengthComputable: true, loaded: 1, total: 4 });
  request.upload.onprogress!({ lengthComputable: false, loaded: 2, total: 0 });
  request.upload.onload!(null);
  [request.status, request.responseText] = [200, JSON.stringify({ songs: [], left_out: ["a"] })];
  request.onload();
  expect(await done).toEqual({ songs: [], left_out: ["a"] });
  expect(seen).toEqual([0.25, 1]);
  expect(request.url).toBe("/api/v1/songs/file?clash=second");
  expect(request.headers["X-CSRFToken"]).toBe("abc");
});

test("a refusal keeps its sentence; an answer that is no JSON has one too", async () => {
  const request = line();
  const { done } = start(request);
  [request.status, request.responseText] = [
    409,
    JSON.stringify({ status: 409, detail: "You have “A”." }),
  ];
  request.onload();
  await expect(done).rejects.toSatisfy(
    (fault: Refused) => fault.problem.status === 409 && fault.problem.detail === "You have “A”.",
  );
  const other = line();
  const second = start(other).done;
  [other.status, other.responseText] = [502, "<html>"];
  other.onload();
  await expect(second).rejects.toSatisfy((fault: Refused) => fault.problem.detail.length > 5);
});

test("no connection is said as that, and it can be stopped", async () => {
  const request = line();
  const { done } = start(request);
  request.onerror();
  await expect(done).rejects.toSatisfy((fault: Refused) => fault.offline);
  const other = line();
  const control = new AbortController();
  const { done: second } = start(other, control.signal);
  control.abort();
  await expect(second).rejects.toHaveProperty("name", "AbortError");
  expect(other.abort).toHaveBeenCalledOnce();
});

test("what was taken, in words", () => {
  const taken = (...titles: string[]) => ({
    songs: titles.map((title) => ({ id: title, title })),
    left_out: [],
  });
  expect(takenWords(taken())).toBe("Nothing was taken.");
  expect(takenWords(taken("Tide"))).toBe("“Tide” is taken.");
  expect(takenWords(taken("a", "b", "c", "d"))).toBe("4 songs are taken: a, b, c and 1 more.");
});
