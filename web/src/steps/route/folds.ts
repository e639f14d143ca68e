/** Runs of stages that one ring can stand for on a crowded course. */
import type { RigView } from "../../api/client";

type Layout = RigView["layout"];

export interface Folding {
  flags: { at: string }[];
  selected: string;
  /** Ids of stages whose runs a person folded, and whose runs they opened. */
  foldedBy?: string[];
  openedBy?: string[];
}

/** Runs that one ring stands for, by their first stage: those folded by hand; else all that nothing holds open. */
export function foldsOf(layout: Layout, folding: Folding, all: boolean): Map<string, string[]> {
  const { selected, flags, foldedBy = [], openedBy = [] } = folding;
  const found = new Map<string, string[]>();
  if (!all && !foldedBy.length) return found;
  const flagged = new Set(flags.map((f) => f.at));
  for (const run of runsOf(layout)) {
    const byHand = run.some((id) => foldedBy.includes(id));
    const kept = run.some((id) => id === selected || flagged.has(id) || openedBy.includes(id));
    if (byHand ? run.length > 1 : all && run.length > 2 && !kept) found.set(run[0]!, run);
  }
  return found;
}

const JOINS = new Set([
  "source",
  "output",
  "split",
  "merge",
  "bus",
  "passive_mixer",
  "send",
  "return",
]);

/** Stages in a row on one straight line, each with one way in and one way out. */
export function runsOf(layout: Layout): string[][] {
  const nodes = new Map(layout.nodes.map((n) => [n.id, n]));
  const next = new Map<string, string>();
  const ways = new Map<string, number>();
  const into = new Map<string, number>();
  for (const rail of layout.rails) {
    const from = rail.port.slice(0, rail.port.lastIndexOf("."));
    ways.set(from, (ways.get(from) ?? 0) + 1);
    into.set(rail.target ?? "", (into.get(rail.target ?? "") ?? 0) + 1);
    if (!rail.back && rail.lanes.length === 2 && !rail.caption) next.set(from, rail.target ?? "");
  }
  const single = (id: string | undefined) => {
    const node = id === undefined ? undefined : nodes.get(id);
    return (
      !!node &&
      !JOINS.has(node.kind) &&
      (ways.get(node.id) ?? 0) <= 1 &&
      (into.get(node.id) ?? 0) <= 1
    );
  };
  const runs: string[][] = [];
  const inside = new Set<string>();
  for (const node of [...layout.nodes].sort((a, b) => a.x - b.x)) {
    if (inside.has(node.id) || !single(node.id)) continue;
    const run = [node.id];
    let at = next.get(node.id);
    while (at && single(at) && !run.includes(at) && nodes.get(at)!.lane === node.lane) {
      run.push(at);
      at = next.get(at);
    }
    for (const id of run) inside.add(id);
    if (run.length > 1) runs.push(run);
  }
  return runs;
}
