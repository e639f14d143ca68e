/** Written moves of a variant: breakpoints against bars that can be edited. */
import { Box, chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { Kind, Schemas, Variant } from "../../api/client";
import { useMoves, withPoint, type WrittenMove } from "../../playing/moves";
import { announce, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useKinds } from "../../rigs/kinds";
import { hasTrait } from "../../rigs/traits";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";

type Point = Schemas["MovePoint"];

/** Settings that can be moved: levels and mutes of what has them, and inputs of merges. */
function movable(
  variant: Variant,
  kinds: Kind[] | undefined,
): { part: string; field: string; name: string }[] {
  const found: { part: string; field: string; name: string }[] = [];
  const nodes = variant.document.nodes ?? {};
  for (const node of Object.values(nodes)) {
    const name = node.name ?? node.kind;
    if ("level_db" in node)
      found.push({ part: node.id, field: "level_db", name: `${name}: level, dB` });
    if ("muted" in node)
      found.push({ part: node.id, field: "muted", name: `${name}: mute, 0 or 1` });
    if ("bypassed" in node)
      found.push({ part: node.id, field: "bypassed", name: `${name}: bypass, 0 or 1` });
    if ("program" in node && node.kind === "stand_in" && node.device === "switcher")
      found.push({ part: node.id, field: "program", name: `${name}: program` });
    if ("mix_percent" in node)
      found.push({ part: node.id, field: "mix_percent", name: `${name}: mix, %` });
    if (node.kind === "delay") {
      found.push({ part: node.id, field: "time", name: `${name}: time, ms` });
      found.push({ part: node.id, field: "feedback_percent", name: `${name}: feedback, %` });
    }
    if (node.kind === "swept")
      found.push({ part: node.id, field: "frequency_hz", name: `${name}: frequency, Hz` });
  }
  for (const [port, rail] of Object.entries(variant.document.rails ?? {})) {
    const target = nodes[rail.target];
    if (target && hasTrait(kinds, target.kind, "many_inputs")) {
      const from = nodes[port.split(".")[0]!];
      found.push({
        part: port,
        field: "level_db",
        name: `${from?.name ?? from?.kind} into ${target.name ?? target.kind}: level, dB`,
      });
    }
  }
  return found;
}

export function MovesSheet({ variant }: { variant: Variant }) {
  const { moves, save } = useMoves(variant.id);
  const kinds = useKinds();
  const choices = movable(variant, kinds.data);
  const [chosen, setChosen] = useState("");
  const [bar, setBar] = useState("1");
  const [beat, setBeat] = useState("1");
  const [value, setValue] = useState("0");
  const [ramp, setRamp] = useState(false);
  const target = choices.find((c) => `${c.part} ${c.field}` === chosen) ?? choices[0];
  const nameOf = (move: WrittenMove) =>
    choices.find((c) => c.part === move.part && c.field === move.field)?.name ??
    `${move.part} ${move.field} (not in this rig)`;
  const read = (field: string, text: string): number | boolean =>
    field === "muted" || field === "bypassed"
      ? Number(text) > 0
      : Number(text.replace(",", ".").replace("\u2212", "-"));
  const add = () => {
    if (!target) return;
    const said = read(target.field, value);
    const point: Point = { bar: Number(bar), beat: Number(beat), value: said, ramp };
    if (typeof said === "number" && !Number.isFinite(said))
      return announce(`“${value}” is no number.`, { kind: "fault" });
    if (!Number.isInteger(point.bar) || point.bar < 1 || !(point.beat >= 1))
      return announce("Bars and beats are counted from 1.", { kind: "fault" });
    save.mutate(withPoint(moves, target.part, target.field, point));
  };
  const drop = (move: WrittenMove, at: number) => {
    const points = move.points.filter((_, i) => i !== at);
    const rest = moves.filter((m) => m !== move);
    save.mutate(points.length ? [...rest, { ...move, points }] : rest);
  };
  return (
    <Box as="section" aria-label="Moves" minWidth="0">
      <SheetTitle
        sub
        about="what a setting does against the bars; its resting value stays. Heard after rendering."
      >
        Moves of {variant.letter}
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 10px" alignItems="end" marginTop="4px">
        <Labelled label="setting">
          <Choice
            value={target ? `${target.part} ${target.field}` : ""}
            maxWidth="260px"
            onChange={(event) => setChosen(event.target.value)}
          >
            {choices.map((c) => (
              <option key={`${c.part} ${c.field}`} value={`${c.part} ${c.field}`}>
                {c.name}
              </option>
            ))}
          </Choice>
        </Labelled>
        <Small label="bar" value={bar} onChange={setBar} />
        <Small label="beat" value={beat} onChange={setBeat} />
        <Small label="value" value={value} onChange={setValue} />
        <label>
          <input
            type="checkbox"
            checked={ramp}
            onChange={(event) => setRamp(event.target.checked)}
          />{" "}
          in a straight line since the point before
        </label>
        <Press disabled={!target || save.isPending} onClick={add}>
          Add the point
        </Press>
      </Box>
      {moves.length > 0 && (
        <Box overflowX="auto" marginTop="8px">
          <Table width="auto" minWidth="min(100%, 520px)">
            <thead>
              <tr>
                <Th textAlign="left">setting</Th>
                <Th>bar</Th>
                <Th>beat</Th>
                <Th>value</Th>
                <Th textAlign="left">how</Th>
                <Th textAlign="left">change</Th>
              </tr>
            </thead>
            <tbody>
              {moves.flatMap((move) =>
                move.points.map((point, i) => (
                  <tr key={`${move.part} ${move.field} ${i}`}>
                    <Td textAlign="left">{i ? "" : nameOf(move)}</Td>
                    <Td>{point.bar}</Td>
                    <Td>{num(point.beat ?? 1, 2)}</Td>
                    <Td fontWeight="650">
                      {typeof point.value === "boolean"
                        ? point.value
                          ? "on"
                          : "off"
                        : num(point.value, 1)}
                    </Td>
                    <Td textAlign="left">{point.ramp ? "line" : "step"}</Td>
                    <Td>
                      <Press look="quiet" named={`bar ${point.bar}`} onClick={() => drop(move, i)}>
                        Take out
                      </Press>
                    </Td>
                  </tr>
                )),
              )}
            </tbody>
          </Table>
          <Press look="quiet" onClick={() => save.mutate([])}>
            Take out all moves
          </Press>
        </Box>
      )}
    </Box>
  );
}

function Small({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (v: string) => void;
}) {
  return (
    <Labelled label={label}>
      <chakra.input
        width="64px"
        height={{ base: "44px", sm: "31px" }}
        paddingInline="6px"
        border="1px solid"
        borderColor="edge"
        borderBottom="2px solid"
        background="sheet"
        color="ink"
        inputMode="decimal"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </Labelled>
  );
}
