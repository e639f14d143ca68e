/**
 * Which tab wrote something, and whether that tab is still there. Each load of the page is a tab of its own
 * and holds a lock of that name; a lock is let go however the page ends.
 */
const PREFIX = "fonodrome.tab.";
/** Without locks (a page that is not served securely) what nobody wrote to for so long was left. */
const LEFT_AFTER_MS = 60_000;

export const thisTab = crypto.randomUUID();

if (typeof navigator !== "undefined" && navigator.locks)
  void navigator.locks.request(PREFIX + thisTab, () => new Promise(() => undefined));

/** Of tabs, with the time at which each last wrote, those that are gone. */
export async function gone(tabs: Map<string, number>): Promise<Set<string>> {
  const others = [...tabs].filter(([tab]) => tab !== thisTab);
  if (!navigator.locks)
    return new Set(others.filter(([, at]) => at < Date.now() - LEFT_AFTER_MS).map(([tab]) => tab));
  const { held = [] } = await navigator.locks.query();
  const there = new Set(held.map((lock) => lock.name));
  return new Set(others.map(([tab]) => tab).filter((tab) => !there.has(PREFIX + tab)));
}
