/** How the controls of one device read: for each setting a number, per cent, a clock place, or marks. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Kind, sentenceOf } from "../api/client";
import { Dialog, Notice, Press } from "../ui/controls";
import { Choice, Labelled, TextInput } from "../ui/QuantityField";
import {
  chosen,
  controlOf,
  type Panel,
  SHOWS,
  type Shows,
  type Typed,
  typedOf,
  Unreadable,
} from "./panel";
import type { Row } from "./sheet";

interface Props {
  row: Row;
  kind: Kind | undefined;
  /** What the device is called now, if it is called anything. */
  name: string;
  panel: Panel | undefined;
  variant: { id: string; revision: number };
  /** The name that the stage itself has. */
  stageName: string;
  onClose: () => void;
}

export function Readings({ row, kind, name: called, panel, variant, stageName, onClose }: Props) {
  const client = useQueryClient();
  const fields = (kind?.parameters ?? []).filter(
    (p) => p.scale && row.settings.some((s) => s.field === p.field),
  );
  const [name, setName] = useState(panel?.name ?? called);
  const [typed, setTyped] = useState<Typed[]>(
    fields.map((p) =>
      typedOf(
        p.field,
        panel?.controls?.find((c) => c.field === p.field),
        p.scale ?? null,
      ),
    ),
  );
  const change = (at: number, to: Typed) => setTyped(typed.map((one, i) => (i === at ? to : one)));
  const keep = useMutation({
    mutationFn: async () => {
      const own = typed.map((one, i) => controlOf(one, fields[i]!.label));
      // What the device has for settings that are not on this sheet stays.
      const others = (panel?.controls ?? []).filter(
        (c) => !fields.some((f) => f.field === c.field),
      );
      const body: Panel = {
        name: name.trim(),
        controls: [...others, ...own.filter((c) => c !== null)],
      };
      await ask(api.PUT("/api/v1/panels", { body }));
      // The stage is that device from now on; what cannot be one of several rigs is called so.
      const calledBy = kind?.parameters.some((p) => p.field === "unit") ? "unit" : "name";
      if (name.trim().toLowerCase() !== stageName.trim().toLowerCase())
        await ask(
          api.POST("/api/v1/variants/{variant_id}/edits", {
            params: { path: { variant_id: variant.id } },
            body: {
              base_revision: variant.revision,
              action: { do: "set", node: row.id, values: { [calledBy]: name.trim() } },
            },
          }),
        );
    },
    onSuccess: async () => {
      await Promise.all(
        ["sheet", "panels", "variant", "variant-stored", "rigs"].map((key) =>
          client.invalidateQueries({ queryKey: [key] }),
        ),
      );
      onClose();
    },
  });
  const said =
    keep.error instanceof Unreadable ? keep.error.message : keep.error && sentenceOf(keep.error);
  return (
    <Dialog title={`How ${row.name} reads`} onClose={onClose}>
      <chakra.form
        onSubmit={(event) => {
          event.preventDefault();
          keep.mutate();
        }}
      >
        <Labelled label="Device, as you call it; wherever it stands it reads like this">
          <TextInput
            value={name}
            required
            maxLength={60}
            width="100%"
            onChange={(e) => setName(e.target.value)}
          />
        </Labelled>
        {fields.length === 0 && (
          <Box marginTop="8px">Nothing on it is a figure: it is set by its words.</Box>
        )}
        {typed.map((one, i) => (
          <ControlFields
            key={one.field}
            label={fields[i]!.label}
            unit={
              fields[i]!.sort === "time"
                ? "ms"
                : fields[i]!.unit === "ratio"
                  ? "to one"
                  : fields[i]!.unit
            }
            typed={one}
            onChange={(to) => change(i, to)}
          />
        ))}
        {said && (
          <Notice kind="fault" word="Not kept.">
            {said}
          </Notice>
        )}
        <Box display="flex" gap="10px" marginTop="12px">
          <Press type="submit" look="primary" disabled={keep.isPending || !name.trim()}>
            Keep
          </Press>
          <Press onClick={onClose}>Leave as it was</Press>
        </Box>
      </chakra.form>
    </Dialog>
  );
}

function ControlFields({
  label,
  unit,
  typed,
  onChange,
}: {
  label: string;
  unit: string;
  typed: Typed;
  onChange: (typed: Typed) => void;
}) {
  const set = (more: Partial<Typed>) => onChange({ ...typed, ...more });
  const field = (name: keyof Typed, said: string, width = "84px") => (
    <Labelled label={said}>
      <TextInput
        aria-label={`${label}: ${said}`}
        width={width}
        value={typed[name] as string}
        onChange={(e) => set({ [name]: e.target.value })}
      />
    </Labelled>
  );
  const clock = typed.shows === "clock";
  return (
    <Box borderTop="1px solid" borderColor="rule" marginTop="10px" paddingTop="8px">
      <Labelled label={label}>
        <Choice
          aria-label={`${label} reads`}
          width="200px"
          value={typed.shows}
          onChange={(e) => onChange(chosen(typed, e.target.value as Shows))}
        >
          {SHOWS.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </Choice>
      </Labelled>
      {typed.shows !== "plan" && (
        <Box display="flex" flexWrap="wrap" gap="6px 12px" marginTop="6px" alignItems="flex-end">
          {field("low", `from, ${unit}`)}
          {field("high", `to, ${unit}`)}
          {typed.shows === "marks" ? (
            <Box width="100%">
              {field(
                "marks",
                `marks with what they set${unit ? ` (${unit})` : ""}, as in: soft 2; firm 4`,
                "100%",
              )}
            </Box>
          ) : (
            <>
              {field("shownLow", clock ? "that is, clock" : "shown there as")}
              {field("shownHigh", clock ? "to, clock" : "to, as")}
              {field("step", clock ? "steps, hours" : "steps of")}
              {typed.shows === "value" && field("unit", "unit")}
            </>
          )}
          <chakra.label display="flex" gap="6px" alignItems="center" minHeight="31px">
            <input
              type="checkbox"
              checked={typed.log}
              onChange={(e) => set({ log: e.target.checked })}
            />
            equal ways, equal ratios
          </chakra.label>
        </Box>
      )}
    </Box>
  );
}
