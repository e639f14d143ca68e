/** Traits of kinds, as the core describes them: asked for here, never listed. */
import type { Kind } from "../api/client";

export type Trait = Kind["traits"][number];

/** Whether a kind has a trait; false for one that is not known, or not loaded yet. */
export function hasTrait(kinds: Kind[] | undefined, kind: string | undefined, trait: Trait) {
  return kinds?.some((one) => one.kind === kind && one.traits.includes(trait)) ?? false;
}
