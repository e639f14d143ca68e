/** What of a rig that is only thought of is not there yet. */
import type { Variant } from "../../api/client";

type Document = Pick<Variant["document"], "nodes" | "rails">;

const THROUGH = ["split", "send", "merge", "bus"];

/**
 * Parts and rails, by id, that are new in `after`. Where a split, a send or a join is put on a rail, both
 * its halves still are that rail.
 */
export function ghostsOf(before: Document, after: Document): Set<string> {
  const nodes = (before.nodes ?? {}) as Record<string, unknown>;
  const rails = (before.rails ?? {}) as Record<string, { target: string }>;
  const kinds = (after.nodes ?? {}) as Record<string, { kind: string }>;
  const fed = new Set(Object.values(rails).map((r) => r.target));
  const found = new Set(Object.keys(kinds).filter((id) => !(id in nodes)));
  for (const [port, { target }] of Object.entries(after.rails ?? {})) {
    const was = rails[port];
    if (was?.target === target) continue;
    const source = port.slice(0, port.lastIndexOf("."));
    // Its first half ends in what was put on it; its second half goes on where it went.
    const first = was !== undefined && !(target in nodes);
    const second =
      !(source in nodes) &&
      port.endsWith(".0") &&
      THROUGH.includes(kinds[source]?.kind ?? "") &&
      fed.has(target);
    if (!first && !second) found.add(port);
  }
  return found;
}
