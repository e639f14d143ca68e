// @vitest-environment jsdom
/** A picture is drawn with what tells its clouds apart, on ticks that can be. */
import { cleanup, screen, within } from "@testing-library/react";
import { afterEach, beforeAll, expect, test } from "vitest";

import { Pictured } from "../src/charts/Pictured";
import type { Picture } from "../src/charts/picture";
import { show, standIn } from "./dom";

beforeAll(standIn);
afterEach(cleanup);

const picture = (more: Partial<Picture>): Picture =>
  ({ title: "Distortion", about: "by order", x_unit: "order", x_log: false, y_unit: "dB", marks: [], series: [], ...more }); // prettier-ignore
const cloud = (name: string, x: number[], y: (number | null)[]) => ({
  name,
  look: "points" as const,
  x,
  y,
});

const texts = () =>
  [...screen.getByRole("img").querySelectorAll("text")].map((t) => t.textContent ?? "");
const circles = () => [...screen.getByRole("img").querySelectorAll("circle")];

test("orders are whole numbers, and what is only at most is a ring with its name", () => {
  show(
    <Pictured
      picture={picture({
        series: [cloud("measured", [2, 3], [-52, -70]), cloud("at most", [4, 5], [-97, -96])],
      })}
    />,
  );
  expect(texts().filter((t) => /^\d\.\d$/.test(t))).toEqual([]);
  // Told apart beside the title, so that no name lies on a dot.
  const [filled, ring] = within(screen.getByRole("list", { name: "What is drawn" })).getAllByRole(
    "listitem",
  );
  expect([filled!.textContent, ring!.textContent]).toEqual(["measured", "at most"]);
  const hollow = [filled, ring].map((one) => one!.querySelector("svg")!.dataset.hollow);
  expect(hollow).toEqual(["false", "true"]);
  const [first, , third] = circles();
  expect(circles()).toHaveLength(4);
  expect(third!.getAttribute("r")).not.toBe(first!.getAttribute("r"));
  expect(third!.parentElement!.getAttribute("fill")).not.toBe(
    first!.parentElement!.getAttribute("fill"),
  );
});

test("a gap is no dot, one cloud alone has no name, and none lies on the edge", () => {
  show(
    <Pictured
      picture={picture({
        x_unit: "Hz",
        x_log: true,
        y_unit: "s",
        series: [cloud("measured", [125, 500, 8000], [1.4, null, 0.8])],
      })}
    />,
  );
  expect(circles()).toHaveLength(2);
  expect(screen.queryByRole("list")).toBeNull();
  const sheet = screen.getByRole("img").querySelector("rect")!;
  const [left, width] = ["x", "width"].map((name) => Number(sheet.getAttribute(name)));
  for (const dot of circles()) {
    const at = Number(dot.getAttribute("cx"));
    expect(at).toBeGreaterThan(left! + 4);
    expect(at).toBeLessThan(left! + width! - 4);
  }
});
