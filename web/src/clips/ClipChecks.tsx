/** Several clips of a song, ticked in a set of boxes under one heading. */
import { Box } from "@chakra-ui/react";

import type { Clip } from "../api/client";

interface Props {
  legend: string;
  clips: Pick<Clip, "id" | "name">[];
  chosen: string[];
  onChoose: (ids: string[]) => void;
}

/** One more or one fewer: a new one comes last, as it was ticked. */
export function ticked(chosen: string[], id: string, on: boolean): string[] {
  const others = chosen.filter((one) => one !== id);
  return on ? [...others, id] : others;
}

export function ClipChecks({ legend, clips, chosen, onChoose }: Props) {
  return (
    <Box
      as="fieldset"
      border="none"
      marginTop="10px"
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "repeat(3, minmax(0, 1fr))" }}
      gap="0 20px"
    >
      <Box as="legend" color="ink2" fontSize="13px">
        {legend}
      </Box>
      {clips.map((c) => (
        <Box
          key={c.id}
          asChild
          display="flex"
          gap="8px"
          alignItems="center"
          minHeight={{ base: "44px", sm: "32px" }}
          minWidth="0"
          overflowWrap="anywhere"
        >
          <label>
            <input
              type="checkbox"
              checked={chosen.includes(c.id)}
              onChange={(event) => onChoose(ticked(chosen, c.id, event.target.checked))}
            />
            {c.name}
          </label>
        </Box>
      ))}
    </Box>
  );
}
