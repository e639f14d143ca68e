/** Scenes: stages on or off and settings that differ, called up together. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type RigAction, type Schemas, type Variant } from "../../api/client";
import { useSongContext } from "../../song/context";
import { Press, SheetTitle } from "../../ui/controls";
import { signed } from "../../ui/format";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";
import { valueWords } from "../../rigs/changes";
import { useKinds } from "../../rigs/kinds";
import { nameOf } from "../../rigs/names";
import { Table, Td, Th } from "../../ui/table";

type Scene = Schemas["Scene"];
type Part = { kind: string; bypassed?: boolean; muted?: boolean };

interface Props {
  variant: Variant;
  onEdit: (action: RigAction) => void;
}

/** Field names of a part that a scene can set: numbers, flags and choices. */
function settable(part: Record<string, unknown>): string[] {
  return Object.keys(part).filter(
    (f) =>
      !["id", "kind", "name", "bypassed", "sidings", "lines", "beside", "calls", "unit"].includes(
        f,
      ),
  );
}

export function Scenes({ variant, onEdit }: Props) {
  const scenes = variant.document.scenes ?? [];
  const nodes = (variant.document.nodes ?? {}) as Record<string, Part & Record<string, unknown>>;
  const id = variant.id;
  const { song } = useSongContext();
  const worked = useQuery({
    queryKey: ["scenes", id, variant.revision, song.revision],
    enabled: scenes.length > 0,
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/scenes", { params: { path: { variant_id: id } } }),
      ),
    placeholderData: keepPreviousData,
  });
  /** What each scene does, in the order of the scenes; undefined until it is worked out. */
  const does = scenes.map((scene, i) => {
    const one = worked.data?.[i];
    return one?.name === scene.name ? one : undefined;
  });
  const shown = variant.view.layout.reading.filter(
    (id) => nodes[id] && ("bypassed" in nodes[id] || "muted" in nodes[id]),
  );
  const store = (next: Scene[]) => onEdit({ do: "rig", scenes: next } as RigAction);
  const change = (index: number, values: Partial<Scene>) =>
    store(scenes.map((s, i) => (i === index ? { ...s, ...values } : s)));
  const turn = (index: number, id: string, to: string) => {
    const scene = scenes[index]!;
    const without = (list: readonly string[] | undefined) => (list ?? []).filter((n) => n !== id);
    change(index, {
      on: to === "on" ? [...without(scene.on), id] : without(scene.on),
      off: to === "off" ? [...without(scene.off), id] : without(scene.off),
    });
  };
  const add = () => {
    const taken = new Set(scenes.map((s) => s.name));
    let n = scenes.length + 1;
    while (taken.has(`Scene ${n}`)) n++;
    store([...scenes, { name: `Scene ${n}`, program: scenes.length, on: [], off: [], values: {} }]);
  };
  return (
    <Box overflowX="auto" as="section" aria-label="Scenes">
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="baseline">
        <SheetTitle
          sub
          about="what each turns on and off, and what that changes from the rig as it stands"
        >
          Scenes
        </SheetTitle>
        <Press onClick={add}>Add a scene</Press>
      </Box>
      {scenes.length > 0 && (
        <Table width="auto" minWidth="min(100%, 560px)">
          {/* Read out, and on a phone each cell stands behind its scene's name; seen is the row of fields. */}
          <Box as="thead" srOnly>
            <tr>
              <Th>Stage, as it stands</Th>
              {scenes.map((scene, i) => (
                <Th key={i}>{scene.name}</Th>
              ))}
            </tr>
          </Box>
          <tbody>
            <tr>
              <Td textAlign="left" color="ink2">
                Name
              </Td>
              {scenes.map((scene, i) => (
                <Td key={i} textAlign="left" minWidth="150px">
                  <Named
                    key={scene.name}
                    label={`Name of scene ${i + 1}`}
                    value={scene.name}
                    onSet={(name) => change(i, { name })}
                  />
                </Td>
              ))}
            </tr>
            <tr>
              <Td textAlign="left" color="ink2">
                Program change
              </Td>
              {scenes.map((scene, i) => (
                <Td key={i} textAlign="left">
                  <Named
                    key={String(scene.program)}
                    label={`Program change of ${scene.name}`}
                    value={
                      scene.program === null || scene.program === undefined
                        ? ""
                        : String(scene.program)
                    }
                    onSet={(text) => {
                      const program = Number.parseInt(text, 10);
                      change(i, {
                        program: text.trim() === "" || Number.isNaN(program) ? null : program,
                      });
                    }}
                  />
                </Td>
              ))}
            </tr>
            {shown.map((id) => {
              const part = nodes[id]!;
              const off = part.bypassed === true || part.muted === true;
              return (
                <tr key={id}>
                  <Td textAlign="left">
                    <strong>{nameOf(variant, id)}</strong>{" "}
                    <Box as="span" color="ink2">
                      {off ? "off" : "on"}
                      {typeof part.loop === "number" ? `, loop ${part.loop}` : ""}
                    </Box>
                  </Td>
                  {scenes.map((scene, i) => (
                    <Td key={i} textAlign="left">
                      <Choice
                        aria-label={`${nameOf(variant, id)} in ${scene.name}`}
                        width="auto"
                        value={scene.on?.includes(id) ? "on" : scene.off?.includes(id) ? "off" : ""}
                        onChange={(event) => turn(i, id, event.target.value)}
                      >
                        <option value="">as it stands</option>
                        <option value="on">on</option>
                        <option value="off">off</option>
                      </Choice>
                    </Td>
                  ))}
                </tr>
              );
            })}
            <tr>
              <Td textAlign="left" color="ink2">
                Settings that differ
              </Td>
              {scenes.map((scene, i) => (
                <Td key={i} textAlign="left" verticalAlign="top">
                  <Box>
                    <Overrides
                      scene={scene}
                      variant={variant}
                      nodes={nodes}
                      onSet={(values) => change(i, { values })}
                    />
                  </Box>
                </Td>
              ))}
            </tr>
            <tr>
              <Td textAlign="left" color="ink2">
                Level at the first output
              </Td>
              {does.map((scene, i) => {
                const change = scene?.level_change_db;
                const jump = Math.abs(change ?? 0) > 3;
                return (
                  <Td key={i} textAlign="left" fontWeight="650" color={jump ? "diff" : "ink"}>
                    {change === undefined
                      ? "…"
                      : change === null
                        ? "silent"
                        : `${signed(change, 1)} dB`}
                    {jump && ", jumps"}
                  </Td>
                );
              })}
            </tr>
            <tr>
              <Td textAlign="left" color="ink2">
                Arrivals
              </Td>
              {does.map((scene, i) => (
                <Td key={i} textAlign="left" fontSize="13px" verticalAlign="top">
                  <Box>
                    {scene?.arrivals.map((a) => (
                      <Box key={a}>{a}</Box>
                    ))}
                    {!scene ? "…" : !scene.arrivals.length && "as they stand"}
                  </Box>
                </Td>
              ))}
            </tr>
            <tr>
              <Td />
              {scenes.map((scene, i) => (
                <Td key={i} textAlign="left">
                  <Press look="quiet" onClick={() => store(scenes.filter((_, n) => n !== i))}>
                    Delete {scene.name}
                  </Press>
                </Td>
              ))}
            </tr>
          </tbody>
        </Table>
      )}
      {scenes.length === 0 && (
        <Box color="ink2">
          No scenes yet: one scene is one press on stage, with its loops and settings.
        </Box>
      )}
    </Box>
  );
}

function Overrides({
  scene,
  variant,
  nodes,
  onSet,
}: {
  scene: Scene;
  variant: Variant;
  nodes: Record<string, Record<string, unknown>>;
  onSet: (values: Record<string, Record<string, unknown>>) => void;
}) {
  const values = scene.values ?? {};
  const [part, setPart] = useState("");
  const [field, setField] = useState("");
  const [text, setText] = useState("");
  const kinds = useKinds().data;
  const parameter = (id: string, name: string) =>
    kinds?.find((k) => k.kind === nodes[id]?.kind)?.parameters.find((p) => p.field === name);
  /** As the stage's own panel calls it. */
  const called = (id: string, name: string) =>
    parameter(id, name)?.label ?? name.replaceAll("_", " ");
  const rows = Object.entries(values).flatMap(([id, fields]) =>
    Object.entries(fields).map(([name, value]) => ({ id, name, value })),
  );
  const without = (id: string, name: string) => {
    const rest = Object.fromEntries(Object.entries(values[id] ?? {}).filter(([f]) => f !== name));
    return Object.fromEntries(
      Object.entries({ ...values, [id]: rest }).filter(([, fields]) => Object.keys(fields).length),
    );
  };
  const add = () => {
    const plain = Number.parseFloat(text.replace(",", ".").replace("−", "-"));
    const now = nodes[part]?.[field];
    const value =
      typeof now === "boolean"
        ? ["on", "yes", "true"].includes(text.trim().toLowerCase())
        : typeof now === "string" || Number.isNaN(plain)
          ? text.trim()
          : plain;
    onSet({ ...values, [part]: { ...values[part], [field]: value } });
    setField("");
    setText("");
  };
  return (
    <Box fontSize="13px">
      {rows.map(({ id, name, value }) => (
        <Box key={id + name} display="flex" gap="6px" alignItems="center">
          {nameOf(variant, id)}: {called(id, name)}{" "}
          {valueWords(value, parameter(id, name)?.unit ?? "")}
          <Press
            look="quiet"
            named={`${called(id, name)} of ${nameOf(variant, id)} of ${scene.name}`}
            onClick={() => onSet(without(id, name))}
          >
            take out
          </Press>
        </Box>
      ))}
      <Box as="details">
        <summary>Set one</summary>
        <Box display="grid" gap="4px" paddingBlock="4px">
          <Labelled label="Stage">
            <Choice value={part} onChange={(event) => setPart(event.target.value)}>
              <option value="" />
              {variant.view.layout.reading.map((id) => (
                <option key={id} value={id}>
                  {nameOf(variant, id)}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label="Setting">
            <Choice value={field} onChange={(event) => setField(event.target.value)}>
              <option value="" />
              {settable(nodes[part] ?? {}).map((f) => (
                <option key={f} value={f}>
                  {called(part, f)}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label={`Value${unitOf(parameter(part, field)?.unit)}`}>
            <TextInput value={text} onChange={(event) => setText(event.target.value)} />
          </Labelled>
          <Press disabled={!part || !field || !text.trim()} onClick={add}>
            Set in this scene
          </Press>
        </Box>
      </Box>
    </Box>
  );
}

const unitOf = (unit?: string) => (unit ? `, ${unit === "ratio" ? ":1" : unit}` : "");

function Named({
  label,
  value,
  onSet,
}: {
  label: string;
  value: string;
  onSet: (text: string) => void;
}) {
  const [draft, setDraft] = useState(value);
  const commit = () => {
    if (draft !== value) onSet(draft);
  };
  return (
    <TextInput
      aria-label={label}
      width="140px"
      maxLength={40}
      value={draft}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setDraft(value);
      }}
    />
  );
}
