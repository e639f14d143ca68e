/** Where an arrow key leads on a fitted course: along a rail, or to what is nearest across. */
import type { Fitted } from "./fit";

export interface Stop {
  id: string;
  x: number;
  y: number;
  /** For a rail: where it comes from and goes to, as they are drawn. */
  from?: string;
  to?: string;
}

/** Everything that can be selected: marks, and rails that have a strip. */
export function stopsOf(fitted: Fitted, hasStrip: (targetKind: string) => boolean): Stop[] {
  const head = headsOf(fitted);
  const kinds = new Map(fitted.nodes.map((n) => [n.node.id, n.node.kind]));
  const stops: Stop[] = fitted.nodes.map((n) => ({ id: n.node.id, x: n.x, y: n.y }));
  for (const { rail, points } of fitted.rails) {
    const to = head(rail.target ?? "");
    if (!hasStrip(kinds.get(to) ?? "")) continue;
    const [x, y] = middleOf(points);
    stops.push({ id: rail.port, x, y, from: head(sourceOf(rail.port)), to });
  }
  return stops;
}

export const sourceOf = (port: string) => port.slice(0, port.lastIndexOf("."));

/** The mark that stands for a part: its own, or that of the run that it is folded into. */
export function headsOf(fitted: Fitted): (id: string) => string {
  const heads = new Map<string, string>();
  for (const n of fitted.nodes) for (const id of n.folded) heads.set(id, n.node.id);
  return (id) => heads.get(id) ?? id;
}

/** The middle of the longest level part of a rail. */
export function middleOf(points: [number, number][]): [number, number] {
  let best: [number, number] = points[0]!;
  let longest = -1;
  for (let i = 1; i < points.length; i++) {
    const [p, q] = [points[i - 1]!, points[i]!];
    const length = Math.abs(q[0] - p[0]);
    if (length > longest) {
      longest = length;
      best = [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
    }
  }
  return best;
}

export type Arrow = "ArrowLeft" | "ArrowRight" | "ArrowUp" | "ArrowDown";

/** Where an arrow leads by what is drawn alone. */
function plain(fitted: Fitted, stops: Stop[], at: string, key: Arrow): string | undefined {
  const here = stops.find((s) => s.id === at);
  if (!here) return undefined;
  const known = new Map(stops.map((s) => [s.id, s]));
  const head = headsOf(fitted);
  const along = key === "ArrowRight" ? 1 : key === "ArrowLeft" ? -1 : 0;
  if (along) {
    if (here.from !== undefined) return along > 0 ? here.to : here.from;
    const ways = fitted.rails
      .filter(({ rail }) => !rail.back)
      .filter(({ rail }) =>
        along > 0 ? head(sourceOf(rail.port)) === at : head(rail.target ?? "") === at,
      )
      // The rail that stays on this line is meant first.
      .sort((p, q) => off(p, here, along) - off(q, here, along));
    const way = ways[0]?.rail;
    if (way) {
      if (known.get(way.port)?.from !== undefined) return way.port;
      return along > 0 ? head(way.target ?? "") : head(sourceOf(way.port));
    }
    // Where no rail goes on: what stands next on the same line.
    return nearest(
      stops.filter((s) => Math.abs(s.y - here.y) < 6 && Math.sign(s.x - here.x) === along),
      here,
    );
  }
  const down = key === "ArrowDown";
  const beyond = stops.filter((s) => (down ? s.y > here.y + 6 : s.y < here.y - 6));
  if (!beyond.length) return undefined;
  const line = down ? Math.min(...beyond.map((s) => s.y)) : Math.max(...beyond.map((s) => s.y));
  return nearest(
    beyond.filter((s) => Math.abs(s.y - line) < 6),
    here,
  );
}

function off({ points }: Fitted["rails"][number], here: Stop, along: number): number {
  const far = along > 0 ? points.at(-1)! : points[0]!;
  const near = along > 0 ? points[1]! : points.at(-2)!;
  return Math.abs(near[1] - here.y) * 10 + Math.abs(far[1] - here.y);
}

function nearest(stops: Stop[], here: Stop): string | undefined {
  return [...stops].sort((a, b) => Math.abs(a.x - here.x) - Math.abs(b.x - here.x))[0]?.id;
}

export const ARROWS: Arrow[] = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown"];
export type Ways = Map<string, Partial<Record<Arrow, string>>>;

/**
 * Where every arrow leads from every stop. What could not be come to by following what is drawn is made
 * the end of an arrow across from what stands near it, so that arrows reach everything.
 */
export function waysOf(fitted: Fitted, stops: Stop[]): Ways {
  const ways: Ways = new Map();
  for (const { id } of stops)
    ways.set(
      id,
      Object.fromEntries(
        ARROWS.flatMap((key) => {
          const to = plain(fitted, stops, id, key);
          return to === undefined ? [] : [[key, to]];
        }),
      ),
    );
  for (;;) {
    const seen = reachedFrom(ways, stops[0]?.id);
    const lost = stops.find((s) => !seen.has(s.id));
    if (!lost || !patched(ways, stops, seen, lost)) return ways;
  }
}

function reachedFrom(ways: Ways, start: string | undefined): Set<string> {
  const seen = new Set(start === undefined ? [] : [start]);
  for (const id of seen) for (const to of Object.values(ways.get(id) ?? {})) seen.add(to);
  return seen;
}

function patched(ways: Ways, stops: Stop[], seen: Set<string>, lost: Stop): boolean {
  const far = (s: Stop) => Math.abs(s.x - lost.x) + Math.abs(s.y - lost.y);
  const near = stops.filter((s) => seen.has(s.id)).sort((a, b) => far(a) - far(b));
  for (const from of near) {
    const own = ways.get(from.id)!;
    const across: Arrow = from.y < lost.y ? "ArrowDown" : "ArrowUp";
    const along: Arrow = from.x < lost.x ? "ArrowRight" : "ArrowLeft";
    for (const key of Math.abs(from.y - lost.y) < 6 ? [along] : [across, along]) {
      const before = own[key];
      own[key] = lost.id;
      const after = reachedFrom(ways, stops[0]!.id);
      if (after.size > seen.size && [...seen].every((id) => after.has(id))) return true;
      if (before === undefined) delete own[key];
      else own[key] = before;
    }
  }
  return false;
}
