/** What a search may move: the person's choice. */
import { Box } from "@chakra-ui/react";

import type { Free } from "./wishes";

const SORTS: [Free["sort"], string][] = [
  ["levels", "Levels"],
  ["shorter", "Decay, feedback"],
  ["filters", "Filters"],
  ["times", "Times"],
  ["dynamics", "Dynamics"],
  ["sides", "Sides"],
];

interface Props {
  all: Free[];
  /** Keys; null: what is usual. */
  chosen: string[] | null;
  onChoose: (keys: string[] | null) => void;
}

export function FreeList({ all, chosen, onChoose }: Props) {
  const keys = chosen ?? all.filter((f) => f.usual).map((f) => f.key);
  return (
    <Box as="details" flex="1 1 300px">
      <summary style={{ cursor: "pointer" }}>
        {keys.length} of {all.length} settings may move
      </summary>
      <Box
        role="group"
        aria-label="Settings that may move"
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(250px, 1fr))"
        gap="2px 18px"
        paddingTop="6px"
      >
        {SORTS.map(([sort, name]) => {
          const those = all.filter((f) => f.sort === sort);
          if (those.length === 0) return null;
          const every = those.every((f) => keys.includes(f.key));
          return (
            <Box key={sort} gridColumn="1 / -1" marginTop="4px">
              <Tick
                checked={every}
                onChange={(on) =>
                  onChoose([
                    ...keys.filter((k) => !those.some((f) => f.key === k)),
                    ...(on ? those.map((f) => f.key) : []),
                  ])
                }
              >
                <strong>{name}</strong>
              </Tick>
              <Box
                display="grid"
                gridTemplateColumns="repeat(auto-fill, minmax(250px, 1fr))"
                gap="0 18px"
                paddingLeft="22px"
              >
                {those.map((f) => (
                  <Tick
                    key={f.key}
                    checked={keys.includes(f.key)}
                    onChange={(on) =>
                      onChoose(on ? [...keys, f.key] : keys.filter((k) => k !== f.key))
                    }
                  >
                    {f.label}{" "}
                    <Box as="span" color="ink2">
                      {f.shown}
                    </Box>
                  </Tick>
                ))}
              </Box>
            </Box>
          );
        })}
      </Box>
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
