/** Route: the rig as a course, what arrives at its outputs, what the checks say, its variants. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { memo, useCallback, useMemo, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";

import {
  type Kind,
  Refused,
  type RigAction,
  type RigSummary,
  sentenceOf,
  type Variant,
} from "../../api/client";
import { sendEdit, taken, useTurn, useVariantDetail } from "../../rigs/edits";
import { useKinds } from "../../rigs/kinds";
import { nameOf } from "../../rigs/names";
import { hasTrait } from "../../rigs/traits";
import { useMovedPlan } from "../../playing/moves";
import { usePlay } from "../../playing/usePlaying";
import { useSongContext } from "../../song/context";
import { DraftScope } from "../../ui/drafts";
import { Notice, Press, SheetTitle, Waiting } from "../../ui/controls";
import { Gloss } from "../../ui/Gloss";
import { useNarrow, useSteady } from "../../ui/hooks";
import { SheetTabs } from "../../ui/SheetTabs";
import { ActionBar } from "./ActionBar";
import { BoardPane, boardOf } from "./BoardPane";
import { Checks, flagsOf, keyOf } from "./Checks";
import { SplitChart, Travel } from "./Curves";
import { DownList } from "./DownList";
import { ghostsOf } from "./ghosts";
import { handsOf, useHandKeys } from "./hands";
import { History } from "./History";
import { Inspector, WriteMoves } from "./Inspector";
import { LayList } from "./LayList";
import { NewRig } from "./NewRig";
import { Patch } from "./Patch";
import { withMoves } from "./moved";
import { MovedChecks } from "./MovedChecks";
import { LinesKept } from "./LinesKept";
import { PickKind, type Picking } from "./PickKind";
import { type Place, Plan } from "./Plan";
import { Scenes } from "./Scenes";
import { ControlTable, SendTable, Writing } from "./Sheets";
import { Sidings } from "./Sidings";
import type { Frame as SidingsFrame } from "./sidings";
import { StopSettings } from "./StopSettings";
import { type Sheet, SHEETS, sheetOf } from "./sheets";
import { StandingLine } from "../../wishes/StandingLine";
import { Wishes } from "./wishes/Wishes";
import { Tools } from "./Tools";
import { useCourseKeys } from "./useCourseKeys";
import { useDrawing } from "./useDrawing";
import { useHeldFocus } from "./useHeldFocus";
import { useLaying } from "./useLaying";
import { useMoving } from "./useMoving";
import { useTrial } from "./useTrial";
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

type Panel = "stage" | "checks" | "variants";

/** Whatever the strip of an input rests at. */
function restsOf(kind: Kind | undefined): Record<string, unknown> {
  return Object.fromEntries((kind?.parameters ?? []).map((p) => [p.field, p.default]));
}

function Course({ rig, id }: CourseProps) {
  const { song, hand, take } = useSongContext();
  const client = useQueryClient();
  const query = useVariantDetail(id);
  const turn = useTurn(id);
  const edit = useCallback((action: RigAction) => sendEdit(id, action), [id]);
  const selected = hand.selected ?? "";
  const [params] = useSearchParams();
  const [sheet, setSheet] = useState<Sheet | "">(() => sheetOf(params.get("sheet")));
  const [panel, setPanel] = useState<Panel>("stage");
  const setSelected = useCallback(
    (one: string) => {
      take({ selected: one });
      setPanel("stage");
    },
    [take],
  );
  const navigate = useNavigate();
  const listen = () => void navigate("../listen");
  const play = usePlay();
  const [picking, setPicking] = useState<Picking | null>(null);
  const [lit, setLit] = useState("");
  const [boardAt, setBoardAt] = useState(0);
  const [marked, setMarked] = useState<string[]>([]);
  const [pinned, setPinned] = useState("");
  const [keeping, setKeeping] = useState("");
  const narrow = useNarrow();
  const [drawn, setDrawn] = useState<"list" | "plan">("list");
  const kinds = useKinds();
  const variant = query.data;
  const drawing = useDrawing(variant, selected);
  const trying = useTrial(variant, song.revision);
  const rail = variant?.document.rails?.[selected];
  const node = variant?.document.nodes?.[selected] as Record<string, unknown> | undefined;
  const stripKind = kinds.data?.find((k) => k.kind === "strip");
  const framed = node?.kind === "frame" ? (node as unknown as SidingsFrame) : null;
  const [stop, setStop] = useState(1);
  const standing = framed?.sidings?.find((s) => s.place === stop)?.stage;
  const stored = standing
    ? (standing as Record<string, unknown>)
    : rail
      ? { ...restsOf(stripKind), ...(rail.strip as Record<string, unknown> | undefined) }
      : (node ?? {});
  const at = standing ? `${selected}@${stop}` : selected;
  const moving = useMoving(variant, at, stored, edit, trying, (part, field, value) =>
    play.ride.touch(variant?.id ?? "", part, field, value),
  );
  const laying = useLaying(variant, trying, edit);
  const handsAt = (at: string) =>
    handsOf({
      variant,
      kinds: kinds.data ?? [],
      selected: at,
      marked,
      onMark: setMarked,
      edit,
      pick: setPicking,
      laying,
      fold: drawing.fold,
      focusHere: drawing.focusHere,
    });
  const hands = handsAt(selected);
  const free = laying.wanted === null;
  useHandKeys(handsAt, selected, free);
  const open = variant?.view.checks.findings.filter((f) => !f.intended) ?? [];
  useCourseKeys(free, {
    listen: play.toggle,
    turn: (way) => void turn(way),
    write: () => setSheet("writing"),
    zoom: drawing.zoom,
    mend: () => {
      const first = open.find((f) => f.fix);
      if (first?.fix) edit(first.fix.action);
    },
    keep: () => open[0] && setKeeping(`bar ${keyOf(open[0])}`),
    toSettings: () => setPanel("stage"),
    leave: () => {
      if (keeping) return setKeeping("");
      if (marked.length) return setMarked([]);
      setSelected("");
    },
  });
  const ready = variant !== undefined && kinds.data !== undefined;
  useHeldFocus(
    `${variant?.revision ?? 0} ${selected} ${picking === null} ${free}`,
    selected,
    free && picking === null && ready,
  );
  const trial = trying.trial;
  const written = trial?.document ?? variant?.document;
  const shown = trial ?? variant?.view;
  const checks = shown?.checks;
  const flags = useMemo(() => (checks && free ? flagsOf(checks.findings) : []), [checks, free]);
  const ghosts = useMemo(
    () => (trial && !free && variant ? ghostsOf(variant.document, trial.document) : NO_GHOSTS),
    [trial, free, variant],
  );
  const known = kinds.data;
  const hasStrip = useCallback((kind: string) => hasTrait(known, kind, "many_inputs"), [known]);
  const presented = useMemo(
    () =>
      variant && written && shown
        ? ({ ...variant, document: written, view: { ...variant.view, ...shown } } as Variant)
        : null,
    [variant, written, shown],
  );
  const whereItMoves = useMovedPlan(variant).data;
  const moved = whereItMoves?.ranges;
  const plain = drawing.alone ?? shown?.layout;
  const layoutNow = useMemo(() => plain && withMoves(plain, moved ?? []), [plain, moved]);
  const reportNow = shown?.report;
  const seen = useMemo(
    () => (layoutNow && reportNow ? { layout: layoutNow, report: reportNow } : null),
    [layoutNow, reportNow],
  );
  const cautions = useMemo(() => new Set(flags.map((f) => f.at)), [flags]);
  const onSheet = useSteady((one: Sheet) => setSheet(one === sheet ? "" : one));
  const onZoom = useSteady(drawing.zoom);
  const onPlace = useSteady(laying.byLetter);
  // While a rail is laid, what is pressed on the course is where it shall land.
  const onLand = useSteady((one: string) => {
    const row = laying.rows.find((r) => r.possible && (r.at === one || r.place === one));
    if (row) laying.choose(row.place);
  });
  const onPin = useSteady((one: string) => setPinned(one === pinned ? "" : one));
  const onOpen = useSteady((one: string) => take({ variant: one, selected: "" }));
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
        actions={
          <>
            <Press onClick={() => void query.refetch()}>Try again</Press>
            <Press onClick={() => void turn("undo").then(() => query.refetch())}>
              Undo the last change
            </Press>
            <Press onClick={() => void navigate("../rigs")}>Names, order, deleted things</Press>
          </>
        }
      >
        {sentenceOf(query.error)}
      </Notice>
    );
  }
  if (!variant || !known || !shown || !written) return <Waiting />;
  const present = presented!;
  const report = shown.report;
  const path = boardOf(report, boardAt)?.arrivals.find((a) => a.id === (lit || pinned));
  // What has settings that move: a stage, or the strip of what several rails lead into.
  const stage = known.find((k) => k.kind === node?.kind)?.stage;
  const moves = (stage && !standing) || (rail !== undefined && hasStripAt(variant, known, rail));
  const isPart =
    selected in (variant.document.nodes ?? {}) || selected in (variant.document.rails ?? {});
  const inspector = (
    <DraftScope value={`${present.id} ${selected}`}>
      <Inspector
        variant={present}
        kinds={known}
        selected={selected}
        moving={moving}
        onEdit={edit}
        onTake={(after) => taken(client, after)}
        onSelect={setSelected}
      />
    </DraftScope>
  );
  const checkList = (
    <Checks
      moved={
        <>
          <StandingLine variant={variant} onOpen={() => setSheet("wishes")} />
          <MovedChecks variant={variant} onSelect={setSelected} />
        </>
      }
      checks={shown.checks}
      keeping={keeping}
      onKeeping={setKeeping}
      onEdit={edit}
      onSelect={setSelected}
    />
  );
  const variants = <Variants rig={rig} current={id} onOpen={onOpen} />;
  const title = (
    <>
      <SheetTitle page>
        <Gloss word="course">Course</Gloss>
      </SheetTitle>
      {narrow && (
        <Press
          look="quiet"
          aria-pressed={drawn === "plan"}
          onClick={() => setDrawn(drawn === "plan" ? "list" : "plan")}
        >
          {drawn === "plan" ? "As a list" : "As a plan"}
        </Press>
      )}
      <Press
        look="quiet"
        fontSize="13px"
        onClick={() =>
          edit({
            do: "start",
            kind: "source",
            values: {},
            into: firstOutputOf(variant),
          } as RigAction)
        }
      >
        Another source
      </Press>
    </>
  );
  const tools = (
    <>
      {!narrow && <Tools hands={hands} />}
      <Press
        look="quiet"
        hint="Z"
        fontSize="13px"
        disabled={!variant.undo}
        onClick={() => void turn("undo")}
        title={variant.undo ?? undefined}
      >
        Undo
      </Press>
      <Press
        look="quiet"
        fontSize="13px"
        disabled={!variant.redo}
        onClick={() => void turn("redo")}
        title={variant.redo ?? undefined}
      >
        Do again
      </Press>
    </>
  );
  const frameNow =
    framed && ((written.nodes?.[selected] as unknown as SidingsFrame | undefined) ?? framed);
  const stagesAt = (place: number) => {
    const stage = frameNow?.sidings?.find((s) => s.place === place)?.stage;
    return stage?.name ?? known.find((k) => k.kind === stage?.kind)?.title ?? `siding ${place}`;
  };
  const putOn = () => {
    if (laying.wanted?.by !== "split") return;
    setPicking({
      title: "On the new rail",
      first: [
        { id: "plain", title: "Nothing", about: "a plain rail", take: () => laying.put(null) },
      ],
      kinds: known.filter((k) => k.stage),
      then: laying.put,
    });
  };
  const left: Panel = isPart ? panel : panel === "stage" ? "checks" : panel;
  return (
    <Box>
      {narrow && drawn === "list" ? (
        <>
          <Box display="flex" flexWrap="wrap" alignItems="center" gap="0 12px">
            {title}
            {tools}
          </Box>
          <DownList variant={present} selected={selected} flags={flags} onSelect={setSelected}>
            {!laying.wanted && (
              <>
                <Tools hands={hands} />
                {!framed && inspector}
              </>
            )}
          </DownList>
        </>
      ) : (
        <Plan
          keys={variant.document.keys ?? NO_KEYS}
          view={seen!}
          selected={trial && !free ? trial.select : selected}
          run={marked}
          through={path?.through ?? NONE}
          flags={flags}
          ghosts={ghosts}
          places={free ? NO_PLACES : laying.places}
          foldedBy={drawing.foldedBy}
          openedBy={drawing.openedBy}
          atLeast={drawing.atLeast}
          hasStrip={hasStrip}
          onSelect={free ? setSelected : onLand}
          onPlace={onPlace}
          onZoom={onZoom}
          bare={frameNow !== null}
          head={title}
          tools={tools}
        />
      )}
      {drawing.said(variant) && (
        <Box fontSize="13px" color="ink2" marginTop="4px">
          {drawing.said(variant)}{" "}
          <Press look="quiet" onClick={drawing.drawAll}>
            Draw all
          </Press>
        </Box>
      )}
      {frameNow && !laying.wanted && (
        <Box
          display="grid"
          gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) 400px" }}
          gap="6px 20px"
          alignItems="start"
          marginTop="6px"
        >
          <Sidings
            variant={present}
            frame={frameNow}
            kinds={known}
            stop={stop}
            onStop={setStop}
            onEdit={edit}
            pick={setPicking}
          />
          <StopSettings
            variant={present}
            frame={frameNow}
            kinds={known}
            stop={stop}
            moving={moving}
            onEdit={edit}
            onTake={(after) => taken(client, after)}
          />
        </Box>
      )}
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1.03fr) minmax(0, 1fr)" }}
        gap="10px 20px"
        marginTop="6px"
        alignItems="start"
      >
        <Box minWidth="0">
          {laying.wanted ? (
            <LayList variant={present} laying={laying} onPut={putOn} />
          ) : (
            <>
              <Box display="flex" flexWrap="wrap" justifyContent="space-between" gap="0 14px">
                <Box
                  role="tablist"
                  aria-label="At the course"
                  display="flex"
                  flexWrap="wrap"
                  gap="0 14px"
                >
                  {isPart && !narrow && (
                    <Tab open={left === "stage"} onClick={() => setPanel("stage")}>
                      {rail ? "This rail" : nameOf(present, selected)}
                    </Tab>
                  )}
                  <Tab
                    open={left === "checks" || (narrow && left === "stage")}
                    onClick={() => setPanel("checks")}
                  >
                    Checks {open.length}
                    {whereItMoves?.findings.length
                      ? `, ${whereItMoves.findings.length} where it moves`
                      : ""}
                  </Tab>
                  <Tab open={left === "variants"} onClick={() => setPanel("variants")}>
                    Variants {rig.variants.length}
                  </Tab>
                </Box>
                {left === "stage" && !narrow && moves && <WriteMoves />}
              </Box>
              {left === "stage" && frameNow && (
                <LinesKept variant={variant} frame={frameNow} names={stagesAt} onEdit={edit} />
              )}
              {left === "stage" && !narrow && !frameNow && inspector}
              {(left === "checks" || (narrow && left === "stage")) && checkList}
              {left === "variants" && variants}
              {left === "stage" && !narrow && (
                <>
                  <SplitChart variant={present} selected={selected} />
                  {(node as { kind?: string } | undefined)?.kind === "volume" && (
                    <Travel variant={present} />
                  )}
                </>
              )}
            </>
          )}
        </Box>
        <BoardPane
          variant={present}
          was={moving.was}
          at={boardAt}
          cautions={cautions}
          free={free}
          lit={lit}
          pinned={pinned}
          onAt={setBoardAt}
          onLight={setLit}
          onPin={onPin}
          onEdit={edit}
        />
        <Box
          minWidth="0"
          gridColumn="1 / -1"
          borderTop="1px solid"
          borderColor="ink"
          paddingTop="4px"
        >
          <Box display="flex" flexWrap="wrap" gap="4px 18px">
            <SheetRow chosen={sheet} onChoose={onSheet} />
          </Box>
          <Box data-sheet>
            {sheet === "wishes" && <Wishes variant={variant} onEdit={edit} onOpen={onOpen} />}
            {sheet === "controls" && <ControlTable view={variant.view} />}
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
      <ActionBar
        variant={present}
        kinds={known}
        checks={shown.checks}
        listed={left === "checks" || (narrow && left === "stage")}
        selected={selected}
        onListen={listen}
        playing={play.playing}
        onPlay={play.toggle}
        moving={moving}
        laying={laying}
        onPut={putOn}
        keeping={keeping}
        onKeeping={setKeeping}
        onEdit={edit}
        onChecks={() => setPanel("checks")}
      />
      {picking && <PickKind picking={picking} onClose={() => setPicking(null)} />}
    </Box>
  );
}

const SheetRow = memo(function SheetRow({
  chosen,
  onChoose,
}: {
  chosen: Sheet | "";
  onChoose: (sheet: Sheet) => void;
}) {
  return <SheetTabs sheets={SHEETS} chosen={chosen as Sheet} onChoose={onChoose} />;
});

function Tab({
  open,
  onClick,
  children,
}: {
  open: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <Press
      look="quiet"
      role="tab"
      aria-selected={open}
      fontSize="13px"
      minHeight={{ base: "44px", sm: "26px" }}
      fontWeight={open ? 650 : 400}
      textDecoration={open ? "underline 2px" : "none"}
      onClick={onClick}
    >
      {children}
    </Press>
  );
}

const NONE: string[] = [];
const NO_GHOSTS = new Set<string>();
const NO_KEYS = {};
const NO_PLACES: Place[] = [];

function hasStripAt(variant: Variant, kinds: Kind[], rail: { target: string }): boolean {
  const target = variant.document.nodes?.[rail.target] as { kind: string } | undefined;
  return hasTrait(kinds, target?.kind, "many_inputs");
}

const firstOutputOf = (variant: Variant) =>
  variant.view.layout.nodes.find((n) => n.kind === "output")?.id ?? null;
