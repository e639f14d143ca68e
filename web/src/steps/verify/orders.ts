/** Series or parallel, insert or send: what is asked, and where the answer stands. */
import type { NullTestDetail, Schemas } from "../../api/client";

export type Order = Schemas["Order"];
type Render = Schemas["RenderOut"];

export type Stage =
  | { at: "asked" }
  | { at: "rendering"; progress: number }
  | { at: "failed"; said: string }
  | { at: "testing"; progress: number }
  | { at: "same" }
  | { at: "answered" };

const OVER = new Set(["failed", "cancelled"]);

/** From two renders and the null test of them to what is to be shown now. */
export function stageOf(
  renders: (Render | undefined)[] | null,
  test: NullTestDetail | undefined,
  same: boolean,
  fault: string,
): Stage {
  if (fault) return { at: "failed", said: fault };
  if (same) return { at: "same" };
  if (test?.result) return { at: "answered" };
  if (test && OVER.has(test.status))
    return { at: "failed", said: test.problem || "The null test was cancelled." };
  if (test) return { at: "testing", progress: test.progress };
  if (!renders) return { at: "asked" };
  const over = renders.find((r) => r && OVER.has(r.status));
  if (over) return { at: "failed", said: over.problem || "A render was cancelled." };
  const done = renders.reduce((sum, r) => sum + (r?.status === "done" ? 1 : (r?.progress ?? 0)), 0);
  return { at: "rendering", progress: done / renders.length };
}

/** Both are there and no test of them was begun yet. */
export function readyToTest(renders: (Render | undefined)[] | null): boolean {
  return renders !== null && renders.every((r) => r?.status === "done");
}

/** What is taken off before they are compared, what no ear hears, and what names nothing. */
const EVENED = new Set(["level", "offset", "polarity", "rounding", "length", "unknown"]);

/** What both ways differ in, said in a line; the null test's own sentence stands above it. */
export function answerOf(test: NullTestDetail): string {
  const result = test.result!;
  const named = result.causes.filter((c) => !EVENED.has(c.code));
  const depth = result.null_depth_db;
  if (depth === null || depth < -90)
    return "Brought to the same level they are the same sound: the order does not matter here.";
  const first = named[0];
  return first
    ? `At the same level: ${named
        .slice(0, 3)
        .map((c) => c.title)
        .join("; ")}.`
    : "At the same level they differ, and no single cause is enough to say how.";
}
