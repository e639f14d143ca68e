/** The drawing says what moves: captions of parts and strips with how far a setting goes. */
import type { RigView, Schemas } from "../../api/client";
import { movedWords } from "../../playing/moves";

const joined = (caption: string, more: string | undefined) =>
  more ? (caption ? `${caption}, ${more}` : more) : caption;

export function withMoves(
  layout: RigView["layout"],
  ranges: Schemas["MovedRange"][],
): RigView["layout"] {
  if (!ranges.length) return layout;
  const words = movedWords(ranges);
  return {
    ...layout,
    nodes: layout.nodes.map((n) => ({ ...n, caption: joined(n.caption, words[n.id]) })),
    rails: layout.rails.map((r) => ({ ...r, caption: joined(r.caption ?? "", words[r.port]) })),
  };
}
