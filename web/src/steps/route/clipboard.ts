/** Copied parts, kept in this browser for pasting in this rig or another. */
import { api, ask, type RigAction, type Schemas, sentenceOf, type Variant } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { announce } from "../../ui/controls";

const CLIPBOARD = "fonodrome.copied";

/** Keep parts, with the rails between them. */
export function copyParts(variant: Variant, nodes: string[]): void {
  void ask(
    api.POST("/api/v1/variants/{variant_id}/copy", {
      params: { path: { variant_id: variant.id } },
      body: { nodes },
    }),
  )
    .then((part) => {
      localStorage.setItem(CLIPBOARD, JSON.stringify(part));
      announce(
        nodes.length === 1
          ? `${nameOf(variant, nodes[0]!)} copied.`
          : `${nodes.length} parts copied.`,
      );
    })
    .catch((fault) => announce(sentenceOf(fault), { kind: "fault" }));
}

export function pasteParts(edit: (action: RigAction) => void, at: string | null): void {
  const held = localStorage.getItem(CLIPBOARD);
  if (!held) return announce("Nothing is copied yet.");
  const fragment = readCopied(held);
  if (fragment) return edit({ do: "paste", fragment, at });
  localStorage.removeItem(CLIPBOARD);
  announce("What was copied cannot be read any more: copy it again.", { kind: "fault" });
}

/** Copied parts, if they can be read; whether they fit together is the server's to say. */
export function readCopied(text: string): Schemas["Fragment"] | null {
  try {
    const found: unknown = JSON.parse(text);
    const sound = !!found && typeof found === "object" && "nodes" in found;
    return sound ? (found as Schemas["Fragment"]) : null;
  } catch {
    return null;
  }
}
