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
  const presses = useRef(playing);
  useEffect(() => {
    presses.current = playing;
  });
  const on = playing.player.playing;
  const { on: writes, turn, touch } = playing.ride;
  const play = useMemo(
    () => ({
      playing: on,
      toggle: () => presses.current.toggle(),
      beside: (made: string, from: string) => presses.current.beside(made, from),
      ride: { on: writes, turn, touch },
    }),
    [on, writes, turn, touch],
  );
  return (
    <PlayContext value={play}>
      <PlayingContext value={context.rig ? playing : null}>{children}</PlayingContext>
    </PlayContext>
  );
}
