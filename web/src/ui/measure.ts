/** How wide a text is drawn, from the advance widths of the interface's own font; nothing is laid out. */

/** Hundredths of the size, by letters: at weight 400, and how much more at 650. */
const WIDTHS: [number, string][] = [
  [22, "'"],
  [28, ",.:;j`| "],
  [30, "il!"],
  [33, '"()f[]'],
  [37, "tr°{}-"],
  [41, "I/\\_1"],
  [49, "yvzsc*?x"],
  [55, "kae7J–uL2hno<>F^"],
  [60, "dgTbpqEY3×5PSV$69"],
  [64, "4BRZ+−80X#AK=C"],
  [70, "DwGHNUOQ"],
  [76, "…&@"],
  [88, "MmW"],
  [94, "%"],
];
const BY_LETTER = new Map(WIDTHS.flatMap(([width, those]) => [...those].map((c) => [c, width])));
/** Figures stand on equal widths. */
const FIGURE = 61;
const UNKNOWN = 104;

export function textWidth(text: string, size: number, bold = false): number {
  let sum = 0;
  for (const letter of text) {
    const plain = /\d/.test(letter) ? FIGURE : (BY_LETTER.get(letter) ?? accented(letter));
    sum += plain + (bold ? 3 : 0);
  }
  return (sum * size) / 100;
}

function accented(letter: string): number {
  const plain = letter.normalize("NFD")[0] ?? "";
  return BY_LETTER.get(plain) ?? UNKNOWN;
}

/** As much of a text as fits, with an ellipsis where something is left out. */
export function cutTo(text: string, room: number, size: number, bold = false): string {
  if (textWidth(text, size, bold) <= room) return text;
  const letters = [...text];
  while (letters.length > 1 && textWidth(`${letters.join("")}…`, size, bold) > room) letters.pop();
  return `${letters.join("").trimEnd()}…`;
}

const FAMILY = "'Atkinson Hyperlegible Next Variable'";
let canvas: CanvasRenderingContext2D | null | undefined;
const drawn = new Map<string, number>();

/** The interface's font is there to be measured; before that, widths are of another one. */
export const fontsLoaded = (): Promise<unknown> =>
  Promise.all([400, 650].map((weight) => document.fonts.load(`${weight} 12px ${FAMILY}`)));

/** How wide a text is drawn, asked of the browser where there is one; else from the advance widths. */
export function drawnWidth(text: string, size: number, bold = false): number {
  if (canvas === undefined)
    canvas =
      typeof document === "undefined" ? null : document.createElement("canvas").getContext("2d");
  if (!canvas) return textWidth(text, size, bold);
  const key = `${bold}${text}`;
  let unit = drawn.get(key);
  if (unit === undefined) {
    canvas.font = `${bold ? 650 : 400} 100px ${FAMILY}, sans-serif`;
    unit = canvas.measureText(text).width / 100;
    drawn.set(key, unit);
  }
  return unit * size;
}
