/** Series or parallel, insert or send: where the answer stands, and what it is. */
import { describe, expect, it } from "vitest";

import type { NullTestDetail } from "../src/api/client";
import { answerOf, type Order, readyToTest, stageOf } from "../src/steps/verify/orders";
import { marksOf } from "../src/steps/verify/OrderSketch";

const render = (status: string, progress = 0, problem = "") =>
  ({ status, progress, problem }) as never;
const test = (more: object) =>
  ({ status: "done", progress: 1, problem: "", ...more }) as NullTestDetail;
const answered = (null_depth_db: number | null, causes: { code: string; title: string }[]) =>
  test({ result: { null_depth_db, causes } });

describe("on the way", () => {
  it("follows both renders, then the test of them", () => {
    expect(stageOf(null, undefined, false, "")).toEqual({ at: "asked" });
    expect(stageOf([render("done"), undefined], undefined, false, "")).toEqual({
      at: "rendering",
      progress: 0.5,
    });
    expect(stageOf([render("done"), render("running", 0.5)], undefined, false, "")).toEqual({
      at: "rendering",
      progress: 0.75,
    });
    expect(
      stageOf(
        [render("done"), render("done")],
        test({ status: "running", progress: 0.3 }),
        false,
        "",
      ),
    ).toEqual({ at: "testing", progress: 0.3 });
    expect(stageOf([], answered(-20, []), false, "").at).toBe("answered");
  });

  it("is tested once both are there, and not before", () => {
    expect(readyToTest(null)).toBe(false);
    expect(readyToTest([render("done"), undefined])).toBe(false);
    expect(readyToTest([render("done"), render("failed")])).toBe(false);
    expect(readyToTest([render("done"), render("done")])).toBe(true);
  });

  it("says what ended it, and that equal bytes are an answer", () => {
    const over = stageOf(
      [render("failed", 0, "No room is left."), render("done")],
      undefined,
      false,
      "",
    );
    expect(over).toEqual({ at: "failed", said: "No room is left." });
    expect(stageOf(null, test({ status: "cancelled" }), false, "").at).toBe("failed");
    expect(stageOf(null, undefined, false, "The rig is gone.")).toMatchObject({ at: "failed" });
    expect(stageOf([render("done"), render("done")], undefined, true, "")).toEqual({ at: "same" });
  });
});

describe("the answer", () => {
  it("names what differs, and what every way does to a file is no difference", () => {
    const causes = [
      { code: "filter", title: "A second path is in B" },
      { code: "length", title: "Different lengths" },
      { code: "level", title: "B is louder" },
    ];
    expect(answerOf(answered(-12, causes))).toBe("At the same level: A second path is in B.");
    expect(answerOf(answered(-12, []))).toContain("no single cause");
  });

  it("does not matter where nothing is left at one level", () => {
    for (const depth of [null, -120])
      expect(answerOf(answered(depth, [{ code: "level", title: "B is louder" }]))).toContain(
        "the order does not matter",
      );
  });
});

describe("the sketch", () => {
  const order = (question: Order["question"], devices: string[]) =>
    ({ question, devices }) as Order;

  it("has both on one rail, then each on its own; an insert on the rail, then beside it", () => {
    const series = order("series", ["Echo", "Hall"]);
    expect(marksOf(series, "here").map((m) => m.low)).toEqual([false, false]);
    expect(marksOf(series, "here")[0]!.at).toBeLessThan(marksOf(series, "here")[1]!.at);
    expect(marksOf(series, "other").map((m) => [m.name, m.low])).toEqual([
      ["Echo", false],
      ["Hall", true],
    ]);
    const send = order("send", ["Hall"]);
    expect(marksOf(send, "here")).toEqual([{ name: "Hall", at: 0.5, low: false }]);
    expect(marksOf(send, "other")[0]!.low).toBe(true);
  });
});
