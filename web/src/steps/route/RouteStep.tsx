/** Route: the rig as a course, what arrives at its outputs, what the checks say, its variants. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useSearchParams } from "react-router";

import {
  api,
  ask,
  type RigAction,
  type RigSummary,
  type Schemas,
  sentenceOf,
  type Variant,
} from "../../api/client";
import { useKey } from "../../app/keys";
import { useSongContext } from "../../app/Shell";
import { announce, Hint, Notice, Press, SheetTitle, Waiting } from "../../ui/controls";
import { num } from "../../ui/format";
import { Choice } from "../../ui/QuantityField";
import { Arrivals, Sum } from "./Arrivals";
import { Checks, flagsOf } from "./Checks";
import { Inspector, nameOf } from "./Inspector";
import { NewRig } from "./NewRig";
import { PickKind } from "./PickKind";
import { Plan } from "./Plan";
import { ControlTable, Patch, Scenes, SendTable, Travel, Writing } from "./Sheets";
import { useVariant } from "./useVariant";
import { Variants } from "./Variants";

export default function RouteStep() {
  const { song } = useSongContext();
  const [search, setSearch] = useSearchParams();
  const rigs = useQuery({
    queryKey: ["rigs", song.id],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/rigs", { params: { path: { song_id: song.id } } })),
  });
  if (rigs.isError) {
    return (
      <Notice
        kind="fault"
        word="Not opened."
        actions={<Press onClick={() => void rigs.refetch()}>Try again</Press>}
      >
        {sentenceOf(rigs.error)}
      </Notice>
    );
  }
  if (!rigs.data) return <Waiting />;
  const wanted = search.get("variant");
  const rig = rigs.data.find((r) => r.variants.some((v) => v.id === wanted)) ?? rigs.data[0];
  const variant = rig?.variants.find((v) => v.id === wanted) ?? rig?.variants[0];
  const open = (id: string) => setSearch({ variant: id }, { replace: true });
  if (!rig || !variant || search.get("new")) {
    return (
      <Box>
        {rig && (
          <Press look="quiet" onClick={() => setSearch({}, { replace: true })}>
            Back to {rig.name}
          </Press>
        )}
        <NewRig songId={song.id} onMade={(made) => open(made.variants[0]!.id)} />
      </Box>
    );
  }
  return (
    <Course
      key={variant.id}
      rig={rig}
      rigs={rigs.data}
      id={variant.id}
      songRevision={song.revision}
      onOpen={open}
      onNew={() => setSearch({ new: "1" })}
    />
  );
}

interface CourseProps {
  rig: RigSummary;
  rigs: RigSummary[];
  id: string;
  songRevision: number;
  onOpen: (id: string) => void;
  onNew: () => void;
}

type Sheet = "settings" | "controls" | "sends" | "scenes" | "patch" | "writing";
const SHEETS: [Sheet, string][] = [
  ["settings", "Settings"],
  ["controls", "What moves what"],
  ["sends", "Send levels"],
  ["scenes", "Scenes"],
  ["writing", "In writing"],
  ["patch", "Patch sheet"],
];

const CLIPBOARD = "fonodrome.copied";

function Course({ rig, rigs, id, songRevision, onOpen, onNew }: CourseProps) {
  const handle = useVariant(id, songRevision);
  const { query, edit, turn, take, selected, setSelected, offline } = handle;
  const [sheet, setSheet] = useState<Sheet>("settings");
  const [picking, setPicking] = useState<{ title: string; then: (kind: string) => void } | null>(
    null,
  );
  const [lit, setLit] = useState("");
  const [boardAt, setBoardAt] = useState(0);
  const [focus, setFocus] = useState<string | null>(null);
  const [folded, setFolded] = useState<string[]>([]);
  const kinds = useQuery({
    queryKey: ["rig-kinds"],
    queryFn: () => ask(api.GET("/api/v1/rig-kinds")),
    staleTime: Infinity,
  });
  const variant = query.data;
  const { frame } = useSongContext();
  const smaller = focus !== null || folded.length > 0;
  const reduced = useQuery({
    queryKey: ["rig-layout", id, variant?.revision, frame, focus, folded],
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/rig-layout", {
          body: { document: variant!.document, frame, focus, folded },
        }),
      ),
    enabled: smaller && variant !== undefined,
    placeholderData: keepPreviousData,
  });
  const fold = () => {
    if (!selected) return;
    setFolded(
      folded.includes(selected) ? folded.filter((f) => f !== selected) : [...folded, selected],
    );
  };
  const focusHere = () => setFocus(focus === null && selected ? selected : null);
  const flags = useMemo(() => (variant ? flagsOf(variant.view.checks.findings) : []), [variant]);
  useCourseKeys({
    variant,
    rig,
    selected,
    edit,
    turn,
    onOpen,
    setPicking,
    setSheet,
    fold,
    focusHere,
  });
  if (query.isError) {
    return (
      <Notice
        kind="fault"
        word="Not computed."
        actions={<Press onClick={() => void query.refetch()}>Try again</Press>}
      >
        {sentenceOf(query.error)}
      </Notice>
    );
  }
  if (!variant || !kinds.data) return <Waiting />;
  const whole = variant.view;
  const view = smaller && reduced.data ? { ...whole, layout: reduced.data } : whole;
  const board = view.report.boards[Math.min(boardAt, view.report.boards.length - 1)];
  const through = board?.arrivals.find((a) => a.id === lit)?.through ?? [];
  const stages = kinds.data.filter((k) => k.stage && k.kind !== "return");
  return (
    <Box>
      {offline > 0 && (
        <Box background="ink" color="paper" padding="8px 12px" marginBottom="6px" role="alert">
          <strong>The server cannot be reached.</strong> {offline}{" "}
          {offline === 1 ? "edit waits" : "edits wait"} here and will be sent by themselves.
        </Box>
      )}
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1.72fr) minmax(0, 1fr)" }}
        gap="14px 20px"
      >
        <Box minWidth="0">
          <Box display="flex" flexWrap="wrap" alignItems="center" gap="6px 14px" marginBottom="6px">
            <SheetTitle page>Course</SheetTitle>
            <Choice
              aria-label="Rig"
              width="auto"
              value={rig.id}
              onChange={(event) => {
                if (event.target.value === "new") onNew();
                else onOpen(rigs.find((r) => r.id === event.target.value)!.variants[0]!.id);
              }}
            >
              {rigs.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
              <option value="new">A new rig …</option>
            </Choice>
            <Box flex="1" />
            <Box display={{ base: "none", md: "flex" }} gap="12px" fontSize="13px" color="ink2">
              <span>
                <Hint>I</Hint> insert
              </span>
              <span>
                <Hint>R</Hint> rail
              </span>
              <span>
                <Hint>E</Hint> send
              </span>
            </Box>
            <Press
              look="quiet"
              hint="Z"
              disabled={!variant.undo}
              onClick={() => void turn("undo")}
              title={variant.undo ?? undefined}
            >
              Undo
            </Press>
            <Press
              look="quiet"
              disabled={!variant.redo}
              onClick={() => void turn("redo")}
              title={variant.redo ?? undefined}
            >
              Do again
            </Press>
          </Box>
          <Plan
            keys={variant.document.keys ?? {}}
            view={view}
            selected={selected}
            through={through}
            flags={flags}
            onSelect={setSelected}
          />
          {smaller && (
            <Box fontSize="13px" color="ink2" marginTop="4px">
              {focus !== null && `Only what belongs to ${nameOf(variant, focus)} is drawn. `}
              {folded.length > 0 && `${folded.length} folded. `}
              <Press
                look="quiet"
                onClick={() => {
                  setFocus(null);
                  setFolded([]);
                }}
              >
                Draw all
              </Press>
            </Box>
          )}
          <Tools
            variant={variant}
            selected={selected}
            onEdit={edit}
            onPick={setPicking}
            onFold={fold}
            onFocus={focusHere}
          />
          <Box marginTop="10px">
            <Checks checks={view.checks} onEdit={edit} onSelect={setSelected} />
          </Box>
        </Box>
        <Box minWidth="0">
          <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 12px" marginBottom="2px">
            <SheetTitle
              about={
                board
                  ? `at ${nameOf(variant, board.output)}, against ${board.reference.toLowerCase()}`
                  : undefined
              }
            >
              Arrivals
            </SheetTitle>
            {view.report.boards.length > 1 && (
              <Choice
                aria-label="Source and output"
                width="auto"
                value={Math.min(boardAt, view.report.boards.length - 1)}
                onChange={(event) => setBoardAt(Number(event.target.value))}
              >
                {view.report.boards.map((b, i) => (
                  <option key={`${b.output}${b.source}`} value={i}>
                    {nameOf(variant, b.source)} at {nameOf(variant, b.output)}
                  </option>
                ))}
              </Choice>
            )}
          </Box>
          {board ? (
            <>
              <Arrivals
                board={board}
                cautions={new Set(flags.map((f) => f.at))}
                lit={lit}
                onLight={setLit}
              />
              {!board.complete && board.path_count !== null && board.path_count > 64 && (
                <Box fontSize="13px" color="ink2">
                  {num(board.path_count, 0)} paths in all; the strongest 64 are listed, the sums
                  hold them all.
                </Box>
              )}
              <Sum board={board} hz={view.report.hz} />
            </>
          ) : (
            <Box color="ink2">Nothing reaches an output yet.</Box>
          )}
          {view.report.align.length > 0 && (
            <Box fontSize="13px" marginTop="4px">
              To arrive together:{" "}
              {view.report.align
                .map(
                  (a) => `add ${num(a.add_ms, 2)} ms to ${nameOf(variant, a.rail.split(".")[0]!)}`,
                )
                .join(", ")}
              .{" "}
              <Press look="quiet" onClick={() => edit(alignAction(variant))}>
                Add them
              </Press>
            </Box>
          )}
          <Box marginTop="14px">
            <Variants rig={rig} current={id} onOpen={onOpen} />
          </Box>
        </Box>
        <Box
          minWidth="0"
          gridColumn="1 / -1"
          borderTop="1px solid"
          borderColor="ink"
          paddingTop="4px"
        >
          <Box
            role="tablist"
            aria-label="Sheets"
            display="flex"
            flexWrap="wrap"
            gap="2px 18px"
            marginBottom="8px"
          >
            {SHEETS.map(([name, words]) => (
              <Press
                key={name}
                look="quiet"
                role="tab"
                aria-selected={sheet === name}
                fontWeight={sheet === name ? 650 : 400}
                textDecoration={sheet === name ? "underline 2px" : "none"}
                onClick={() => setSheet(name)}
              >
                {words}
              </Press>
            ))}
          </Box>
          <Box data-sheet>
            {sheet === "settings" && (
              <Box
                display="grid"
                gridTemplateColumns={{
                  base: "minmax(0, 1fr)",
                  md: "minmax(0, 1.6fr) minmax(0, 1fr)",
                }}
                gap="20px"
              >
                <Inspector
                  variant={variant}
                  kinds={kinds.data}
                  selected={selected}
                  onEdit={edit}
                  onTake={take}
                />
                <Travel variant={variant} />
              </Box>
            )}
            {sheet === "controls" && <ControlTable view={view} />}
            {sheet === "sends" && <SendTable variant={variant} onEdit={edit} />}
            {sheet === "scenes" && <Scenes view={view} />}
            {sheet === "patch" && <Patch variant={variant} />}
            {sheet === "writing" && <Writing variant={variant} onEdit={edit} />}
          </Box>
        </Box>
      </Box>
      {picking && (
        <PickKind
          title={picking.title}
          kinds={stages}
          onPick={picking.then}
          onClose={() => setPicking(null)}
        />
      )}
    </Box>
  );
}

function alignAction(variant: Variant): RigAction {
  return {
    do: "several",
    actions: variant.view.report.align.map((a) => ({
      do: "set_strip",
      rail: a.rail,
      values: { delay_ms: (variant.document.rails?.[a.rail]?.strip?.delay_ms ?? 0) + a.add_ms },
    })),
  } as RigAction;
}

/** The rail behind what is selected (or the one before it), where things are inserted. */
function railOf(variant: Variant | undefined, selected: string, before = false): string | null {
  if (!variant) return null;
  const rails = variant.document.rails ?? {};
  if (selected in rails) return selected;
  if (before) return Object.keys(rails).find((port) => rails[port]!.target === selected) ?? null;
  if (`${selected}.0` in rails) return `${selected}.0`;
  const kind = (variant.document.nodes?.[selected] as { kind: string } | undefined)?.kind;
  return kind && kind !== "output" ? `${selected}.0` : null;
}

type Pick = (picking: { title: string; then: (kind: string) => void } | null) => void;

function Tools({
  variant,
  selected,
  onEdit,
  onPick,
  onFold,
  onFocus,
}: {
  variant: Variant;
  selected: string;
  onEdit: (action: RigAction) => void;
  onPick: Pick;
  onFold: () => void;
  onFocus: () => void;
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
        disabled={!node}
        onClick={() => onEdit({ do: "remove", nodes: [selected] })}
      >
        Delete
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

function firstOutput(variant: Variant): string | null {
  return variant.view.layout.nodes.find((n) => n.kind === "output")?.id ?? null;
}

const insert = (at: string, kind: string): RigAction => ({ do: "insert", at, kind, values: {} });
const beside = (start: string, kind: string): RigAction => ({
  do: "parallel",
  start,
  kind,
  mode: "full",
  values: {},
});
const sendTo = (at: string, kind: string): RigAction => ({
  do: "send",
  at,
  kind,
  level_db: -6,
  values: {},
});

function useCourseKeys({
  variant,
  rig,
  selected,
  edit,
  turn,
  onOpen,
  setPicking,
  setSheet,
  fold,
  focusHere,
}: {
  variant: Variant | undefined;
  rig: RigSummary;
  selected: string;
  edit: (action: RigAction) => void;
  turn: (way: "undo" | "redo") => Promise<void>;
  onOpen: (id: string) => void;
  setPicking: Pick;
  setSheet: (sheet: Sheet) => void;
  fold: () => void;
  focusHere: () => void;
}) {
  const rail = railOf(variant, selected);
  const earlier = railOf(variant, selected, true);
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
  useKey("route", "Del", () => onNode({ do: "remove", nodes: [selected] }));
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
    if (!variant || !isNode) return none();
    void ask(
      api.POST("/api/v1/variants/{variant_id}/copy", {
        params: { path: { variant_id: variant.id } },
        body: { nodes: [selected] },
      }),
    )
      .then((part) => {
        localStorage.setItem(CLIPBOARD, JSON.stringify(part));
        announce(`${nameOf(variant, selected)} copied.`);
      })
      .catch((fault) => announce(sentenceOf(fault), { kind: "fault" }));
  });
  useKey("route", "V", () => {
    const held = localStorage.getItem(CLIPBOARD);
    if (!held) return announce("Nothing is copied yet.");
    const fragment = JSON.parse(held) as Schemas["Fragment"];
    edit({ do: "paste", fragment, at: rail });
  });
  for (let n = 1; n <= 9; n++) {
    // eslint-disable-next-line react-hooks/rules-of-hooks -- nine keys, always the same nine
    useKey("route", String(n), () => {
      const one = rig.variants[n - 1];
      if (one) onOpen(one.id);
    });
  }
}
