/** Settings that a balance comes to, as edits of the rig. */
import type { Schemas } from "../api/client";
import { besideOf, type Section } from "../rigs/sections";
import type { Edit } from "../rigs/variants";

type Nodes = Record<string, unknown>;

/** Rails, nodes, and the sections of frames, whose paths are kept as one list. */
export function editsOf(settings: Schemas["BalancedSetting"][], nodes: Nodes): Edit[] {
  const found: Edit[] = [];
  const sections = new Map<string, Record<string, number>>();
  for (const { part, field, value } of settings) {
    if (part.includes("@")) sections.set(part, { ...(sections.get(part) ?? {}), [field]: value });
    else if (part.includes("."))
      found.push({ do: "set_strip", rail: part, values: { [field]: value } });
    else found.push({ do: "set", node: part, values: { [field]: value } });
  }
  for (const [part, values] of sections) {
    const [id, place] = part.split("@") as [string, string];
    const frame = nodes[id] as { beside?: Section[]; calls?: number[] } | undefined;
    const meant = besideOf(frame, Number(place));
    const beside = (frame?.beside ?? []).map((s) => (s === meant ? { ...s, ...values } : s));
    found.push({ do: "arrange", frame: id, beside } as Edit);
  }
  return found;
}
