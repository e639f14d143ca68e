/**
 * Pictures as files: painted without a style sheet, with title, words and the names of their lines.
 *
 * @vitest-environment jsdom
 */
import { afterEach, expect, test } from "vitest";

import {
  fileName,
  inLines,
  picturesOn,
  scaleFor,
  standAlone,
  titleOf,
  toldApart,
} from "../src/ui/picture-file";

const sized = (width: number, height: number) => {
  Element.prototype.getBoundingClientRect = function () {
    const small = this.hasAttribute("data-small");
    return { width: small ? 20 : width, height: small ? 10 : height } as DOMRect;
  };
};
afterEach(() => {
  document.body.innerHTML = "";
  document.head.innerHTML = "";
});

const PAGE = `
  <main>
    <section aria-label="Repeats">
      <h2>Error at each repeat</h2>
      <div><ul aria-label="What is drawn"><li><svg data-small="1"><line x1="0" x2="20" y1="5" y2="5"></line></svg>set</li><li>wanted</li></ul></div>
      <div>
        <svg role="img" aria-label="Error in ms against repeat, worst 2.1 ms" class="chart" tabindex="0">
          <line class="teal" x1="0" x2="10" y1="0" y2="5" data-x="1"></line>
          <text class="small" x="3">10 ms</text>
          <g style="display: none"><text>hidden</text></g>
          <text>a &lt; b</text>
        </svg>
      </div>
    </section>
    <svg data-small="1"></svg>
  </main>
  <dialog><svg></svg></dialog>`;

test("each part carries its own paint, and nothing of the page", () => {
  sized(300, 100);
  document.head.innerHTML =
    "<style>.teal { stroke: rgb(0, 96, 122); stroke-dasharray: 4px 2px; } .small { font-size: 11px; }</style>";
  document.body.innerHTML = PAGE;
  const found = picturesOn(document);
  expect(found.map((svg) => svg.getAttribute("aria-label"))).toEqual([
    "Error in ms against repeat, worst 2.1 ms",
  ]);
  const kept = standAlone(found[0]!, "Low Water");
  // As a file of its own it is sound XML.
  const read = new DOMParser().parseFromString(kept.svg, "image/svg+xml");
  expect(read.querySelector("parsererror")).toBeNull();
  expect(read.querySelector("title")!.textContent).toBe("Error at each repeat, Low Water");
  expect(read.querySelector("desc")!.textContent).toContain("worst 2.1 ms");
  const words = [...read.querySelectorAll("text")].map((t) => t.textContent);
  expect(words).toEqual([
    "Error at each repeat",
    "Low Water",
    "Error in ms against repeat, worst 2.1 ms",
    "set",
    "wanted",
    "10 ms",
    "a < b",
  ]);
  const line = [...read.querySelectorAll("line")].at(-1)!;
  expect(line.getAttribute("stroke")).toBe("rgb(0, 96, 122)");
  expect(line.getAttribute("x2")).toBe("10");
  expect(kept.svg).not.toMatch(/class=|tabindex|data-|var\(|hidden/);
  // The drawing keeps its size under the words.
  const drawing = read.querySelectorAll("svg svg")[1]!;
  expect([drawing.getAttribute("width"), drawing.getAttribute("height")]).toEqual(["300", "100"]);
  expect(Number(read.documentElement.getAttribute("height"))).toBe(
    Number(drawing.getAttribute("y")) + 100 + 16,
  );
});

test("words keep the width that they have on the page", () => {
  sized(300, 100);
  document.body.innerHTML = `<main><svg aria-label="x"><text>wide</text><text>a<tspan>b</tspan></text></svg></main>`;
  for (const text of document.querySelectorAll("text, tspan"))
    Object.assign(text, { getComputedTextLength: () => 41.5 });
  const read = new DOMParser().parseFromString(
    standAlone(document.querySelector("svg")!, "").svg,
    "image/svg+xml",
  );
  const [wide, mixed] = [...read.querySelectorAll("svg svg text")];
  expect(wide!.getAttribute("textLength")).toBe("41.50");
  // A part within a line keeps its own; the whole is not squeezed twice.
  expect(mixed!.getAttribute("textLength")).toBeNull();
  expect(mixed!.querySelector("tspan")!.getAttribute("textLength")).toBe("41.50");
});

test("the title is the nearest heading above, else the part's name", () => {
  sized(300, 100);
  document.body.innerHTML = `<main><h1>Page</h1><section aria-label="Levels"><svg aria-label="x"></svg></section></main>`;
  expect(titleOf(document.querySelector("svg")!)).toBe("Levels");
  document.body.innerHTML = `<main><div><h3>One</h3></div><div><div><svg aria-label="x"></svg></div></div></main>`;
  expect(titleOf(document.querySelector("svg")!)).toBe("One");
  document.body.innerHTML = `<main><svg aria-label="alone"></svg></main>`;
  expect(titleOf(document.querySelector("svg")!)).toBe("alone");
});

test("names, lines and sizes", () => {
  expect(fileName("Low Water", 'A/B: "x" <y>', "svg")).toBe("Low Water, A B x y.svg");
  expect(fileName("", "???", "png")).toBe("picture.png");
  expect(fileName("Straße", "Çà", "png")).toBe("Straße, Çà.png");
  expect(toldApart(["Space", "Sum", "Space", "Space"])).toEqual([
    "Space",
    "Sum",
    "Space 2",
    "Space 3",
  ]);
  expect(inLines("one two three", 9)).toEqual(["one two", "three"]);
  expect(inLines("", 9)).toEqual([]);
  expect(scaleFor(800, 400)).toBe(2);
  const scale = scaleFor(20_000, 8_000);
  expect(20_000 * scale * 8_000 * scale).toBeCloseTo(40_000_000, 0);
});
