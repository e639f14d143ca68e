/** Ducking over the clip in hand: kept with the song's reverb, run on the clip that is the key. */
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Frame, type Schemas, sentenceOf } from "../../api/client";
import { duckingSettings } from "../../api/defaults.gen";
import { announce } from "../../ui/controls";

export type Settings = Schemas["DuckingSettings"];

export const SHORT: Record<NonNullable<Settings["way"]>, string> = {
  key: "by the key",
  envelope: "by the envelope",
  compressor: "by a compressor",
  shape: "by a shape",
};

interface Around {
  space: Schemas["KeptSpace"];
  change: (more: Partial<Schemas["KeptSpace"]>) => void;
  pre_delay_s: number;
}

/** Ducking over the clip; its settings are kept with the song's reverb. */
export function useDucking(
  clip: string,
  phrases: Schemas["Phrase"][],
  frame: Frame,
  { space, change, pre_delay_s }: Around,
) {
  const on = space.ducking_on ?? false;
  const settings: Settings = { ...duckingSettings, ...(space.ducking ?? {}) };
  const [key, setKey] = useState("");
  const [keyDb, setKeyDb] = useState(0);
  const query = useQuery({
    queryKey: [
      "ducking",
      clip,
      phrases,
      settings,
      key,
      keyDb,
      space.rt60_s,
      pre_delay_s,
      space.start_db,
    ],
    enabled: on && !!clip,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/ducking", {
          params: { path: { clip_id: clip } },
          body: {
            settings,
            phrases,
            nominal_dbfs: -20,
            key: key || null,
            key_db: keyDb,
            tail: { rt60_s: space.rt60_s!, pre_delay_s, start_db: space.start_db! },
          },
          signal,
        }),
      ),
  });
  const fit = useMutation({
    mutationFn: (way: NonNullable<Settings["way"]>) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/ducking-fit", {
          params: { path: { clip_id: key || clip } },
          body: { target: settings, way, nominal_dbfs: -20, key_db: keyDb },
        }),
      ),
    onSuccess: (found) =>
      change({
        ducking: found.settings,
        ducking_said: `Made like ${SHORT[settings.way!].replace("by ", "what was set by ")}. ${found.sentence}`,
      }),
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return {
    on,
    setOn: (ducking_on: boolean) => change({ ducking_on, ducking: space.ducking ?? settings }),
    settings,
    frame,
    key,
    setKey,
    keyDb,
    setKeyDb,
    fit,
    said: space.ducking_said ?? "",
    change: (more: Partial<Settings>) =>
      change({ ducking: { ...settings, ...more }, ducking_on: true, ducking_said: "" }),
    data: query.data ?? null,
    fault: query.error,
  };
}

export type DuckingHandle = ReturnType<typeof useDucking>;
