/** How soon a page asks again for what is being made. */
import { expect, test, vi } from "vitest";

import { follow, restAfter } from "../src/api/follow";

test("an answer that was held back is followed at once, one that came at once after a rest", () => {
  expect(restAfter(500)).toBe(40);
  expect(restAfter(300)).toBe(40);
  expect(restAfter(280)).toBe(40);
  expect(restAfter(10)).toBe(290);
  expect(restAfter(0)).toBe(300);
});

test("whoever is not held back asks three times a second, not as fast as the line allows", async () => {
  vi.useFakeTimers();
  try {
    let looks = 0;
    const told: string[] = [];
    const look = () => Promise.resolve({ status: ++looks < 7 ? "running" : "done" });
    const over = follow({ status: "queued" }, look, (now) => told.push(now.status), () => true); // prettier-ignore
    // The first question comes soon: most are done by then.
    await vi.advanceTimersByTimeAsync(40);
    expect(looks).toBe(1);
    await vi.advanceTimersByTimeAsync(1200);
    expect(looks).toBe(5);
    await vi.advanceTimersByTimeAsync(600);
    await over;
    expect([looks, told.at(-1), told.length]).toEqual([7, "done", 8]);
  } finally {
    vi.useRealTimers();
  }
});
