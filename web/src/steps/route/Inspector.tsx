/** The settings of what is selected: a part's own fields, or the strip of a merge's input. */
import { Box, chakra } from "@chakra-ui/react";
import { useEffect, useId, useRef, useState } from "react";
import { useNavigate } from "react-router";

import {
  api,
  ask,
  type Kind,
  type Parameter,
  type RigAction,
  type Schemas,
  sentenceOf,
  type Variant,
} from "../../api/client";
import { nameOf } from "../../rigs/names";
import { delayOf } from "../../rigs/times";
import { useSongContext } from "../../song/context";
import { announce, Press, SheetTitle } from "../../ui/controls";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";
import { Gloss } from "../../ui/Gloss";
import { Said } from "../../ui/Said";
import { readTyped } from "../../ui/typed";
import { hasTrait } from "../../rigs/traits";
import { FrameSlots } from "./FrameSlots";

type Values = Record<string, unknown>;

interface Props {
  variant: Variant;
  kinds: Kind[];
  selected: string;
  onEdit: (action: RigAction) => void;
  onTake: (variant: Variant) => void;
}

const STRIP: Parameter[] = [
  strip("level_db", "level", "number", "dB"),
  strip("pan_percent", "pan", "number", "%"),
  strip("width_percent", "width", "number", "%"),
  strip("delay_ms", "delay", "number", "ms"),
  strip("inverted", "inverted", "flag", ""),
  strip("muted", "muted", "flag", ""),
  strip("solo", "solo", "flag", ""),
];

function strip(field: string, label: string, sort: "number" | "flag", unit: string): Parameter {
  return {
    field,
    label,
    sort,
    unit,
    low: null,
    high: null,
    choices: [],
    about: label,
    optional: false,
    own: true,
  };
}

export function Inspector({ variant, kinds, selected, onEdit, onTake }: Props) {
  const [more, setMore] = useState(false);
  const { song } = useSongContext();
  const openTime = useOpenTime();
  const { document } = variant;
  const node = document.nodes?.[selected] as (Values & { id: string; kind: string }) | undefined;
  const rail = document.rails?.[selected];
  if (!node && !rail) {
    return (
      <Box color="ink2" paddingBlock="8px">
        Select a stage or a rail: arrow keys go along the course.
      </Box>
    );
  }
  if (rail) {
    const target = document.nodes?.[rail.target] as (Values & { kind: string }) | undefined;
    const many = hasTrait(kinds, target?.kind, "many_inputs");
    return (
      <Box as="section" aria-label="Settings">
        <SheetTitle
          sub
          about={`from ${nameOf(variant, selected.split(".")[0]!)} to ${nameOf(variant, rail.target)}`}
        >
          <Gloss word="rail">Rail</Gloss>
        </SheetTitle>
        {many ? (
          <Fields
            key={selected}
            parameters={STRIP}
            values={(rail.strip ?? {}) as Values}
            defaults={{ level_db: 0, pan_percent: 0, width_percent: 100, delay_ms: 0 }}
            onSet={(values) => onEdit({ do: "set_strip", rail: selected, values })}
          />
        ) : (
          <Box color="ink2">A plain rail. I puts a stage on it, R splits it, E adds a send.</Box>
        )}
        <Box marginTop="8px">
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
  const kind = kinds.find((k) => k.kind === node!.kind);
  if (!kind) return null;
  // A frame's order and half stand with its slots.
  const apart = node!.kind === "frame" ? ["order", "half"] : [];
  const own = kind.parameters.filter(
    (p) => (p.own || p.field === "name") && !apart.includes(p.field),
  );
  const shared = kind.parameters.filter((p) => !p.own && p.field !== "name");
  return (
    <Box as="section" aria-label="Settings">
      <SheetTitle sub about={kind.title === nameOf(variant, selected) ? undefined : kind.title}>
        {nameOf(variant, selected)}
      </SheetTitle>
      <datalist id="delays-of-the-song">
        {song.written.map((w, i) => (
          <option key={w} value={w}>
            {song.delays[i]?.name}, {song.delays[i]?.value}
          </option>
        ))}
      </datalist>
      <Fields
        key={selected}
        parameters={more ? [...own, ...shared] : own}
        values={node!}
        onSet={(values) => onEdit({ do: "set", node: selected, values })}
        onTime={(field, value) =>
          openTime(nameOf(variant, selected), `${selected}.${field}`, value)
        }
      />
      {node!.kind === "frame" && (
        <FrameSlots frame={node as unknown as Schemas["Frame"]} kinds={kinds} onEdit={onEdit} />
      )}
      {hasTrait(kinds, node!.kind, "takes_key") && (
        <KeyInput variant={variant} node={selected} onEdit={onEdit} />
      )}
      <Box display="flex" flexWrap="wrap" gap="6px 12px" marginTop="8px">
        {shared.length > 0 && (
          <Press look="quiet" aria-expanded={more} onClick={() => setMore(!more)}>
            {more ? "Fewer settings" : "All settings"}
          </Press>
        )}
        {"mix_percent" in node! && <Convert variant={variant} node={selected} onTake={onTake} />}
      </Box>
    </Box>
  );
}

function Fields({
  parameters,
  values,
  defaults = {},
  onSet,
  onTime,
}: {
  parameters: Parameter[];
  values: Values;
  defaults?: Values;
  onSet: (values: Values) => void;
  onTime?: (field: string, value: string) => void;
}) {
  return (
    <Box
      display="grid"
      gridTemplateColumns="repeat(auto-fill, minmax(132px, 1fr))"
      gap="8px 12px"
      marginTop="6px"
      alignItems="end"
    >
      {parameters.map((p) => (
        <Field
          key={p.field}
          parameter={p}
          value={values[p.field] ?? defaults[p.field] ?? null}
          onSet={(value) => onSet({ [p.field]: value })}
          onTime={onTime && ((value) => onTime(p.field, value))}
        />
      ))}
    </Box>
  );
}

function Field({ parameter, value, onSet, onTime }: FieldProps) {
  if (parameter.sort === "flag") {
    return (
      <chakra.label display="flex" alignItems="center" gap="6px" minHeight="31px" cursor="pointer">
        <input
          type="checkbox"
          checked={value === true}
          aria-label={parameter.label}
          onChange={(event) => onSet(event.target.checked)}
        />
        {parameter.label}
      </chakra.label>
    );
  }
  if (parameter.sort === "choice") {
    return (
      <Labelled label={parameter.label}>
        <Choice
          value={String(value ?? "")}
          onChange={(event) => {
            const text = event.target.value;
            onSet(text === "" ? null : /^\d+$/.test(text) ? Number(text) : text);
          }}
        >
          {parameter.optional && <option value="">by its kind</option>}
          {parameter.choices.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </Choice>
      </Labelled>
    );
  }
  const typed = <Typed parameter={parameter} value={value} onSet={onSet} />;
  if (parameter.sort !== "time" || !onTime || typeof value !== "string") return typed;
  return (
    <Box>
      {typed}
      <Press look="quiet" minHeight="22px" fontSize="13px" onClick={() => onTime(value)}>
        in Time{" "}
        <Box as="span" srOnly>
          {parameter.label}
        </Box>
      </Press>
    </Box>
  );
}

interface FieldProps {
  parameter: Parameter;
  value: unknown;
  onSet: (value: unknown) => void;
  /** Open a written time under Time. */
  onTime?: (value: string) => void;
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

/** A typed value: numbers step with the arrow keys, Escape restores, the server reads the rest. */
function Typed({ parameter, value, onSet }: Omit<FieldProps, "onTime">) {
  const id = useId();
  const stored = value === null || value === undefined ? "" : shown(value);
  const [draft, setDraft] = useState<string | null>(null);
  const [bad, setBad] = useState("");
  const numeric = parameter.sort === "number" || parameter.sort === "whole";
  const latest = useRef(stored);
  useEffect(() => {
    latest.current = stored;
  }, [stored]);
  const commit = (text: string) => {
    if (text === latest.current) return setDraft(null);
    if (text.trim() === "") {
      if (parameter.optional) onSet(null);
      return setDraft(null);
    }
    if (!numeric) {
      onSet(text);
      return setDraft(null);
    }
    const { low, high, unit } = parameter;
    const [least, most] = [low ?? -Infinity, high ?? Infinity];
    const sample = unit === "ratio" ? "1:1" : `0 ${unit}`;
    const read = readTyped(text, sample, least, most);
    if ("said" in read) return setBad(read.said);
    setBad("");
    onSet(parameter.sort === "whole" ? Math.round(read.value) : read.value);
    setDraft(null);
  };
  return (
    <chakra.label display="block" position="relative" title={parameter.about}>
      <Box as="span" display="block" color="ink2" fontSize="13px" marginBottom="2px">
        {parameter.label}
        {parameter.unit && parameter.unit !== "ratio" ? `, ${parameter.unit}` : ""}
      </Box>
      <TextInput
        aria-label={parameter.label}
        list={parameter.sort === "time" ? "delays-of-the-song" : undefined}
        aria-invalid={bad ? true : undefined}
        aria-describedby={bad ? id : undefined}
        maxLength={200}
        value={draft ?? stored}
        autoComplete="off"
        spellCheck={false}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={() => draft !== null && commit(draft)}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit(draft ?? stored);
          else if (event.key === "Escape") {
            setDraft(null);
            setBad("");
          } else if (numeric && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
            const now = Number.parseFloat(draft ?? stored);
            if (Number.isNaN(now)) return;
            event.preventDefault();
            const size = event.shiftKey ? 10 : event.altKey ? 0.1 : 1;
            const next = String(
              Number((now + (event.key === "ArrowUp" ? size : -size)).toFixed(4)),
            );
            setDraft(next);
            commit(next);
          }
        }}
      />
      {bad && <Said id={id} text={bad} bad />}
    </chakra.label>
  );
}

function shown(value: unknown): string {
  return typeof value === "number" ? String(Number(value.toFixed(4))) : String(value);
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

function Convert({
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
}
