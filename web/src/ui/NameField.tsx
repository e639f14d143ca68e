/** A name that is its own field: Enter or leaving keeps it, Escape restores, a refusal stays at it. */
import { Box, chakra } from "@chakra-ui/react";
import { useId, useState } from "react";

import { useDraft, useTakes } from "./drafts";
import { Said } from "./Said";
import { sentenceOf } from "../api/client";

const Input = chakra("input", {
  base: {
    width: "100%",
    minWidth: 0,
    minHeight: "32px",
    background: "transparent",
    color: "ink",
    border: 0,
    borderBottom: "1px solid",
    borderColor: "edge",
    borderRadius: 0,
    padding: "0 2px",
    fontSize: "inherit",
    fontWeight: 650,
    textOverflow: "ellipsis",
    _focus: { background: "sheet", borderColor: "ink" },
    _invalid: { borderColor: "diff" },
  },
});

interface Props {
  label: string;
  value: string;
  /** Whether it may be empty. */
  empty?: boolean;
  /** Rejects with what the server said. */
  onName: (name: string) => Promise<unknown>;
}

export function NameField({ label, value, empty = false, onName }: Props) {
  const id = useId();
  const [draft, setDraft, takes] = useDraft(label, value);
  const [said, setSaid] = useState("");
  const restore = () => {
    setDraft(null);
    setSaid("");
  };
  const keep = async (typed = draft) => {
    if (typed === null) return;
    const name = typed.trim();
    if (name === value) return restore();
    if (!name && !empty) return setSaid("A name is needed. Escape brings the last one back.");
    try {
      await onName(name);
      restore();
    } catch (fault) {
      setSaid(sentenceOf(fault));
    }
  };
  useTakes(takes, (text) => void keep(text));
  return (
    <Box flex="1" minWidth="0" position="relative">
      <Input
        aria-label={label}
        aria-invalid={said ? true : undefined}
        aria-describedby={said ? id : undefined}
        value={draft ?? value}
        placeholder={empty ? "unnamed" : undefined}
        maxLength={80}
        autoComplete="off"
        onChange={(event) => setDraft(event.target.value)}
        onBlur={() => !said && void keep()}
        onKeyDown={(event) => {
          if (event.key === "Enter") void keep();
          if (event.key === "Escape") restore();
        }}
      />
      {said && <Said id={id} text={said} bad />}
    </Box>
  );
}
