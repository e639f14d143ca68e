/** What a search may move, and how far: the person's choice. */
import { Box } from "@chakra-ui/react";

import { TextInput } from "../../../ui/QuantityField";
import { type Chosen, type Free, usual } from "../../../wishes/wishes";

const SORTS: [Free["sort"], string][] = [
  ["levels", "Levels"],
  ["shorter", "Decay, feedback"],
  ["filters", "Filters"],
  ["times", "Times"],
  ["dynamics", "Dynamics"],
  ["sides", "Sides"],
];
const ANY = { low: "", high: "" };

interface Props {
  all: Free[];
  /** Null: what is usual. */
  chosen: Chosen | null;
  onChoose: (chosen: Chosen) => void;
}

export function FreeList({ all, chosen, onChoose }: Props) {
  const held = chosen ?? usual(all);
  const without = (keys: string[]): Chosen =>
    Object.fromEntries(Object.entries(held).filter(([key]) => !keys.includes(key)));
  return (
    <Box as="details" flex="1 1 300px">
      <summary style={{ cursor: "pointer" }}>
        {all.filter((f) => f.key in held).length} of {all.length} settings may move
      </summary>
      <Box role="group" aria-label="Settings that may move" paddingTop="6px">
        {SORTS.map(([sort, name]) => {
          const those = all.filter((f) => f.sort === sort);
          if (those.length === 0) return null;
          const keys = those.map((f) => f.key);
          return (
            <Box key={sort} marginTop="4px">
              <Tick
                checked={keys.every((key) => key in held)}
                onChange={(on) =>
                  onChoose({
                    ...without(keys),
                    ...(on && Object.fromEntries(keys.map((key) => [key, held[key] ?? ANY]))),
                  })
                }
              >
                <strong>{name}</strong>
              </Tick>
              <Box
                display="grid"
                gridTemplateColumns="repeat(auto-fill, minmax(min(330px, 100%), 1fr))"
                gap="2px 24px"
                paddingLeft={{ base: "8px", sm: "22px" }}
              >
                {those.map((f) => (
                  <Box key={f.key} minWidth="0">
                    <Tick
                      checked={f.key in held}
                      onChange={(on) => onChoose(on ? { ...held, [f.key]: ANY } : without([f.key]))}
                    >
                      {f.label}{" "}
                      <Box as="span" color="ink2">
                        {f.shown}
                      </Box>
                    </Tick>
                    {held[f.key] && (
                      <Range
                        of={f}
                        ends={held[f.key]!}
                        onEnds={(ends) => onChoose({ ...held, [f.key]: ends })}
                      />
                    )}
                  </Box>
                ))}
              </Box>
            </Box>
          );
        })}
      </Box>
    </Box>
  );
}

function Range({
  of,
  ends,
  onEnds,
}: {
  of: Free;
  ends: { low: string; high: string };
  onEnds: (ends: { low: string; high: string }) => void;
}) {
  const field = (end: "low" | "high", word: string) => (
    <TextInput
      aria-label={`${of.label}, ${word}, ${of.unit}`}
      width="72px"
      minHeight={{ base: "40px", sm: "25px" }}
      textAlign="right"
      placeholder={String(Number(of[end].toFixed(2)))}
      maxLength={12}
      value={ends[end]}
      onChange={(event) => onEnds({ ...ends, [end]: event.target.value })}
    />
  );
  return (
    <Box
      display="flex"
      gap="6px"
      alignItems="center"
      paddingLeft="22px"
      color="ink2"
      fontSize="13px"
    >
      from {field("low", "at least")} to {field("high", "at most")} {of.unit}
    </Box>
  );
}

function Tick({
  checked,
  onChange,
  children,
}: {
  checked: boolean;
  onChange: (on: boolean) => void;
  children: React.ReactNode;
}) {
  return (
    <Box
      asChild
      display="flex"
      gap="7px"
      alignItems="center"
      minHeight={{ base: "36px", sm: "24px" }}
    >
      <label>
        <input
          type="checkbox"
          checked={checked}
          onChange={(event) => onChange(event.target.checked)}
        />
        <span>{children}</span>
      </label>
    </Box>
  );
}
