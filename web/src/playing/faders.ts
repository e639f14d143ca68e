/** Faders of a place that cannot be balanced live: what each is set to, and the edit that sets it. */
import type { Schemas } from "../api/client";
import { besideOf, type Section } from "../rigs/sections";
import type { Edit } from "../rigs/variants";
import { editsOf } from "./settle";

export interface Fader {
  key: string;
  name: string;
  value: number;
  low: number;
  high: number;
  step: number;
  unit: string;
  edits: (value: number) => Edit[];
}

interface Document {
  nodes?: Record<string, unknown>;
  rails?: Record<string, { strip?: { level_db?: number } }>;
}
interface Mixed extends Section {
  mix_percent?: number;
}

/** Of a merge or bus the level of every input; of a device, or a section of a frame, its mix. */
export function fadersOf(place: Schemas["PlaceOut"], document: Document): Fader[] {
  const nodes = document.nodes ?? {};
  if (!place.inside)
    return place.stems
      .filter((s) => s.level_db !== null)
      .map((s) => ({
        key: s.id,
        name: s.name,
        value: document.rails?.[s.id]?.strip?.level_db ?? 0,
        low: -40,
        high: 12,
        step: 0.5,
        unit: "dB",
        edits: (level_db) => [{ do: "set_strip", rail: s.id, values: { level_db } }],
      }));
  const [id, siding] = place.id.split("@") as [string, string?];
  const node = nodes[id] as
    { mix_percent?: number; beside?: Mixed[]; calls?: number[] } | undefined;
  const value = siding ? besideOf(node, Number(siding))?.mix_percent : node?.mix_percent;
  if (value === undefined) return [];
  return [
    {
      key: place.id,
      name: `Mix of ${place.name}`,
      value,
      low: 0,
      high: 100,
      step: 1,
      unit: "%",
      edits: (mix) => editsOf([{ part: place.id, field: "mix_percent", value: mix }], nodes),
    },
  ];
}
