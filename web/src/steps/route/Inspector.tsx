/** The settings of what is selected: what matters first as scales, the rest in groups, folded. */
import { Box } from "@chakra-ui/react";
import { memo, type ReactNode, useCallback, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";

import {
  api,
  ask,
  type Kind,
  type Parameter,
  type RigAction,
  sentenceOf,
  type Variant,
} from "../../api/client";
import { isPassing } from "../../rigs/edits";
import { nameOf } from "../../rigs/names";
import { useMoves } from "../../playing/moves";
import { usePlay } from "../../playing/usePlaying";
import { delayOf } from "../../rigs/times";
import { hasTrait } from "../../rigs/traits";
import { useSongContext } from "../../song/context";
import { announce, Press } from "../../ui/controls";
import { CycleChart } from "../../charts/CycleChart";
import { Gloss } from "../../ui/Gloss";
import { useNarrow, useSteady } from "../../ui/hooks";
import { useKey } from "../../ui/keys";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";
import { SettingRow } from "./SettingRow";
import {
  capital,
  changedOf,
  groupsOf,
  mainOf,
  resolvedOf,
  searched,
  type Values,
  wordsOf,
} from "./settings";
import { actionOf, type Moving } from "./useMoving";

interface Props {
  variant: Variant;
  kinds: Kind[];
  selected: string;
  moving: Moving;
  onEdit: (action: RigAction) => void;
  onTake: (variant: Variant) => void;
  /** To the strip of one of its inputs. */
  onSelect?: (id: string) => void;
}

export function Inspector(props: Props) {
  const { variant, kinds, selected, onEdit } = props;
  const node = variant.document.nodes?.[selected] as (Values & { kind: string }) | undefined;
  const rail = variant.document.rails?.[selected];
  if (rail) {
    const target = variant.document.nodes?.[rail.target] as { kind: string } | undefined;
    const many = hasTrait(kinds, target?.kind, "many_inputs");
    const strip = kinds.find((k) => k.kind === "strip");
    return (
      <Box as="section" aria-label="Settings">
        <Head
          variant={variant}
          still={!many}
          about={` from ${nameOf(variant, selected.split(".")[0]!)} into ${nameOf(variant, rail.target)}`}
        >
          <Gloss word="rail">Rail</Gloss>
        </Head>
        {many && strip ? (
          <Rows key={selected} {...props} kind={strip} rows={5} />
        ) : (
          <Box color="ink2" paddingBlock="8px">
            A plain rail: what it does is set on its stages.
          </Box>
        )}
        <Box marginTop="6px">
          <Press
            look="quiet"
            onClick={() => onEdit({ do: "disconnect", port: selected, feed: true })}
          >
            Take this way out
          </Press>
        </Box>
      </Box>
    );
  }
  const kind = kinds.find((k) => k.kind === node?.kind);
  if (!node || !kind) return null;
  const name = nameOf(variant, selected);
  return (
    <Box as="section" aria-label="Settings">
      <Head variant={variant} still={!kind.stage} about={kind.title === name ? "" : kind.title} />
      <Rows key={selected} {...props} kind={kind} rows={6} />
      {kind.traits.includes("many_inputs") && props.onSelect && (
        <Strips variant={variant} node={selected} onSelect={props.onSelect} />
      )}
      {kind.traits.includes("takes_key") && (
        <KeyInput variant={variant} node={selected} onEdit={onEdit} />
      )}
      {"mix_percent" in node && (
        <Box display="flex" flexWrap="wrap" gap="2px 12px" marginTop="2px">
          <Convert variant={variant} node={selected} onTake={props.onTake} />
        </Box>
      )}
    </Box>
  );
}

/** What it is; its name stands on the line over it. While moves are written, what that means. */
function Head({
  variant,
  about,
  still = false,
  children,
}: {
  variant: Variant;
  about?: ReactNode;
  /** It has nothing that moves. */
  still?: boolean;
  children?: ReactNode;
}) {
  const { playing, ride } = usePlay();
  const narrow = useNarrow();
  const writes = ride.on && !still;
  const does = playing
    ? `What you move is a move of ${variant.letter} now; where it rests stays.`
    : "It writes as soon as it plays: Space.";
  return (
    <Box
      borderBottom="1.5px solid"
      borderColor="ink"
      fontSize="13px"
      color="ink2"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      justifyContent="space-between"
      gap="0 10px"
    >
      <Box role={writes ? "status" : undefined} color={writes && playing ? "diff" : "ink2"}>
        {writes ? (
          does
        ) : (
          <>
            {children}
            {about}
          </>
        )}
      </Box>
      {!still && narrow && <WriteMoves />}
    </Box>
  );
}

/** Armed, what is moved while it plays is written against the bars, and nothing is set. */
export function WriteMoves() {
  const { ride } = usePlay();
  useKey("route", "R", ride.turn);
  return (
    <Press
      look={ride.on ? "primary" : "quiet"}
      minHeight={{ base: "40px", sm: "26px" }}
      fontSize="13px"
      aria-pressed={ride.on}
      hint="R"
      onClick={ride.turn}
    >
      Write while I move it
    </Press>
  );
}

/** The scales that are seen first; under short words the rest, in their place. */
export function Rows({
  variant,
  kind,
  selected,
  moving,
  onEdit,
  rows,
}: Props & { kind: Kind; rows: number }) {
  const { song, frame } = useSongContext();
  const openTime = useOpenTime();
  const [open, setOpen] = useState<string>("");
  const [typed, setTyped] = useState("");
  const finder = useRef<HTMLInputElement>(null);
  const main = mainOf(kind);
  const groups = groupsOf(kind);
  const changed = changedOf(kind, moving.values);
  const find = () => {
    setOpen("find");
    requestAnimationFrame(() => finder.current?.focus());
  };
  useKey("route", "/", find);
  const shown: Parameter[] =
    open === "find"
      ? searched(kind, typed)
      : open === "changed"
        ? changed
        : (groups.find((g) => g.name === open)?.parameters ?? main);
  const checked = async (p: Parameter, value: unknown): Promise<string> => {
    if (p.sort === "time" || p.sort === "text") {
      const refused = await refusalOf(variant.id, actionOf(selected, { [p.field]: value }));
      if (refused) return refused;
    }
    moving.set(p.field, value);
    return "";
  };
  const onOpen = useSteady((name: string) => {
    if (name === "find" && open !== "find") find();
    else setOpen(open === name ? "" : name);
  });
  const onMove = useSteady(moving.move);
  const onBack = useSteady((field: string) => moving.back(field));
  const given = useRef(checked);
  useEffect(() => {
    given.current = checked;
  });
  const onSet = useCallback(
    (field: string, value: unknown) => {
      const p = kind.parameters.find((q) => q.field === field)!;
      return given.current(p, value);
    },
    [kind],
  );
  const onTime = useSteady((field: string) =>
    openTime(nameOf(variant, selected), `${selected}.${field}`, String(moving.values[field] ?? "")),
  );
  const moved = useMoved(variant.id, selected);
  const cycle = variant.view.report.cycles[selected];
  const several = open !== "" && shown.length > rows;
  return (
    <>
      <datalist id="delays-of-the-song">
        {song.written.map((w, i) => (
          <option key={w} value={w}>
            {song.delays[i]?.name}, {song.delays[i]?.value}
          </option>
        ))}
      </datalist>
      {open === "find" && (
        <Box paddingBlock="6px">
          <TextInput
            ref={finder}
            aria-label="Find a setting"
            placeholder={`Find among ${kind.parameters.length} settings`}
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            onKeyDown={(event) => {
              if (event.key !== "Escape") return;
              event.stopPropagation();
              setOpen("");
              setTyped("");
            }}
          />
        </Box>
      )}
      {cycle && (open === "" || open === "modulation" || open === "sides") && (
        <CycleChart cycle={cycle} />
      )}
      <Box
        maxHeight={several ? { base: "none", lg: `${rows * 45}px` } : undefined}
        overflowY={several ? { base: "visible", lg: "auto" } : undefined}
        overflowX="clip"
      >
        {shown.map((p) => (
          <SettingRow
            moved={moved[p.field]}
            key={p.field}
            parameter={p}
            value={moving.values[p.field] ?? null}
            resolvedMs={resolvedOf(variant.view.report.times_ms, selected, p)}
            before={p.field in moving.before ? moving.before[p.field] : undefined}
            frame={frame}
            onMove={onMove}
            onSet={onSet}
            onBack={onBack}
            onTime={
              p.sort === "time" && open !== "find" && !selected.includes("@") ? onTime : undefined
            }
          />
        ))}
        {open === "find" && typed.trim() !== "" && shown.length === 0 && (
          <Box color="ink2" paddingBlock="8px">
            No setting is called “{typed.trim()}”.
          </Box>
        )}
        {open === "" && main.length === 0 && (
          <Box color="ink2" paddingBlock="8px">
            Nothing to set but what stands below.
          </Box>
        )}
      </Box>
      <Box
        role="group"
        aria-label="Groups of settings"
        display="flex"
        flexWrap="wrap"
        gap="0 12px"
        marginTop="3px"
      >
        {open !== "" && (
          <Word open={false} name="" onOpen={onOpen}>
            {main.length ? "Main" : "Close"}
          </Word>
        )}
        {groups.map((g) => (
          <Word
            key={g.name}
            open={open === g.name}
            count={g.parameters.length}
            marked={g.parameters.some((p) => changed.includes(p))}
            name={g.name}
            onOpen={onOpen}
          >
            {capital(g.name)}
          </Word>
        ))}
        {changed.length > 0 && (
          <Word open={open === "changed"} count={changed.length} name="changed" onOpen={onOpen}>
            Changed
          </Word>
        )}
        <Word open={open === "find"} hint="/" name="find" onOpen={onOpen}>
          Find
        </Word>
        {changed.length > 1 && open === "changed" && (
          <Press
            look="quiet"
            minHeight="26px"
            fontSize="13px"
            onClick={() =>
              onEdit(
                actionOf(selected, Object.fromEntries(changed.map((p) => [p.field, p.default]))),
              )
            }
          >
            Put all {changed.length} back
          </Press>
        )}
      </Box>
      {open === "changed" && (
        <Box fontSize="13px" color="ink2">
          {changed.map((p) => `${p.label} rests at ${wordsOf(p, p.default)}`).join("; ")}
        </Box>
      )}
    </>
  );
}

/** Points that are written for the settings of a part, by setting. */
function useMoved(variant: string, part: string): Record<string, number> {
  const { moves } = useMoves(variant);
  return Object.fromEntries(
    moves.filter((m) => m.part === part).map((m) => [m.field, m.points.length]),
  );
}

const Word = memo(function Word({
  open,
  count,
  marked = false,
  hint,
  name,
  onOpen,
  children,
}: {
  open: boolean;
  count?: number;
  marked?: boolean;
  hint?: string;
  name: string;
  onOpen: (name: string) => void;
  children: ReactNode;
}) {
  return (
    <Press
      look="quiet"
      minHeight={{ base: "40px", sm: "26px" }}
      fontSize="13px"
      aria-expanded={open}
      fontWeight={open ? 650 : 400}
      background={open ? "well" : undefined}
      hint={hint}
      gap="4px"
      onClick={() => onOpen(name)}
    >
      {children}
      {count !== undefined && (
        <Box as="span" color={marked ? "diff" : "ink2"}>
          {count}
        </Box>
      )}
    </Press>
  );
});

/** What comes in, each with what its strip does; a press opens it. */
function Strips({
  variant,
  node,
  onSelect,
}: {
  variant: Variant;
  node: string;
  onSelect: (id: string) => void;
}) {
  const into = variant.view.layout.rails.filter((r) => r.target === node);
  if (!into.length) return null;
  return (
    <Box display="flex" flexWrap="wrap" gap="0 10px" alignItems="center" fontSize="13px">
      <Box color="ink2">Strips of</Box>
      {into.map((rail) => (
        <Press
          key={rail.port}
          look="quiet"
          minHeight={{ base: "40px", sm: "26px" }}
          fontSize="13px"
          onClick={() => onSelect(rail.port)}
        >
          {nameOf(variant, rail.port.slice(0, rail.port.lastIndexOf(".")))}
          {rail.caption ? `, ${rail.caption}` : ""}
        </Press>
      ))}
    </Box>
  );
}

/** Why the core would refuse an edit; empty where it would not. */
async function refusalOf(id: string, action: RigAction): Promise<string> {
  try {
    await ask(
      api.POST("/api/v1/variants/{variant_id}/try", {
        params: { path: { variant_id: id } },
        body: { action },
      }),
    );
    return "";
  } catch (fault) {
    // Without a connection it waits like any edit.
    return isPassing(fault) ? "" : sentenceOf(fault);
  }
}

/** Time opened on the delay that a stage's time means; where there is none, one is begun for it. */
function useOpenTime() {
  const { song, edit, hand, take } = useSongContext();
  const navigate = useNavigate();
  return (name: string, stage: string, value: string) => {
    const known = delayOf(value, song.written, song.delays);
    let at = known?.at ?? -1;
    if (!known) {
      at = song.delays.length;
      const taken = new Set(song.delays.map((d) => d.name));
      let called = name;
      for (let n = 2; taken.has(called); n++) called = `${name} ${n}`;
      edit({ delays: [...song.delays, { ...song.delays[0]!, name: called, value, device: null }] });
      announce(`“${called}” stands in the plan of delays. Hand it back, and the stage follows it.`);
    }
    take({ tools: { ...hand.tools, delay: String(at + 1), stage } });
    void navigate("../time");
  };
}
/** What a compressor or a ducker listens to. */
function KeyInput({
  variant,
  node,
  onEdit,
}: {
  variant: Variant;
  node: string;
  onEdit: (action: RigAction) => void;
}) {
  const key = variant.document.keys?.[node];
  const set = (tap: string, at: string) =>
    onEdit({ do: "key", keyed: node, tap: tap || null, at } as RigAction);
  return (
    <Box display="flex" flexWrap="wrap" gap="8px 12px" marginTop="8px">
      <Labelled label="Keyed by">
        <Choice
          value={key?.tap ?? ""}
          onChange={(event) => set(event.target.value, key?.at ?? "out")}
        >
          <option value="">its own input</option>
          {variant.view.layout.reading
            .filter((id) => id !== node)
            .map((id) => (
              <option key={id} value={id}>
                {nameOf(variant, id)}
              </option>
            ))}
        </Choice>
      </Labelled>
      {key && (
        <Labelled label="tapped">
          <Choice value={key.at ?? "out"} onChange={(event) => set(key.tap, event.target.value)}>
            <option value="in">before it</option>
            <option value="out">after it</option>
          </Choice>
        </Labelled>
      )}
    </Box>
  );
}

const Convert = memo(function Convert({
  variant,
  node,
  onTake,
}: {
  variant: Variant;
  node: string;
  onTake: (variant: Variant) => void;
}) {
  const [said, setSaid] = useState("");
  const run = async (to: "parallel" | "insert" | "return") => {
    const body = { id: crypto.randomUUID(), node, to, apply: false };
    const path = { params: { path: { variant_id: variant.id } } };
    try {
      const look = await ask(api.POST("/api/v1/variants/{variant_id}/convert", { ...path, body }));
      const { conversion } = look;
      const null_ =
        conversion.null_db === null
          ? ""
          : ` Best null at 1 % and 0.1 dB steps: ${conversion.null_db.toFixed(1)} dB.`;
      setSaid(`${conversion.sentence}${null_}`);
      if (!conversion.rig) return;
      const done = await ask(
        api.POST("/api/v1/variants/{variant_id}/convert", {
          ...path,
          body: { ...body, apply: true },
        }),
      );
      if (done.variant) onTake(done.variant);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  return (
    <>
      <Press look="quiet" onClick={() => void run("parallel")}>
        To a parallel rail
      </Press>
      <Press look="quiet" onClick={() => void run("return")}>
        To a send and return
      </Press>
      <Press look="quiet" onClick={() => void run("insert")}>
        To one insert
      </Press>
      {said && (
        <Box width="100%" fontSize="13px" role="status">
          {said}
        </Box>
      )}
    </>
  );
});
