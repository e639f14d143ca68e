/** Time fields of a rig's stages, and how each follows a delay of the song. */
import type { Kind, Variant } from "../api/client";
import { nameOf } from "./names";

export interface TimeField {
  /** "node.field": what is kept in hand of it. */
  id: string;
  node: string;
  field: string;
  /** "Echo: time". */
  name: string;
  value: string;
}

/** All of them, in the order that the rig is read in; a delay's own time before other times. */
export function timeFields(variant: Variant | undefined, kinds: Kind[]): TimeField[] {
  if (!variant) return [];
  const nodes = variant.document.nodes ?? {};
  const found = variant.view.layout.reading.flatMap((id) => {
    const node = nodes[id] as (Record<string, unknown> & { kind: string }) | undefined;
    const known = kinds.find((k) => k.kind === node?.kind)?.parameters ?? [];
    return known
      .filter((p) => p.sort === "time" && typeof node?.[p.field] === "string")
      .map((p) => ({
        id: `${id}.${p.field}`,
        node: id,
        field: p.field,
        name: `${nameOf(variant, id)}: ${p.label}`,
        value: node![p.field] as string,
        first: node!.kind === "delay" && p.field === "time",
      }));
  });
  return [...found.filter((f) => f.first), ...found.filter((f) => !f.first)].map(
    ({ id, node, field, name, value }) => ({ id, node, field, name, value }),
  );
}

/** Index of the song's delay that a written time means: by its name, else one of the same value. */
export function delayOf(
  value: string,
  written: string[],
  delays: { value: string }[],
): { at: number; linked: boolean } | null {
  const byName = written.indexOf(value.trim());
  if (byName >= 0) return { at: byName, linked: true };
  const byValue = delays.findIndex((d) => d.value === value.trim());
  return byValue >= 0 ? { at: byValue, linked: false } : null;
}
