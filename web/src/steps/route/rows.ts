/** A laid-out rig as rows from top to bottom: what passes each row, what comes in, what goes out. */
import type { RigView } from "../../api/client";

type Layout = RigView["layout"];
export type PlacedNode = Layout["nodes"][number];

export interface Strand {
  lane: number;
  wet: boolean;
}

export interface DownRow {
  node: PlacedNode;
  /** Of ways that begin above and end below. */
  through: Strand[];
  in: Strand[];
  out: Strand[];
  /** Nodes that it feeds back to, further up. */
  back: string[];
}

/** The lane that a way stays in longest. */
export function laneOf(rail: Layout["rails"][number]): number {
  let best = Math.max(...rail.lanes);
  let longest = 0;
  for (let i = 1; i < rail.lanes.length; i++) {
    const along = Math.abs(rail.xs[i]! - rail.xs[i - 1]!);
    if (rail.lanes[i] === rail.lanes[i - 1] && along > longest) {
      longest = along;
      best = rail.lanes[i]!;
    }
  }
  return best;
}

/** targets: where each rail leads, by its port. */
export function downRows(layout: Layout, targets: Record<string, string>): DownRow[] {
  const nodes = [...layout.nodes].sort((a, b) => a.x - b.x || a.lane - b.lane);
  const at = new Map(nodes.map((n, i) => [n.id, i]));
  const rows: DownRow[] = nodes.map((node) => ({ node, through: [], in: [], out: [], back: [] }));
  for (const rail of layout.rails) {
    const from = at.get(rail.port.slice(0, rail.port.lastIndexOf(".")));
    const to = at.get(targets[rail.port] ?? "");
    if (from === undefined || to === undefined) continue;
    if (to <= from) {
      rows[from]!.back.push(nodes[to]!.id);
      continue;
    }
    const strand = { lane: laneOf(rail), wet: !!rail.wet && !rail.dry };
    rows[from]!.out.push(strand);
    rows[to]!.in.push(strand);
    for (let i = from + 1; i < to; i++) rows[i]!.through.push(strand);
  }
  return rows;
}
