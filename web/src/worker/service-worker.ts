/** The service worker: the application opens without a network, with what it was last told. */
import { ANSWERS, FILES, leaves, outdated, tooMany, wayOf } from "./ways";

interface Waits extends Event {
  waitUntil(done: Promise<unknown>): void;
}
interface Fetches extends Waits {
  request: Request;
  respondWith(answer: Promise<Response>): void;
}
interface Worker {
  /** Put before this file by the server: the release, and the files that are of it. */
  RELEASE: { name: string; files: string[] };
  location: Location;
  clients: { claim(): Promise<void> };
  skipWaiting(): Promise<void>;
  addEventListener(type: "install" | "activate", run: (event: Waits) => void): void;
  addEventListener(type: "message", run: (event: Waits & { data: unknown }) => void): void;
  addEventListener(type: "fetch", run: (event: Fetches) => void): void;
}
const worker = globalThis as unknown as Worker;

const release = worker.RELEASE.name;
const files = () => caches.open(FILES + release);
const answers = () => caches.open(ANSWERS + release);
const PAGE = "/";
/** Longer than this nobody on a stage waits. */
const PATIENCE_MS = 6000;
const MOST_ANSWERS = 400;
const MOST_CHARACTERS = 2_000_000;
const KEPT_AT = "X-Fonodrome-Kept";

worker.addEventListener("install", (event) => {
  event.waitUntil(
    files()
      .then((cache) => cache.addAll([...worker.RELEASE.files, PAGE]))
      .then(() => worker.skipWaiting()),
  );
});

worker.addEventListener("activate", (event) => {
  event.waitUntil(takeOver().then(() => worker.clients.claim()));
});

/** What an older release kept is asked for anew; what cannot be is taken over as it is. */
async function takeOver(): Promise<void> {
  const now = await answers();
  for (const name of (await caches.keys()).filter((n) => n.startsWith(ANSWERS))) {
    if (name === ANSWERS + release) continue;
    const old = await caches.open(name);
    for (const request of await old.keys()) {
      if (await now.match(request)) continue;
      const fresh = await fetch(request).catch(() => null);
      if (fresh?.ok) await keep(request, fresh);
      else if (!fresh) {
        const kept = await old.match(request);
        if (kept) await now.put(request, kept);
      }
    }
  }
  for (const name of outdated(await caches.keys(), release)) await caches.delete(name);
}

worker.addEventListener("fetch", (event) => {
  const { request } = event;
  if (leaves(request)) {
    event.respondWith(leave(request));
    return;
  }
  const way = wayOf(request, worker.location.origin);
  if (way === "page") event.respondWith(page(request));
  if (way === "file") event.respondWith(file(request));
  if (way === "answer") event.respondWith(told(request, event));
});

/** How often somebody came or went: what was asked before is not kept after. */
let visit = 0;

/** Whoever comes next finds nothing of who was here, nor of what was still on its way to them. */
async function leave(request: Request): Promise<Response> {
  const forget = () => {
    visit++;
    return caches.delete(ANSWERS + release).catch(() => false);
  };
  await forget();
  const answer = await fetch(request);
  await forget();
  return answer;
}

// What a page asked before there was a worker.
worker.addEventListener("message", (event) => {
  const { asked } = (event.data ?? {}) as { asked?: unknown };
  if (!Array.isArray(asked)) return;
  const urls = asked.filter((url): url is string => typeof url === "string");
  event.waitUntil(Promise.all(urls.map(askAgain)));
});

async function askAgain(url: string): Promise<void> {
  const request = new Request(url);
  if (wayOf({ method: "GET", mode: "cors", url }, worker.location.origin) !== "answer") return;
  const mine = visit;
  const fresh = await fetch(request).catch(() => null);
  if (fresh?.ok) await keep(request, fresh, mine);
}

/** What is kept; nothing where the browser has taken its storage away. */
async function keptIn(
  cache: Pick<CacheStorage, "match"> | Promise<Cache>,
  request: Request | string,
): Promise<Response | undefined> {
  try {
    return await (await cache).match(request);
  } catch {
    return undefined;
  }
}

async function page(request: Request): Promise<Response> {
  const kept = await keptIn(files(), PAGE);
  if (!kept) return fetch(request);
  const fresh = await within(fetch(request));
  // A server that is starting, or something between that answers for it.
  return !fresh || [502, 503, 504].includes(fresh.status) ? kept : fresh;
}

async function file(request: Request): Promise<Response> {
  // Of any release: a page that is open still asks for the files of its own.
  return (await keptIn(caches, request)) ?? fetch(request);
}

async function told(request: Request, event: Waits): Promise<Response> {
  const kept = await keptIn(answers(), request);
  const mine = visit;
  const asked = fetch(request).then((fresh) => {
    if (fresh.status === 401) event.waitUntil(caches.delete(ANSWERS + release));
    else if (fresh.ok) event.waitUntil(keep(request, fresh.clone(), mine).catch(() => undefined));
    return fresh;
  });
  if (!kept) return asked;
  const fresh = await within(asked);
  return !fresh || [502, 503, 504].includes(fresh.status) ? kept : fresh;
}

/** Null where it fails or takes too long. */
function within(asked: Promise<Response>): Promise<Response | null> {
  const late = new Promise<null>((done) => setTimeout(() => done(null), PATIENCE_MS));
  return Promise.race([asked.catch(() => null), late]);
}

/** With the moment it was said, so that a page can tell that it is not of now. */
async function keep(request: Request, fresh: Response, asked = visit): Promise<void> {
  if (!fresh.headers.get("Content-Type")?.startsWith("application/json")) return;
  const text = await fresh.text();
  if (text.length > MOST_CHARACTERS) return;
  const headers = { "Content-Type": "application/json", [KEPT_AT]: new Date().toISOString() };
  const cache = await answers();
  if (asked !== visit) return;
  // The newest stand last.
  await cache.delete(request);
  await cache.put(request, new Response(text, { headers }));
  for (const old of tooMany(await cache.keys(), MOST_ANSWERS)) await cache.delete(old);
}
