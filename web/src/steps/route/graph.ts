/** What stands where in a rig, and the actions that begin at a place. */
import type { Kind, RigAction, Schemas, Variant } from "../../api/client";

type Nodes = Record<string, { kind: string }>;
type Rails = Record<string, { target: string }>;

const nodesOf = (variant: Variant) => (variant.document.nodes ?? {}) as Nodes;
const railsOf = (variant: Variant) => (variant.document.rails ?? {}) as Rails;
const sourceOf = (port: string) => port.slice(0, port.lastIndexOf("."));

/** The rail behind what is selected (or the one before it), where things are inserted. */
export function railOf(
  variant: Variant | undefined,
  selected: string,
  before = false,
): string | null {
  if (!variant) return null;
  const rails = railsOf(variant);
  if (selected in rails) return selected;
  if (before) return Object.keys(rails).find((port) => rails[port]!.target === selected) ?? null;
  if (`${selected}.0` in rails) return `${selected}.0`;
  const kind = nodesOf(variant)[selected]?.kind;
  return kind && kind !== "output" ? `${selected}.0` : null;
}

export function firstOutput(variant: Variant): string | null {
  return variant.view.layout.nodes.find((n) => n.kind === "output")?.id ?? null;
}

export const insert = (at: string, kind: string): RigAction => ({
  do: "insert",
  at,
  kind,
  values: {},
});

/** Where a rail leads, as ids of nodes. */
function onward(variant: Variant, id: string): string[] {
  const rails = railsOf(variant);
  return Object.keys(rails)
    .filter((port) => sourceOf(port) === id)
    .map((port) => rails[port]!.target);
}

export function reached(variant: Variant, from: string): Set<string> {
  const seen = new Set([from]);
  const todo = [from];
  while (todo.length) {
    for (const next of onward(variant, todo.pop()!)) {
      if (!seen.has(next)) {
        seen.add(next);
        todo.push(next);
      }
    }
  }
  return seen;
}

/**
 * The parts that are meant. With two that lie on one way, marked or selected: all between them, both
 * included. Else every one that is marked, and what is selected; of a selected rail its stages up to
 * where it joins.
 */
export function meant(variant: Variant, marked: string[], selected: string): string[] {
  const nodes = nodesOf(variant);
  const rails = railsOf(variant);
  const known = marked.filter((id) => id in nodes);
  if (selected in rails && !known.length) {
    const found: string[] = [];
    let next = rails[selected]!.target;
    while (next && !found.includes(next) && isStage(variant, next)) {
      found.push(next);
      next = rails[`${next}.0`]?.target ?? "";
    }
    return found;
  }
  const all = [...new Set([...known, ...(selected in nodes ? [selected] : [])])];
  if (all.length === 2) {
    const [a, b] = all as [string, string];
    for (const [from, to] of [
      [a, b],
      [b, a],
    ] as const) {
      const ahead = reached(variant, from);
      if (ahead.has(to)) return [...ahead].filter((id) => reached(variant, id).has(to));
    }
  }
  return inOrder(variant, all);
}

function inOrder(variant: Variant, ids: string[]): string[] {
  const order = variant.view.layout.reading;
  return [...ids].sort((a, b) => order.indexOf(a) - order.indexOf(b));
}

const JOINS = ["source", "output", "split", "merge", "bus", "passive_mixer"];

function isStage(variant: Variant, id: string): boolean {
  const node = nodesOf(variant)[id];
  return node !== undefined && !JOINS.includes(node.kind);
}

/** Where sound leaves before a run of parts and where it has passed it; null for what is no run. */
export function endsOf(variant: Variant, parts: string[]): { start: string; end: string } | null {
  const rails = railsOf(variant);
  const inside = new Set(parts);
  const into = Object.keys(rails).filter(
    (port) => inside.has(rails[port]!.target) && !inside.has(sourceOf(port)),
  );
  const out = Object.keys(rails).filter(
    (port) => inside.has(sourceOf(port)) && !inside.has(rails[port]!.target),
  );
  if (into.length !== 1 || out.length !== 1) return null;
  return { start: into[0]!, end: out[0]! };
}

/** The rails behind each of the parts that are meant: where several are sent or joined at once. */
export function startsOf(variant: Variant, marked: string[], selected: string): string[] {
  if (!marked.length) {
    const one = railOf(variant, selected);
    return one ? [one] : [];
  }
  const all = inOrder(variant, [...new Set([...marked, ...(selected ? [selected] : [])])]);
  return all.flatMap((id) => railOf(variant, id) ?? []);
}

/** The rail before, or behind, one: where a new rail may leave instead. */
export function shifted(variant: Variant, start: string, way: -1 | 1): string | null {
  const rails = railsOf(variant);
  if (way < 0) {
    const source = sourceOf(start);
    return Object.keys(rails).find((port) => rails[port]!.target === source) ?? null;
  }
  const target = rails[start]?.target;
  return target && `${target}.0` in rails ? `${target}.0` : null;
}

/** Kinds that can be put on a rail: stages first, then what parts and joins. */
export function insertable(kinds: Kind[]): Kind[] {
  const fits = kinds.filter((k) => k.kind !== "source" && k.kind !== "strip");
  return [...fits.filter((k) => k.stage), ...fits.filter((k) => !k.stage)];
}

/** Buses and other places that what is sent could go to. */
export function busesOf(variant: Variant, starts: string[]): string[] {
  const before = new Set(starts.map(sourceOf));
  return variant.view.layout.reading.filter((id) => {
    const kind = nodesOf(variant)[id]?.kind;
    return kind === "bus" && ![...reached(variant, id)].some((n) => before.has(n));
  });
}

/** What a bus is for: the device that it feeds. */
export function behind(variant: Variant, bus: string): string {
  const rails = railsOf(variant);
  return rails[`${bus}.0`]?.target ?? "";
}

export type Lay = Schemas["Lay"];

export const layOf = (more: Partial<Lay> & Pick<Lay, "by" | "starts" | "to">): Lay => ({
  do: "lay",
  kind: null,
  values: {},
  mode: "full",
  join: "merge",
  level_db: more.by === "send" ? -6 : 0,
  ...more,
});
