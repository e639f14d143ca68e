/** Keeps what plays going through all steps of a song. */
import { type ReactNode, useEffect, useMemo, useRef } from "react";

import type { SongContext } from "../song/context";
import { PlayContext, PlayingContext, usePlayingOf } from "./usePlaying";

export function PlayingProvider({
  context,
  children,
}: {
  context: SongContext;
  children: ReactNode;
}) {
  const playing = usePlayingOf(context);
  const toggle = useRef(playing.toggle);
  useEffect(() => {
    toggle.current = playing.toggle;
  });
  const on = playing.player.playing;
  const { on: writes, turn, touch } = playing.ride;
  const play = useMemo(
    () => ({ playing: on, toggle: () => toggle.current(), ride: { on: writes, turn, touch } }),
    [on, writes, turn, touch],
  );
  return (
    <PlayContext value={play}>
      <PlayingContext value={context.rig ? playing : null}>{children}</PlayingContext>
    </PlayContext>
  );
}
