/** What can be done to a course by hand: one list for the tools under it and for its keys. */
import type { Kind, RigAction, Variant } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { announce } from "../../ui/controls";
import { useKey } from "../../ui/keys";
import {
  behind,
  busesOf,
  endsOf,
  insert,
  insertable,
  layOf,
  meant,
  railOf,
  startsOf,
} from "./graph";
import { copyParts, pasteParts } from "./clipboard";
import type { Picking } from "./PickKind";
import type { Laying } from "./useLaying";

/** Keys of the hands, in one order: each is bound by a hook. */
const KEYS = [
  "I",
  "Shift I",
  "B",
  "S",
  "E",
  "M",
  "U",
  "O",
  "P",
  "Y",
  "D",
  "Del",
  "C",
  "V",
  "X",
  "Shift →",
  "Shift ←",
  "H",
  "Q",
] as const;

export interface Hand {
  key: (typeof KEYS)[number];
  word: string;
  /** Of the few that are always in view. */
  main?: boolean;
  possible: boolean;
  run: () => void;
}

interface Wants {
  variant: Variant | undefined;
  kinds: Kind[];
  selected: string;
  marked: string[];
  onMark: (marked: string[]) => void;
  edit: (action: RigAction) => void;
  pick: (picking: Picking) => void;
  laying: Laying;
  fold: () => void;
  focusHere: () => void;
}

const NONE = "Select a stage or a rail first: arrow keys go along the course.";

export function handsOf(wants: Wants): Hand[] {
  const { variant, kinds, selected, marked, onMark, edit, pick, laying } = wants;
  if (!variant) return [];
  const nodes = variant.document.nodes ?? {};
  const node = nodes[selected] as { kind: string } | undefined;
  const parts = meant(variant, marked, selected);
  const rail = railOf(variant, selected);
  const earlier = railOf(variant, selected, true);
  const starts = startsOf(variant, marked, selected);
  const stage = kinds.some((k) => k.kind === node?.kind && k.stage);
  const any = parts.length > 0 || rail !== null;
  const named = (ids: string[]) =>
    ids.length > 2 ? `${ids.length} parts` : ids.map((id) => nameOf(variant, id)).join(" and ");
  const put = (at: string | null, title: string) => {
    if (!at) return announce(NONE);
    pick({ title, kinds: insertable(kinds), then: (kind) => edit(insert(at, kind)) });
  };
  const done = (action: RigAction) => {
    edit(action);
    onMark([]);
  };
  const beside = () => {
    const ends = endsOf(variant, parts);
    const start = ends?.start ?? rail;
    if (!start) return announce(NONE);
    const title = ends ? `Beside ${named(parts)}` : "A rail from here";
    laying.open({ title, by: "split", starts: [start], end: ends?.end ?? null, kind: null });
  };
  const send = () => {
    if (!starts.length) return announce(NONE);
    pick({
      title: starts.length > 1 ? `Send these ${starts.length} to` : "Send this to",
      first: busesOf(variant, starts).map((bus) => ({
        id: bus,
        title: nameOf(variant, bus),
        about: behind(variant, bus) ? `with ${nameOf(variant, behind(variant, bus))}` : "a bus",
        take: () => done(layOf({ by: "send", starts, to: bus })),
      })),
      kinds: kinds.filter((k) => k.stage && !["return", "fader", "send"].includes(k.kind)),
      then: (kind) => {
        laying.open({
          title: `The return of the new ${kinds.find((k) => k.kind === kind)?.title ?? kind}`,
          by: "send",
          starts,
          end: null,
          kind,
          level_db: -6,
        });
        onMark([]);
      },
    });
  };
  const bus = () => {
    if (!starts.length) return announce(NONE);
    if (starts.length === 1) return edit(insert(starts[0]!, "bus"));
    done(layOf({ by: "end", starts, to: "bus", join: "bus" }));
  };
  return [
    {
      key: "I",
      word: "Insert",
      main: true,
      possible: rail !== null,
      run: () => put(rail, "Insert"),
    },
    {
      key: "Shift I",
      word: "Insert before",
      possible: earlier !== null,
      run: () => put(earlier, "Insert before it"),
    },
    { key: "B", word: "Beside it", main: true, possible: any, run: beside },
    {
      key: "S",
      word: "Split off",
      possible: rail !== null,
      run: () =>
        rail
          ? laying.open({ title: "Split off", by: "split", starts: [rail], end: null, kind: null })
          : announce(NONE),
    },
    { key: "E", word: "Send", main: true, possible: starts.length > 0, run: send },
    {
      key: "M",
      word: "Lead elsewhere",
      main: true,
      possible: starts.length > 0,
      run: () => {
        if (!starts.length) return announce(NONE);
        laying.open({
          title: starts.length > 1 ? `Lead ${starts.length} rails to` : "Lead this rail to",
          by: "end",
          starts,
          end: null,
          kind: null,
        });
        onMark([]);
      },
    },
    { key: "U", word: "Bus", possible: starts.length > 0, run: bus },
    {
      key: "O",
      word: "Output",
      possible: rail !== null,
      run: () => (rail ? edit(insert(rail, "output")) : announce(NONE)),
    },
    {
      key: "P",
      word: "Pass it by",
      possible: stage,
      run: () => (node ? edit({ do: "bypass", node: selected }) : announce(NONE)),
    },
    {
      key: "Y",
      word: "Replace",
      possible: stage,
      run: () =>
        stage
          ? pick({
              title: "Replace it by",
              kinds: kinds.filter((k) => k.stage && k.kind !== "return"),
              then: (kind) => edit({ do: "replace", node: selected, kind }),
            })
          : announce(NONE),
    },
    {
      key: "D",
      word: "Duplicate",
      possible: stage,
      run: () => (stage ? edit({ do: "duplicate", node: selected }) : announce(NONE)),
    },
    {
      key: "Del",
      word: parts.length > 1 ? `Take ${parts.length} out` : "Take out",
      possible: any,
      run: () => {
        if (parts.length) return done({ do: "remove", nodes: parts });
        if (selected in (variant.document.rails ?? {}))
          return done({ do: "disconnect", port: selected, feed: true });
        announce(NONE);
      },
    },
    {
      key: "C",
      word: parts.length > 1 ? `Copy ${parts.length}` : "Copy",
      possible: parts.length > 0,
      run: () => (parts.length ? copyParts(variant, parts) : announce(NONE)),
    },
    { key: "V", word: "Paste", possible: true, run: () => pasteParts(edit, rail) },
    {
      key: "X",
      word: marked.includes(selected) ? "Unmark" : "Mark",
      possible: node !== undefined,
      run: () => {
        if (!node) return marked.length ? onMark([]) : announce(NONE);
        onMark(
          marked.includes(selected) ? marked.filter((m) => m !== selected) : [...marked, selected],
        );
      },
    },
    {
      key: "Shift →",
      word: "Move on",
      possible: stage,
      run: () => (node ? edit({ do: "move", node: selected, by: 1 }) : announce(NONE)),
    },
    {
      key: "Shift ←",
      word: "Move back",
      possible: stage,
      run: () => (node ? edit({ do: "move", node: selected, by: -1 }) : announce(NONE)),
    },
    { key: "H", word: "Fold", possible: stage, run: wants.fold },
    { key: "Q", word: "Only this", possible: node !== undefined, run: wants.focusHere },
  ];
}

/** The same by keys, while no rail is being laid. */
export function useHandKeys(
  handsAt: (id: string) => Hand[],
  selected: string,
  enabled: boolean,
): void {
  const run = (key: string) => {
    // Where nothing is selected, the part that has the focus is meant.
    const focused = (document.activeElement as HTMLElement | null)?.dataset.stage;
    handsAt(selected || focused || "")
      .find((h) => h.key === key)
      ?.run();
  };
  for (const key of KEYS)
    // eslint-disable-next-line react-hooks/rules-of-hooks -- always the same keys, in the same order
    useKey("route", key, () => run(key), enabled);
}
