/** Names of parts as the core shows them. */
import type { Variant } from "../api/client";

export function nameOf(variant: Variant, id: string): string {
  return variant.view.layout.nodes.find((n) => n.id === id)?.shown ?? id;
}
