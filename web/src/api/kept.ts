/** Whether what is seen was said just now, or is what the service worker kept from before. */
import { useSyncExternalStore } from "react";

export const KEPT_AT = "X-Fonodrome-Kept";
const FIRST_VISIT_MS = 8_000;

let keptAt: number | null = null;
let said = "";
const listening = new Set<() => void>();

/** Note how an answer came: kept, with the moment it was said; or from the server. */
export function heard(header: string | null): void {
  const read = header === null ? NaN : Date.parse(header);
  const next = Number.isNaN(read) ? null : read;
  // Of several that were kept, the oldest counts.
  const now = next === null || keptAt === null ? next : Math.min(keptAt, next);
  if (now === keptAt) return;
  keptAt = now;
  said = now === null ? "" : momentWords(now, Date.now());
  listening.forEach((tell) => tell());
}

const subscribe = (tell: () => void) => {
  listening.add(tell);
  return () => void listening.delete(tell);
};
export const keptWords = () => said;
/** When the oldest of what is seen was said, 'at 20:14'; empty while the server answers. */
export const useKeptWords = () => useSyncExternalStore(subscribe, keptWords);

/** 'at 20:14', and the day where it is another. */
export function momentWords(at: number, now: number): string {
  const then = new Date(at);
  const clock = then.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
  const sameDay = then.toDateString() === new Date(now).toDateString();
  return sameDay
    ? `at ${clock}`
    : `on ${then.toLocaleDateString([], { day: "numeric", month: "long" })} at ${clock}`;
}

/** A worker that has just come did not hear what was asked before: it asks again, and keeps it. */
function tellAsked(): void {
  const asked = performance.getEntriesByType("resource").map((entry) => entry.name);
  const urls = [...new Set(asked)].filter((url) => new URL(url).pathname.startsWith("/api/"));
  navigator.serviceWorker.controller?.postMessage({ asked: urls });
}

/** Have the application open without a network too; asked for late, as a first visit has better to do. */
export function beReady(soon = false): void {
  if (!("serviceWorker" in navigator) || !window.isSecureContext) return;
  const { serviceWorker } = navigator;
  if (!serviceWorker.controller)
    serviceWorker.addEventListener("controllerchange", tellAsked, { once: true });
  const register = () => void serviceWorker.register("/service-worker.js").catch(() => {});
  if (soon) register();
  else setTimeout(register, FIRST_VISIT_MS);
}

/** Resolves once the worker answers for this page: from then on what is asked is kept. */
export async function workerReady(): Promise<boolean> {
  if (!("serviceWorker" in navigator) || !window.isSecureContext) return false;
  beReady(true);
  await navigator.serviceWorker.ready;
  if (navigator.serviceWorker.controller) return true;
  return new Promise((done) => {
    navigator.serviceWorker.addEventListener("controllerchange", () => done(true), { once: true });
  });
}

/** Whether an address would be answered without a network. */
export async function isKept(path: string): Promise<boolean> {
  if (!("caches" in window)) return false;
  return (await caches.match(path)) !== undefined;
}
