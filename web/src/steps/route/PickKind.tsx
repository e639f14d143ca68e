/** Choose what to put on a rail: type a few letters, arrows choose, Enter takes. */
import { Box, chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { Kind } from "../../api/client";
import { Dialog, Press } from "../../ui/controls";
import { Labelled, TextInput } from "../../ui/QuantityField";

interface Props {
  title: string;
  kinds: Kind[];
  onPick: (kind: string) => void;
  onClose: () => void;
}

export function PickKind({ title, kinds, onPick, onClose }: Props) {
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const low = typed.trim().toLowerCase();
  const rows = kinds
    .filter((k) => k.title.toLowerCase().includes(low) || k.kind.includes(low))
    .sort(
      (a, b) =>
        Number(b.title.toLowerCase().startsWith(low)) -
        Number(a.title.toLowerCase().startsWith(low)),
    );
  const take = (kind: string | undefined) => {
    if (!kind) return;
    onPick(kind);
    onClose();
  };
  return (
    <Dialog title={title} onClose={onClose}>
      <Labelled label="Type a few letters">
        <TextInput
          autoFocus
          value={typed}
          role="combobox"
          aria-expanded="true"
          aria-controls="kinds-found"
          onChange={(event) => {
            setTyped(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown" || event.key === "ArrowUp") {
              event.preventDefault();
              setAt(
                Math.max(0, Math.min(rows.length - 1, at + (event.key === "ArrowDown" ? 1 : -1))),
              );
            }
            if (event.key === "Enter") {
              event.preventDefault();
              take(rows[at]?.kind);
            }
          }}
        />
      </Labelled>
      <chakra.ul
        id="kinds-found"
        role="listbox"
        aria-label="Found"
        marginTop="8px"
        maxHeight="320px"
        overflowY="auto"
        display="grid"
        gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr" }}
      >
        {rows.map((kind, i) => (
          <chakra.li
            key={kind.kind}
            role="option"
            aria-selected={i === at}
            padding="5px 10px"
            cursor="pointer"
            background={i === at ? "ink" : "transparent"}
            color={i === at ? "paper" : "ink"}
            onMouseEnter={() => setAt(i)}
            onClick={() => take(kind.kind)}
          >
            {kind.title}
          </chakra.li>
        ))}
      </chakra.ul>
      {rows.length === 0 && <Box paddingBlock="8px">Nothing is called “{typed}”.</Box>}
      <Box marginTop="10px">
        <Press onClick={onClose} hint="Esc">
          Leave it
        </Press>
      </Box>
    </Dialog>
  );
}
