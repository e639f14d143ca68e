/** What is wrong with a drawing: boxes over each other, lines in one another, things outside the sheet. */
import type { Fitted, Box } from "../src/steps/route/fit";

type Rail = Fitted["rails"][number]["rail"];

/** Pairs of boxes that lie over each other, and boxes that leave the sheet: there should be none. */
export function clashes(fitted: Fitted): string[] {
  const said: string[] = [];
  const { boxes } = fitted;
  for (const b of boxes)
    if (b.x1 < -0.5 || b.y1 < -0.5 || b.x2 > fitted.width + 0.5 || b.y2 > fitted.height + 0.5)
      said.push(`${b.what} of ${b.of} leaves the sheet`);
  for (let i = 0; i < boxes.length; i++)
    for (let j = i + 1; j < boxes.length; j++) {
      const [a, b] = [boxes[i]!, boxes[j]!];
      if (a.of === b.of && a.what !== "flag" && b.what !== "flag") continue;
      if (!(a.x1 < b.x2 - 0.5 && b.x1 < a.x2 - 0.5 && a.y1 < b.y2 - 0.5 && b.y1 < a.y2 - 0.5))
        continue;
      if (isLine(a) && isLine(b)) {
        // Lines cross; they do not run in one another, but where they have left or reach one mark.
        if (a.what !== b.what || sameEnd(fitted, a.of, b.of)) continue;
      }
      if (touches(fitted, a, b) || touches(fitted, b, a)) continue;
      said.push(`${a.what} of ${a.of} over ${b.what} of ${b.of}`);
    }
  return said;
}

const isLine = (box: Box) => box.what === "upright" || box.what === "level";

/** Rails from one mark leave it together, and rails into one mark come in together. */
function sameEnd(fitted: Fitted, a: string, b: string): boolean {
  const [p, q] = [a, b].map((port) => fitted.rails.find((r) => r.rail.port === port)!.rail);
  const from = (r: Rail) => r.port.slice(0, r.port.lastIndexOf("."));
  return from(p!) === from(q!) || p!.target === q!.target;
}

/** A rail may touch the mark that it begins or ends at. */
function touches(fitted: Fitted, a: Box, b: Box): boolean {
  if (!isLine(a) || b.what !== "mark") return false;
  const rail = fitted.rails.find((r) => r.rail.port === a.of)!.rail;
  const node = fitted.nodes.find((n) => n.node.id === b.of);
  const all = node?.folded.length ? node.folded : [b.of];
  return all.some((id) => rail.port.startsWith(`${id}.`) || rail.target === id);
}
