/** Stages of one kind in a variant. */
import type { Variant } from "../api/client";

export type Stage = NonNullable<Variant["document"]["nodes"]>[string];

/** In the order that the rig is read in. */
export function stagesOf(variant: Variant | undefined, kind: string): Stage[] {
  const nodes = variant?.document.nodes ?? {};
  const reading = variant?.view.layout.reading ?? Object.keys(nodes);
  return reading.flatMap((id) => (nodes[id]?.kind === kind ? [nodes[id]] : []));
}
