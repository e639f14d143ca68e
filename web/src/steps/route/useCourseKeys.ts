/** The keys of the course. */
import { api, ask, type RigAction, type Schemas, sentenceOf, type Variant } from "../../api/client";
import { useKey } from "../../ui/keys";
import { announce } from "../../ui/controls";
import { beside, insert, meant, railOf, sendTo } from "./graph";
import { nameOf } from "../../rigs/names";
import type { Sheet } from "./sheets";
import type { Pick } from "./Tools";

const CLIPBOARD = "fonodrome.copied";

/** Keep parts, with the rails between them, for pasting in this rig or another. */
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
  edit({ do: "paste", fragment: JSON.parse(held) as Schemas["Fragment"], at });
}

export function useCourseKeys({
  variant,
  selected,
  edit,
  turn,
  setPicking,
  setSheet,
  fold,
  focusHere,
  marked,
  setMarked,
}: {
  variant: Variant | undefined;
  selected: string;
  edit: (action: RigAction) => void;
  turn: (way: "undo" | "redo") => Promise<void>;
  setPicking: Pick;
  setSheet: (sheet: Sheet) => void;
  fold: () => void;
  focusHere: () => void;
  marked: string | null;
  setMarked: (id: string | null) => void;
}) {
  const rail = railOf(variant, selected);
  const earlier = railOf(variant, selected, true);
  const parts = variant ? meant(variant, marked, selected) : [];
  const isNode = Boolean(variant?.document.nodes?.[selected]);
  const open = variant?.view.checks.findings.filter((f) => !f.intended) ?? [];
  const none = () => announce("Select a stage first: arrow keys go along the course.");
  const on = (at: string | null, title: string, then: (at: string, kind: string) => RigAction) => {
    if (!at) return none();
    setPicking({ title, then: (kind) => edit(then(at, kind)) });
  };
  const onNode = (action: RigAction) => (isNode ? edit(action) : none());
  useKey("route", "I", () => on(rail, "Insert a stage", insert));
  useKey("route", "Shift I", () => on(earlier, "Insert a stage before it", insert));
  useKey("route", "R", () => on(rail, "A rail beside it, with", beside));
  useKey("route", "E", () => on(rail, "A send and return with", sendTo));
  useKey("route", "B", () => onNode({ do: "bypass", node: selected }));
  useKey("route", "Del", () => {
    if (!parts.length) return none();
    edit({ do: "remove", nodes: parts });
    setMarked(null);
  });
  useKey("route", "D", () => onNode({ do: "duplicate", node: selected }));
  useKey("route", "Shift →", () => onNode({ do: "move", node: selected, by: 1 }));
  useKey("route", "Shift ←", () => onNode({ do: "move", node: selected, by: -1 }));
  useKey("route", "O", fold);
  useKey("route", "Q", focusHere);
  useKey("route", "Y", () => {
    if (!isNode) return none();
    setPicking({
      title: "Replace it by",
      then: (kind) => edit({ do: "replace", node: selected, kind }),
    });
  });
  useKey("route", "Z", () => void turn("undo"));
  useKey("route", "Shift Z", () => void turn("redo"));
  useKey("route", "N", () => setSheet("writing"));
  useKey("route", "F", () => {
    const first = open.find((f) => f.fix);
    if (first?.fix) edit(first.fix.action);
  });
  useKey("route", "K", () => {
    const first = open[0];
    if (first) edit({ do: "intend", check: first.check, at: first.at, on: true, reason: "" });
  });
  useKey("route", "Enter", () => {
    setSheet("settings");
    requestAnimationFrame(() => {
      const field = document.querySelector<HTMLElement>("[data-sheet] input, [data-sheet] select");
      field?.focus();
      field?.scrollIntoView({ block: "center" });
    });
  });
  useKey("route", "C", () => {
    if (!variant || !parts.length) return none();
    copyParts(variant, parts);
  });
  useKey("route", "V", () => pasteParts(edit, rail));
  useKey("route", "X", () => {
    if (!isNode) return none();
    setMarked(marked === selected ? null : selected);
  });
}
