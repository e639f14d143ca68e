/** What a view says that needs a clip and has none, with the ways to bring one in. */
import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

import { useSongContext } from "../song/context";
import { Empty, Press } from "../ui/controls";
import { askForFile } from "./BringIn";
import { Record } from "./Record";

export function NoClip({ children }: { children: ReactNode }) {
  const { song, take } = useSongContext();
  return (
    <Empty
      action={
        <Box display="flex" flexWrap="wrap" gap="8px">
          <Press look="primary" onClick={askForFile}>
            Bring a file in
          </Press>
          <Record songId={song.id} onClip={(clip) => take({ clip })} />
        </Box>
      }
    >
      {children} A file can be dropped anywhere on the page.
    </Empty>
  );
}
