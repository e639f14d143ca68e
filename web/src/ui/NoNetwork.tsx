/** Said while what is seen is what was kept from before. */
import { Box } from "@chakra-ui/react";

import { useKeptWords } from "../api/kept";

export function NoNetwork({ edits = true }: { edits?: boolean }) {
  const at = useKeptWords();
  if (!at) return null;
  return (
    <Box background="ink" color="paper" padding="8px 12px" marginBlock="6px" role="status">
      <strong>No network.</strong> This is how it stood {at}.
      {edits && " What you change is kept here and goes out by itself."}
    </Box>
  );
}
