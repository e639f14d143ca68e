/** One sound at a time: whatever begins to play stops what played elsewhere in the page. */
let stopped: (() => void) | null = null;

/** Called as something begins to play, with what stops it: the same function every time. */
export function playOnly(stop: () => void): void {
  const before = stopped;
  stopped = stop;
  if (before && before !== stop) before();
}
