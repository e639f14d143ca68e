/** Route: the rig as a course, what arrives at its outputs, what the checks say, its variants. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";

import {
  Refused,
  api,
  ask,
  type RigAction,
  type RigSummary,
  sentenceOf,
  type Variant,
} from "../../api/client";
import { useKey } from "../../ui/keys";
import { Gloss } from "../../ui/Gloss";
import { useNarrow } from "../../ui/hooks";
import { useSongContext } from "../../song/context";
import { useKinds } from "../../rigs/kinds";
import { Hint, Notice, Press, SheetTitle, Waiting } from "../../ui/controls";
import { num } from "../../ui/format";
import { Choice } from "../../ui/QuantityField";
import { SheetTabs } from "../../ui/SheetTabs";
import { Arrivals, Sum } from "./Arrivals";
import { Checks, flagsOf } from "./Checks";
import { sendEdit, taken, useTurn, useVariantDetail } from "../../rigs/edits";
import { nameOf } from "../../rigs/names";
import { Inspector } from "./Inspector";
import { NewRig } from "./NewRig";
import { PickKind } from "./PickKind";
import { Plan } from "./Plan";
import { DownList } from "./DownList";
import { History } from "./History";
import { Loops, SplitChart, Travel } from "./Curves";
import { PathMarks } from "./PathMarks";
import { Patch } from "./Patch";
import { Scenes } from "./Scenes";
import { ControlTable, SendTable, Writing } from "./Sheets";
import { type Sheet, SHEETS } from "./sheets";
import { Tools } from "./Tools";
import { meant } from "./graph";
import { copyParts, pasteParts, useCourseKeys } from "./useCourseKeys";
import { Variants } from "./Variants";

export default function RouteStep() {
  const { song, rig, variant, take } = useSongContext();
  const [search, setSearch] = useSearchParams();
  if (!rig || !variant || search.get("new")) {
    return (
      <Box>
        {rig && (
          <Press look="quiet" onClick={() => setSearch({}, { replace: true })}>
            Back to {rig.name}
          </Press>
        )}
        <NewRig
          songId={song.id}
          onMade={(made) => {
            take({ variant: made.variants[0]!.id, selected: "" });
            setSearch({}, { replace: true });
          }}
        />
      </Box>
    );
  }
  return <Course key={variant.id} rig={rig} id={variant.id} />;
}

interface CourseProps {
  rig: RigSummary;
  id: string;
}

function Course({ rig, id }: CourseProps) {
  const { frame, hand, take } = useSongContext();
  const client = useQueryClient();
  const query = useVariantDetail(id);
  const turn = useTurn(id);
  const edit = useCallback((action: RigAction) => sendEdit(id, action), [id]);
  const selected = hand.selected ?? "";
  const setSelected = (one: string) => take({ selected: one });
  const onOpen = (variant: string) => take({ variant, selected: "" });
  const [sheet, setSheet] = useState<Sheet>("settings");
  const navigate = useNavigate();
  const listen = () => void navigate("../listen");
  useKey("route", "Space", listen);
  const [picking, setPicking] = useState<{ title: string; then: (kind: string) => void } | null>(
    null,
  );
  const [lit, setLit] = useState("");
  const [boardAt, setBoardAt] = useState(0);
  const [marked, setMarked] = useState<string | null>(null);
  const [pinned, setPinned] = useState("");
  const [focus, setFocus] = useState<string | null>(null);
  const [folded, setFolded] = useState<string[]>([]);
  const narrow = useNarrow();
  const kinds = useKinds();
  const variant = query.data;
  const smaller = focus !== null || folded.length > 0;
  const reduced = useQuery({
    queryKey: ["rig-layout", id, variant?.revision, frame, focus, folded],
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/layout", {
          params: { path: { variant_id: id }, query: { focus, folded: folded.join(",") } },
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
    selected,
    edit,
    turn,
    setPicking,
    setSheet,
    fold,
    focusHere,
    marked,
    setMarked,
  });
  const chosen = variant ? meant(variant, marked, selected) : [];
  if (query.isError) {
    if (query.error instanceof Refused && query.error.problem.status === 404)
      return (
        <Notice
          kind="fault"
          word="Deleted."
          actions={
            <>
              <Press onClick={() => void navigate("../rigs")}>Names, order, deleted things</Press>
              <Press onClick={() => void client.invalidateQueries({ queryKey: ["rigs"] })}>
                Go on with another rig
              </Press>
            </>
          }
        >
          {rig.name} was deleted, here or in another tab. It can be brought back for 30 days.
        </Notice>
      );
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
  const path = board?.arrivals.find((a) => a.id === (lit || pinned));
  const through = path?.through ?? [];
  const kept = board?.arrivals.find((a) => a.id === pinned);
  const inspector = (
    <Inspector
      variant={variant}
      kinds={kinds.data}
      selected={selected}
      onEdit={edit}
      onTake={(after) => taken(client, after)}
    />
  );
  const stages = kinds.data.filter((k) => k.stage && k.kind !== "return");
  return (
    <Box>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1.72fr) minmax(0, 1fr)" }}
        gap="14px 20px"
      >
        <Box minWidth="0">
          <Box display="flex" flexWrap="wrap" alignItems="center" gap="6px 14px" marginBottom="6px">
            <SheetTitle page>
              <Gloss word="course">Course</Gloss>
            </SheetTitle>
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
          {narrow ? (
            <DownList variant={variant} selected={selected} flags={flags} onSelect={setSelected}>
              {inspector}
            </DownList>
          ) : (
            <Plan
              keys={variant.document.keys ?? {}}
              view={view}
              selected={selected}
              run={marked ? chosen : []}
              through={through}
              flags={flags}
              onSelect={setSelected}
            />
          )}
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
            chosen={chosen}
            marked={marked}
            onMark={setMarked}
            onCopy={() => copyParts(variant, chosen)}
            onPaste={(at) => pasteParts(edit, at)}
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
              <Gloss word="arrivals">Arrivals</Gloss>
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
                lit={lit || pinned}
                onLight={setLit}
                pinned={pinned}
                onPin={(id) => setPinned(id === pinned ? "" : id)}
              />
              {kept && <PathMarks variant={variant} board={board} arrival={kept} onEdit={edit} />}
              {!board.complete && board.path_count !== null && board.path_count > 64 && (
                <Box fontSize="13px" color="ink2">
                  {num(board.path_count, 0)} paths in all; the strongest 64 are listed, the sums
                  hold them all.
                </Box>
              )}
              <Sum board={board} hz={view.report.hz} />
              <Loops variant={variant} />
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
          <Box display="flex" flexWrap="wrap" gap="4px 18px">
            <SheetTabs sheets={SHEETS} chosen={sheet} onChoose={setSheet} />
            <Box flex="1" />
            <Press look="quiet" hint="Space" onClick={listen}>
              Hear it under Listen
            </Press>
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
                {narrow && selected in (variant.document.nodes ?? {}) ? null : inspector}
                <Box>
                  <SplitChart variant={variant} selected={selected} />
                  <Travel variant={variant} />
                </Box>
              </Box>
            )}
            {sheet === "controls" && <ControlTable view={view} />}
            {sheet === "sends" && <SendTable variant={variant} onEdit={edit} />}
            {sheet === "scenes" && <Scenes variant={variant} onEdit={edit} />}
            {sheet === "patch" && <Patch variant={variant} onEdit={edit} />}
            {sheet === "history" && (
              <History variant={variant} onTurn={(number) => void turn(number)} />
            )}
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
