/** Choose what to put somewhere: type a few letters, arrows choose, Enter takes. */
import { Box, chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { Kind } from "../../api/client";
import { Dialog, Press } from "../../ui/controls";
import { Labelled, TextInput } from "../../ui/QuantityField";

export interface Choice {
  id: string;
  title: string;
  /** What it is, beside its name. */
  about?: string;
  take: () => void;
}

export interface Picking {
  title: string;
  /** What is offered before the kinds. */
  first?: Choice[];
  kinds: Kind[];
  then: (kind: string) => void;
}

/** Words that people have for kinds that are called otherwise here. */
const ALSO: Record<string, string> = {
  frame: "insert frame rack order",
  send: "tap aux",
  bus: "group submix",
  merge: "join mix sum",
  split: "branch parallel y",
  output: "main out channel",
  reverb: "room hall plate",
  compressor: "limiter dynamics",
  drive: "distortion overdrive clip",
  equaliser: "eq tone",
  filter: "low cut high cut",
  volume: "pedal",
};

export function PickKind({ picking, onClose }: { picking: Picking; onClose: () => void }) {
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const low = typed.trim().toLowerCase();
  const all: (Choice & { words: string })[] = [
    ...(picking.first ?? []).map((c) => ({
      ...c,
      words: `${c.title} ${c.about ?? ""}`.toLowerCase(),
    })),
    ...picking.kinds.map((k) => ({
      id: k.kind,
      title: k.title,
      about: k.stage ? undefined : "parts or joins",
      take: () => picking.then(k.kind),
      words: `${k.title} ${k.kind} ${ALSO[k.kind] ?? ""}`.toLowerCase(),
    })),
  ];
  const rows = all
    .filter((c) => c.words.includes(low))
    .sort((a, b) => Number(b.words.startsWith(low)) - Number(a.words.startsWith(low)));
  const take = (choice: Choice | undefined) => {
    if (!choice) return;
    onClose();
    choice.take();
  };
  return (
    <Dialog title={picking.title} onClose={onClose}>
      <Labelled label="Type a few letters">
        <TextInput
          autoFocus
          value={typed}
          role="combobox"
          aria-expanded="true"
          aria-controls="kinds-found"
          aria-activedescendant={rows[at] ? `kind-${rows[at].id}` : undefined}
          onChange={(event) => {
            setTyped(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown" || event.key === "ArrowUp") {
              event.preventDefault();
              const by = event.key === "ArrowDown" ? 1 : -1;
              setAt(Math.max(0, Math.min(rows.length - 1, at + by)));
            }
            if (event.key === "Enter") {
              event.preventDefault();
              take(rows[at]);
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
        {rows.map((choice, i) => (
          <chakra.li
            key={choice.id}
            id={`kind-${choice.id}`}
            ref={
              i === at
                ? (row: HTMLElement | null) => row?.scrollIntoView({ block: "nearest" })
                : undefined
            }
            role="option"
            aria-selected={i === at}
            padding="5px 10px"
            minHeight={{ base: "40px", sm: "0" }}
            cursor="pointer"
            background={i === at ? "ink" : "transparent"}
            color={i === at ? "paper" : "ink"}
            onMouseEnter={() => setAt(i)}
            onClick={() => take(choice)}
          >
            {choice.title}
            {choice.about && (
              <Box as="span" fontSize="13px" opacity="0.8">
                {" "}
                {choice.about}
              </Box>
            )}
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
