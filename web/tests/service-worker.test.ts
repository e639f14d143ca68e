/** The service worker as a browser calls it: what is kept, for whom, and what opens without a line. */
import assert from "node:assert/strict";
import { beforeEach, expect, test, vi } from "vitest";

const ORIGIN = "http://studio.test";
type Asked = { url: string; method: string; mode: string };
const at = (path: string, method = "GET", mode = "cors"): Asked => ({
  url: ORIGIN + path,
  method,
  mode,
});
const address = (asked: Asked | Request | string) =>
  typeof asked === "string" ? new URL(asked, ORIGIN).href : asked.url;

class Held {
  kept = new Map<string, { request: Asked; response: Response }>();
  async match(asked: Asked | string) {
    return this.kept.get(address(asked))?.response.clone();
  }
  async put(asked: Asked, response: Response) {
    this.kept.set(address(asked), { request: asked, response });
  }
  async delete(asked: Asked) {
    return this.kept.delete(address(asked));
  }
  async keys() {
    return [...this.kept.values()].map((one) => one.request);
  }
  async addAll(paths: string[]) {
    for (const path of paths) await this.put(at(path), await fetch(ORIGIN + path));
  }
}

class Store {
  all = new Map<string, Held>();
  async open(name: string) {
    if (!this.all.has(name)) this.all.set(name, new Held());
    return this.all.get(name)!;
  }
  async keys() {
    return [...this.all.keys()];
  }
  async delete(name: string) {
    return this.all.delete(name);
  }
  async match(asked: Asked | string) {
    for (const held of this.all.values()) {
      const found = await held.match(asked);
      if (found) return found;
    }
    return undefined;
  }
}

let handlers: Record<string, (event: never) => void>;
let store: Store;
/** What the server says, by path; a status alone, or nothing: the line is cut. */
let says: Record<string, unknown>;
let asked: string[];
let hold: Promise<void> | null;

const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });

beforeEach(async () => {
  [handlers, store, says, asked, hold] = [{}, new Store(), {}, [], null];
  vi.resetModules();
  Object.assign(globalThis, {
    RELEASE: { name: "r2", files: ["/static/app.js"] },
    location: { origin: ORIGIN },
    clients: { claim: async () => undefined },
    skipWaiting: async () => undefined,
    addEventListener: (type: string, run: (event: never) => void) => (handlers[type] = run),
    caches: store,
    fetch: async (what: Asked | string) => {
      const path = new URL(address(what)).pathname;
      asked.push(path);
      const said = says[path];
      if (said === undefined) throw new TypeError("no line");
      if (hold) await hold;
      if (typeof said === "number") return json({ detail: "no" }, said);
      return typeof said === "string"
        ? new Response(said, { headers: { "Content-Type": "text/html" } })
        : json(said);
    },
  });
  await import("../src/worker/service-worker");
});

/** What a page gets for a request, and all that is still done after it. */
async function gets(request: Asked): Promise<Response | "past the worker"> {
  let answer: Promise<Response> | undefined;
  const rests: Promise<unknown>[] = [];
  handlers.fetch!({
    request,
    respondWith: (given: Promise<Response>) => (answer = given),
    waitUntil: (rest: Promise<unknown>) => rests.push(rest),
  } as never);
  if (!answer) return "past the worker";
  const found = await answer;
  await Promise.all(rests);
  return found;
}
async function done(type: "install" | "activate"): Promise<void> {
  const rests: Promise<unknown>[] = [];
  handlers[type]!({ waitUntil: (rest: Promise<unknown>) => rests.push(rest) } as never);
  await Promise.all(rests);
}
const body = async (answer: Response | "past the worker") => {
  assert(answer !== "past the worker");
  return answer.json() as Promise<unknown>;
};

test("the application opens without a line once it was installed", async () => {
  says = { "/": "<html>app</html>", "/static/app.js": "code" };
  await done("install");
  says = {};
  const page = await gets(at("/songs/7/route", "GET", "navigate"));
  assert(page !== "past the worker");
  expect(await page.text()).toBe("<html>app</html>");
  const file = await gets(at("/static/app.js"));
  assert(file !== "past the worker");
  expect(await file.text()).toBe("code");
});

test("an answer is the server's while it answers, and the kept one with its moment when it does not", async () => {
  says = { "/api/v1/songs": [{ title: "Tide" }] };
  expect(await body(await gets(at("/api/v1/songs")))).toEqual([{ title: "Tide" }]);
  says = { "/api/v1/songs": [{ title: "Ebb" }] };
  expect(await body(await gets(at("/api/v1/songs")))).toEqual([{ title: "Ebb" }]);
  for (const broken of [{}, { "/api/v1/songs": 502 }, { "/api/v1/songs": 503 }]) {
    says = broken;
    const kept = await gets(at("/api/v1/songs"));
    assert(kept !== "past the worker");
    expect(Date.parse(kept.headers.get("X-Fonodrome-Kept")!)).not.toBeNaN();
    expect(await kept.json()).toEqual([{ title: "Ebb" }]);
  }
  // A refusal is an answer: it is not hidden behind what was.
  says = { "/api/v1/songs": 404 };
  const refused = await gets(at("/api/v1/songs"));
  assert(refused !== "past the worker");
  expect(refused.status).toBe(404);
});

test("what changes something goes past it", async () => {
  says = { "/api/v1/songs": {} };
  expect(await gets(at("/api/v1/songs", "POST"))).toBe("past the worker");
  expect(await gets(at("/api/v1/songs/7", "PATCH"))).toBe("past the worker");
});

test("who signs out leaves nothing, not even what was still on its way", async () => {
  says = { "/api/v1/songs": [{ title: "Mine" }], "/api/v1/session": {} };
  await gets(at("/api/v1/songs"));
  // One more answer is asked for, and comes only after they have gone.
  let comes!: () => void;
  hold = new Promise((go) => (comes = go));
  says["/api/v1/devices"] = [{ name: "My pedal" }];
  const late = gets(at("/api/v1/devices"));
  hold = null;
  await gets(at("/api/v1/session", "DELETE"));
  comes();
  await late;
  says = {};
  for (const path of ["/api/v1/songs", "/api/v1/devices"])
    await expect(gets(at(path)), path).rejects.toThrow("no line");
});

test("a session that has ended empties what was kept", async () => {
  says = { "/api/v1/songs": [{ title: "Mine" }] };
  await gets(at("/api/v1/songs"));
  says = { "/api/v1/songs": 401 };
  await gets(at("/api/v1/songs"));
  says = {};
  await expect(gets(at("/api/v1/songs"))).rejects.toThrow("no line");
});

test("a new release asks anew for what the old one kept, and takes over what cannot be asked", async () => {
  const names = (await import("../src/worker/ways")) as { ANSWERS: string; FILES: string };
  const before = await store.open(`${names.ANSWERS}r1`);
  await before.put(at("/api/v1/songs"), json([{ title: "Old" }]));
  await before.put(at("/api/v1/devices"), json([{ name: "Kept" }]));
  await store.open(`${names.FILES}r0`);
  says = { "/api/v1/songs": [{ title: "New" }] };
  await done("activate");
  says = {};
  expect(await body(await gets(at("/api/v1/songs")))).toEqual([{ title: "New" }]);
  expect(await body(await gets(at("/api/v1/devices")))).toEqual([{ name: "Kept" }]);
  expect((await store.keys()).some((name) => name === `${names.ANSWERS}r1`)).toBe(false);
});

test("what is no JSON, or endless, is not kept", async () => {
  says = { "/api/v1/songs": "<html>", "/api/v1/devices": { long: "x".repeat(2_000_001) } };
  for (const path of ["/api/v1/songs", "/api/v1/devices"]) await gets(at(path));
  says = {};
  for (const path of ["/api/v1/songs", "/api/v1/devices"])
    await expect(gets(at(path)), path).rejects.toThrow("no line");
});

test("what was asked before there was a worker is asked again, once, and kept", async () => {
  says = { "/api/v1/songs": [{ title: "Early" }], "/static/app.js": "code" };
  const rests: Promise<unknown>[] = [];
  const urls = [`${ORIGIN}/api/v1/songs`, `${ORIGIN}/static/app.js`, 7, "http://elsewhere.test/api/v1/songs"]; // prettier-ignore
  handlers.message!({
    data: { asked: urls },
    waitUntil: (rest: Promise<unknown>) => rests.push(rest),
  } as never);
  handlers.message!({ data: null, waitUntil: () => assert.fail("nothing was asked") } as never);
  await Promise.all(rests);
  expect(asked).toEqual(["/api/v1/songs"]);
  says = {};
  expect(await body(await gets(at("/api/v1/songs")))).toEqual([{ title: "Early" }]);
});
