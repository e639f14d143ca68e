/**
 * A picture of a page as a file of its own: an SVG that needs no style sheet, with its title, what it says
 * and what its lines are, and the same as a PNG. Its axes and units are in the picture already.
 */

import letters from "@fontsource-variable/atkinson-hyperlegible-next/files/atkinson-hyperlegible-next-latin-wght-normal.woff2?url";

export interface Kept {
  title: string;
  about: string;
  svg: string;
  width: number;
  height: number;
}

const SVG = "http://www.w3.org/2000/svg";
/** What is painted with; all else of a style is the page's. */
const PAINTED = [
  "fill",
  "fill-opacity",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-linecap",
  "stroke-linejoin",
  "stroke-opacity",
  "opacity",
  "font-size",
  "font-weight",
  "font-style",
  "text-anchor",
  "dominant-baseline",
  "visibility",
] as const;
const OWN = /^(?:aria-.*|data-.*|class|style|tabindex|role|id|fontsize|fontweight)$/;
const FONT = "'Atkinson Hyperlegible Next', 'DejaVu Sans', sans-serif";
let font: Promise<string> | null = null;
/** The page's own letters as a style sheet that needs no other file; none where they cannot be had. */
export function lettersOwn(): Promise<string> {
  font ??= fetch(letters)
    .then((answer) => answer.arrayBuffer())
    .then((bytes) => {
      const text = Array.from(new Uint8Array(bytes), (b) => String.fromCharCode(b)).join("");
      return `@font-face { font-family: 'Atkinson Hyperlegible Next'; font-weight: 200 800; src: url(data:font/woff2;base64,${btoa(text)}); }`;
    })
    .catch(() => "");
  return font;
}
const PAD = 16;
const LINE = 18;

/** Pictures smaller than these are marks in a line of words. */
const LEAST = { width: 150, height: 40 };

/** All pictures that are seen on the page, in its order. */
export function picturesOn(root: ParentNode): SVGSVGElement[] {
  return [...root.querySelectorAll("svg")].filter((svg) => {
    if (svg.closest("dialog") || svg.parentElement?.closest("svg")) return false;
    const box = svg.getBoundingClientRect();
    const seen = svg.checkVisibility?.() ?? true;
    return seen && box.width >= LEAST.width && box.height >= LEAST.height;
  });
}

/** Its heading: the nearest one above it, within the part of the page that it stands in. */
export function titleOf(svg: Element): string {
  for (let at: Element | null = svg; at && at.tagName !== "MAIN"; at = at.parentElement) {
    const named =
      at !== svg && at.matches("section, figure, article") && at.getAttribute("aria-label");
    if (named) return named;
    for (let before = at.previousElementSibling; before; before = before.previousElementSibling) {
      const heading = before.matches("h1, h2, h3, legend")
        ? before
        : [...before.querySelectorAll("h1, h2, h3, legend")].at(-1);
      const words = heading?.textContent?.trim();
      if (words) return words;
    }
  }
  return svg.getAttribute("aria-label") ?? "Picture";
}

function aboutOf(svg: Element): string {
  const own =
    svg.getAttribute("aria-label") ?? svg.querySelector(":scope > title")?.textContent ?? "";
  return own || (svg.closest("[aria-label]")?.getAttribute("aria-label") ?? "");
}

/** The names of its lines, each with the sample that stands before it. */
function namesBeside(svg: Element): { name: string; sample: SVGSVGElement | null }[] {
  for (let at: Element | null = svg, up = 0; at && up < 3; at = at.parentElement, up++) {
    const list = at.parentElement?.querySelector('[aria-label="What is drawn"]');
    if (list)
      return [...list.querySelectorAll("li")].map((item) => ({
        name: item.textContent?.trim() ?? "",
        sample: item.querySelector("svg"),
      }));
  }
  return [];
}

/** As it is painted now: the style of each part stands at the part. */
function painted(original: Element): Element | null {
  const style = getComputedStyle(original);
  if (style.display === "none") return null;
  const copy = original.cloneNode(false) as Element;
  for (const { name } of [...copy.attributes]) if (OWN.test(name)) copy.removeAttribute(name);
  for (const name of PAINTED) {
    const value = style.getPropertyValue(name);
    if (value) copy.setAttribute(name, value);
  }
  // Whatever letters stand in for the page's, words keep their width and lie over nothing.
  if (/^t(?:ext|span)$/.test(original.tagName) && !original.children.length) {
    const wide = (original as SVGTextContentElement).getComputedTextLength?.() ?? 0;
    if (wide > 0) {
      copy.setAttribute("textLength", wide.toFixed(2));
      copy.setAttribute("lengthAdjust", "spacingAndGlyphs");
    }
  }
  for (const child of original.childNodes) {
    if (child.nodeType === Node.TEXT_NODE) copy.append(child.textContent ?? "");
    else if (child.nodeType === Node.ELEMENT_NODE) {
      const made = painted(child as Element);
      if (made) copy.append(made);
    }
  }
  return copy;
}

const make = (name: string, values: Record<string, string | number>, words = "") => {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(values)) element.setAttribute(key, String(value));
  if (words) element.textContent = words;
  return element;
};

/** Words in lines of so many letters; a word that is longer has its own. */
export function inLines(words: string, letters: number): string[] {
  const lines: string[] = [];
  for (const word of words.split(/\s+/).filter(Boolean)) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + word.length < letters)
      lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}

/** The picture with its title above it, on the paper it is seen on. of: what it is a picture of. */
export function standAlone(svg: SVGSVGElement, of: string, letters = ""): Kept {
  const box = svg.getBoundingClientRect();
  const [width, height] = [Math.ceil(box.width), Math.ceil(box.height)];
  const title = titleOf(svg);
  const about = aboutOf(svg);
  const root = getComputedStyle(document.documentElement);
  const [paper, ink] = [
    root.backgroundColor || "white",
    getComputedStyle(document.body).color || "black",
  ];
  const whole = make("svg", { "font-family": FONT });
  whole.append(make("title", {}, of ? `${title}, ${of}` : title), make("desc", {}, about));
  if (letters) whole.append(make("style", {}, letters));
  const back = make("rect", { fill: paper });
  whole.append(back);
  let y = PAD + 14;
  const say = (words: string, size: number, weight: number) => {
    for (const line of inLines(words, Math.max(30, (width / size) * 1.9))) {
      whole.append(
        make("text", { x: PAD, y, fill: ink, "font-size": size, "font-weight": weight }, line),
      );
      y += LINE;
    }
  };
  say(title, 16, 650);
  if (of) say(of, 13, 400);
  if (about && about !== title) say(about, 13, 400);
  for (const { name, sample } of namesBeside(svg)) {
    const at = sample?.getBoundingClientRect();
    const mark = sample && painted(sample);
    if (mark && at) {
      const place = { x: PAD, y: y - 11, width: at.width, height: at.height };
      for (const [key, value] of Object.entries(place)) mark.setAttribute(key, String(value));
      whole.append(mark);
    }
    const x = PAD + (at?.width ?? 0) + 8;
    whole.append(make("text", { x, y, fill: ink, "font-size": 13 }, name));
    y += LINE;
  }
  const drawing = painted(svg) ?? make("svg", {});
  if (!drawing.getAttribute("viewBox")) drawing.setAttribute("viewBox", `0 0 ${width} ${height}`);
  for (const [key, value] of Object.entries({ x: PAD, y, width, height }))
    drawing.setAttribute(key, String(value));
  whole.append(drawing);
  const size = { width: width + 2 * PAD, height: y + height + PAD };
  for (const element of [whole, back])
    for (const [key, value] of Object.entries(size)) element.setAttribute(key, String(value));
  whole.setAttribute("viewBox", `0 0 ${size.width} ${size.height}`);
  return { title, about, svg: new XMLSerializer().serializeToString(whole), ...size };
}

/** 'Low Water, Error at each repeat.svg', of letters that every disk takes. */
export function fileName(of: string, title: string, form: "svg" | "png" | "csv"): string {
  const plain = [of, title]
    .filter(Boolean)
    .join(", ")
    .replace(/[^\p{L}\p{N} ,.()+-]+/gu, " ");
  return `${plain.replace(/\s+/g, " ").trim().slice(0, 100) || "picture"}.${form}`;
}

const MOST_PIXELS = 40_000_000;
/** Twice the size that is seen, or as much as a browser draws. */
export const scaleFor = (width: number, height: number) =>
  Math.min(2, Math.sqrt(MOST_PIXELS / (width * height)));

export async function asPng(kept: Kept): Promise<Blob> {
  const url = URL.createObjectURL(new Blob([kept.svg], { type: "image/svg+xml" }));
  try {
    const image = new Image();
    image.src = url;
    await image.decode();
    const scale = scaleFor(kept.width, kept.height);
    const canvas = document.createElement("canvas");
    canvas.width = Math.round(kept.width * scale);
    canvas.height = Math.round(kept.height * scale);
    canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise((done, fail) =>
      canvas.toBlob((blob) => (blob ? done(blob) : fail(new Error("no picture"))), "image/png"),
    );
  } finally {
    URL.revokeObjectURL(url);
  }
}

export function keepFile(blob: Blob, name: string): void {
  const url = URL.createObjectURL(blob);
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** Each name once: a second of the same name has its number. */
export function toldApart(titles: readonly string[]): string[] {
  return titles.map((title, n) => {
    const before = titles.slice(0, n).filter((t) => t === title).length;
    return before ? `${title} ${before + 1}` : title;
  });
}
