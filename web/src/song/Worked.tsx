/** Of which stretch figures over a clip are, where they are not of all of it. */
import { Box } from "@chakra-ui/react";

import { clock } from "../ui/format";
import { useSongContext } from "./context";

/** In words; nothing where all of it was worked out, to the half second. */
export function workedWords(worked_s: number, whole_s: number | undefined): string {
  if (whole_s === undefined || worked_s > whole_s - 0.5) return "";
  return `Over the first ${clock(worked_s)} of ${clock(whole_s)}.`;
}

export function Worked({ seconds }: { seconds: number }) {
  const words = workedWords(seconds, useSongContext().clip?.facts?.seconds);
  return words ? (
    <Box color="ink2" fontSize="13px">
      {words}
    </Box>
  ) : null;
}
