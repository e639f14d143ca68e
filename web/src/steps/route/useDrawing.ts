/** How a course is drawn: what is folded, what belongs to one part alone, how close it stands. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Variant } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { type Closeness, wider } from "./fit";

/** What the sheet shows now, where nobody has said how close it shall be. */
const shownCloseness = () =>
  (document.querySelector("[data-closeness]")?.getAttribute("data-closeness") ??
    "wide") as Closeness;

export function useDrawing(variant: Variant | undefined, selected: string) {
  const [focus, setFocus] = useState<string | null>(null);
  const [foldedBy, setFoldedBy] = useState<string[]>([]);
  const [openedBy, setOpenedBy] = useState<string[]>([]);
  const [atLeast, setAtLeast] = useState<Closeness | null>(null);
  const id = variant?.id ?? "";
  const reduced = useQuery({
    queryKey: ["rig-layout", id, variant?.revision, focus],
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/layout", {
          params: { path: { variant_id: id }, query: { focus } },
        }),
      ),
    enabled: focus !== null && variant !== undefined,
  });
  return {
    foldedBy,
    openedBy,
    atLeast,
    /** The layout of what belongs to one part, where only that is wanted. */
    alone: focus !== null ? reduced.data : undefined,
    fold: () => {
      if (!selected) return;
      const folded = foldedBy.includes(selected);
      const without = (all: string[]) => all.filter((one) => one !== selected);
      setFoldedBy(folded ? without(foldedBy) : [...foldedBy, selected]);
      setOpenedBy(folded ? [...openedBy, selected] : without(openedBy));
    },
    focusHere: () => setFocus(focus === null && selected ? selected : null),
    zoom: (by: "apart" | "together" | "all", from?: Closeness) =>
      setAtLeast(by === "all" ? null : wider(from ?? atLeast ?? shownCloseness(), by)),
    /** What is left out of the drawing, in words; empty where nothing is. */
    said: (of: Variant) =>
      [
        focus === null ? "" : `Only what belongs to ${nameOf(of, focus)} is drawn.`,
        foldedBy.length ? `${foldedBy.length} folded.` : "",
      ]
        .filter(Boolean)
        .join(" "),
    drawAll: () => {
      setFocus(null);
      setFoldedBy([]);
    },
  };
}
