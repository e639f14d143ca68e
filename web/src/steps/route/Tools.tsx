/** The toolbar under the course: what its keys do, by pointer. */
import { Box } from "@chakra-ui/react";

import type { RigAction, Variant } from "../../api/client";
import { Press } from "../../ui/controls";
import { beside, firstOutput, insert, railOf, sendTo } from "./graph";

export type Pick = (picking: { title: string; then: (kind: string) => void } | null) => void;

export function Tools({
  variant,
  selected,
  onEdit,
  onPick,
  onFold,
  onFocus,
  chosen,
  marked,
  onMark,
  onCopy,
  onPaste,
}: {
  variant: Variant;
  selected: string;
  onEdit: (action: RigAction) => void;
  onPick: Pick;
  onFold: () => void;
  onFocus: () => void;
  /** What a copy or a deletion takes: the marked run, a rail's stages, or the selected part. */
  chosen: string[];
  marked: string | null;
  onMark: (id: string | null) => void;
  onCopy: () => void;
  onPaste: (at: string | null) => void;
}) {
  const rail = railOf(variant, selected);
  const node = variant.document.nodes?.[selected] as { kind: string } | undefined;
  const stage = node && !["source", "output", "split"].includes(node.kind);
  return (
    <Box
      role="toolbar"
      aria-label="Change the course"
      display="flex"
      flexWrap="wrap"
      gap="2px 10px"
      marginTop="4px"
    >
      <Press
        look="quiet"
        disabled={!rail}
        onClick={() =>
          rail && onPick({ title: "Insert a stage", then: (kind) => onEdit(insert(rail, kind)) })
        }
      >
        Insert a stage
      </Press>
      <Press
        look="quiet"
        disabled={!rail}
        onClick={() =>
          rail &&
          onPick({ title: "A rail beside it, with", then: (kind) => onEdit(beside(rail, kind)) })
        }
      >
        Rail beside it
      </Press>
      <Press
        look="quiet"
        disabled={!rail}
        onClick={() =>
          rail &&
          onPick({ title: "A send and return with", then: (kind) => onEdit(sendTo(rail, kind)) })
        }
      >
        Send and return
      </Press>
      <Press
        look="quiet"
        onClick={() =>
          onEdit({
            do: "start",
            kind: "source",
            values: {},
            into: firstOutput(variant),
          } as RigAction)
        }
      >
        Another source
      </Press>
      <Press
        look="quiet"
        disabled={!stage}
        onClick={() =>
          onPick({
            title: "Replace it by",
            then: (kind) => onEdit({ do: "replace", node: selected, kind }),
          })
        }
      >
        Replace
      </Press>
      <Press
        look="quiet"
        disabled={!stage}
        onClick={() => onEdit({ do: "bypass", node: selected })}
      >
        Bypass
      </Press>
      <Press
        look="quiet"
        disabled={!chosen.length}
        onClick={() => {
          onEdit({ do: "remove", nodes: chosen });
          onMark(null);
        }}
      >
        Delete{chosen.length > 1 ? ` ${chosen.length}` : ""}
      </Press>
      <Press look="quiet" disabled={!chosen.length} onClick={onCopy}>
        Copy{chosen.length > 1 ? ` ${chosen.length}` : ""}
      </Press>
      <Press look="quiet" onClick={() => onPaste(rail)}>
        Paste
      </Press>
      <Press
        look="quiet"
        disabled={!node && !marked}
        aria-pressed={marked !== null}
        onClick={() => onMark(marked ? null : selected)}
      >
        {marked ? "Unmark the run" : "Mark a run from here"}
      </Press>
      <Press look="quiet" disabled={!stage} onClick={onFold}>
        Fold
      </Press>
      <Press look="quiet" disabled={!node} onClick={onFocus}>
        Focus
      </Press>
    </Box>
  );
}
