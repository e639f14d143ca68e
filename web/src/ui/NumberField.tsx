/** A number with its unit in one small field: typed, stepped by arrows, restored by Escape. */
import { Box } from "@chakra-ui/react";
import { type KeyboardEvent, useId, useState } from "react";

import { useDraft, useTakes } from "./drafts";
import { num } from "./format";
import { TextInput } from "./QuantityField";
import { readTyped } from "./typed";

interface Props {
  label: string;
  unit: string;
  value: number;
  least: number;
  most: number;
  digits?: number;
  step?: number;
  width?: string;
  /** Stands above the field too, where nothing else names it. */
  named?: boolean;
  onCommit: (value: number) => void;
}

export function NumberField(props: Props) {
  const {
    label,
    unit,
    value,
    least,
    most,
    digits = 1,
    step = 1,
    width = "96px",
    named,
    onCommit,
  } = props;
  const id = useId();
  const [said, setSaid] = useState("");
  const shown = num(value, digits);
  const [draft, setDraft, takes] = useDraft(label, shown);
  const commit = (text: string) => {
    const read = readTyped(text, `${shown} ${unit}`, least, most);
    if ("said" in read) return setSaid(read.said);
    setDraft(null);
    setSaid("");
    if (Math.abs(read.value - value) > 1e-9) onCommit(read.value);
  };
  useTakes(takes, commit);
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (event.key === "Enter") commit(draft ?? shown);
    else if (event.key === "Escape") {
      setDraft(null);
      setSaid("");
    } else if (way) {
      const by = way * step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
      const next = Math.max(least, Math.min(most, value + by));
      setDraft(null);
      setSaid("");
      if (next !== value) onCommit(Math.round(next * 1e6) / 1e6);
    } else return;
    event.preventDefault();
  };
  const field = (
    <Box width={width} position="relative">
      <TextInput
        aria-label={label}
        inputMode="decimal"
        autoComplete="off"
        value={draft ?? shown}
        aria-invalid={said ? true : undefined}
        aria-describedby={said ? `${id}-said` : undefined}
        paddingRight={`${unit.length * 8 + 14}px`}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={() => draft !== null && commit(draft)}
        onKeyDown={onKeyDown}
      />
      <Box
        as="span"
        aria-hidden
        position="absolute"
        right="8px"
        top={{ base: "12px", sm: "7px" }}
        color="ink2"
        fontSize="13px"
        pointerEvents="none"
      >
        {unit}
      </Box>
      {said && (
        <Box id={`${id}-said`} role="alert" color="diff" fontSize="13px" minWidth="180px">
          {said}
        </Box>
      )}
    </Box>
  );
  if (!named) return field;
  return (
    <Box>
      <Box aria-hidden color="ink2" fontSize="13px">
        {label}
      </Box>
      {field}
    </Box>
  );
}
