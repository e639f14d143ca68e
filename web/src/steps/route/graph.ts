/** What stands where in a rig, and the actions that begin at a place. */
import type { RigAction, Variant } from "../../api/client";

/** The rail behind what is selected (or the one before it), where things are inserted. */
export function railOf(
  variant: Variant | undefined,
  selected: string,
  before = false,
): string | null {
  if (!variant) return null;
  const rails = variant.document.rails ?? {};
  if (selected in rails) return selected;
  if (before) return Object.keys(rails).find((port) => rails[port]!.target === selected) ?? null;
  if (`${selected}.0` in rails) return `${selected}.0`;
  const kind = (variant.document.nodes?.[selected] as { kind: string } | undefined)?.kind;
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
export const beside = (start: string, kind: string): RigAction => ({
  do: "parallel",
  start,
  kind,
  mode: "full",
  values: {},
});
export const sendTo = (at: string, kind: string): RigAction => ({
  do: "send",
  at,
  kind,
  level_db: -6,
  values: {},
});

/** Where a rail leads, as ids of nodes. */
function onward(variant: Variant, id: string): string[] {
  const rails = variant.document.rails ?? {};
  return Object.keys(rails)
    .filter((port) => port.slice(0, port.lastIndexOf(".")) === id)
    .map((port) => rails[port]!.target);
}

function reached(variant: Variant, from: string): Set<string> {
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
 * The parts that are meant: between a mark and what is selected, both included; the stages of a
 * selected rail up to where it joins; else the one that is selected.
 */
export function meant(variant: Variant, marked: string | null, selected: string): string[] {
  const nodes = variant.document.nodes ?? {};
  const rails = variant.document.rails ?? {};
  if (selected in rails) {
    const found: string[] = [];
    let next = rails[selected]!.target;
    while (next && !found.includes(next) && isStage(variant, next)) {
      found.push(next);
      next = rails[`${next}.0`]?.target ?? "";
    }
    return found;
  }
  if (!(selected in nodes)) return [];
  if (!marked || marked === selected || !(marked in nodes)) return [selected];
  for (const [from, to] of [
    [marked, selected],
    [selected, marked],
  ] as const) {
    const ahead = reached(variant, from);
    if (ahead.has(to)) return [...ahead].filter((id) => reached(variant, id).has(to));
  }
  return [selected];
}

function isStage(variant: Variant, id: string): boolean {
  const node = variant.document.nodes?.[id] as { kind: string } | undefined;
  return (
    node !== undefined &&
    !["source", "output", "split", "merge", "bus", "passive_mixer"].includes(node.kind)
  );
}
