/** Follow long work on the server until it ends, across a line that breaks for a moment. */
const LEAST_MS = 40;
/** From one question to the next: a server that many wait at answers at once, and is not asked the more for it. */
const EVERY_MS = 300;
const AFTER_FAULT_MS = 400;
const MOST_FAILURES = 20;
/** So long the server holds an answer back for news. */
export const WAIT_S = 0.5;

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** How long to rest after an answer that came so long after its question. */
export const restAfter = (tookMs: number): number => Math.max(LEAST_MS, EVERY_MS - tookMs);

export const isOpen = (job: { status: string } | null | undefined): boolean =>
  job?.status === "queued" || job?.status === "running";

/**
 * Look at it again and again and tell each state; left as soon as `going` says no.
 * Rejects with the last fault where it cannot be looked at any more.
 */
export async function follow<Job extends { status: string }>(
  first: Job,
  look: () => Promise<Job>,
  tell: (now: Job) => void,
  going: () => boolean,
): Promise<void> {
  let now = first;
  let failures = 0;
  tell(now);
  let rest = LEAST_MS;
  while (isOpen(now) && going()) {
    await pause(rest);
    if (!going()) return;
    const asked = Date.now();
    try {
      now = await look();
      rest = restAfter(Date.now() - asked);
      failures = 0;
    } catch (fault) {
      failures += 1;
      if (failures > MOST_FAILURES) throw fault;
      await pause(AFTER_FAULT_MS);
      continue;
    }
    tell(now);
  }
}
