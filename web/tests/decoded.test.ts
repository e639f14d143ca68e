/** A recording is measured once it has been read, and not before. */
import { expect, test, vi } from "vitest";

import { decoded } from "../src/clips/decoded";

const telling = (...statuses: string[]) => {
  const look = vi.fn(() => Promise.resolve({ status: statuses.shift() ?? "done" }));
  return look;
};

test("it is asked for until it is ready", async () => {
  vi.useFakeTimers();
  const look = telling("queued", "running", "done");
  const found = decoded("c1", look);
  await vi.advanceTimersByTimeAsync(5000);
  expect(await found).toBe("done");
  expect(look).toHaveBeenCalledTimes(3);
  expect(look).toHaveBeenCalledWith("c1");
  vi.useRealTimers();
});

test("one that failed ends the waiting, and so does one that never ends", async () => {
  expect(await decoded("c", telling("failed"))).toBe("failed");
  vi.useFakeTimers();
  const never = decoded("c", () => Promise.resolve({ status: "running" }), 3000);
  await vi.advanceTimersByTimeAsync(10_000);
  expect(await never).toBe("running");
  vi.useRealTimers();
});

test("a server that cannot be reached is no clip", async () => {
  await expect(decoded("c", () => Promise.reject(new Error("offline")))).rejects.toThrow("offline");
});
