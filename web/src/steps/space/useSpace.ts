/** A reverb as it is thought of for a song, over the clip in hand: kept, computed, ducked. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../../api/client";
import { keptSpace, limits } from "../../api/defaults.gen";
import { useRoute } from "../../rigs/variants";
import { useSongContext } from "../../song/context";
import { useDucking } from "./useDucking";

export type Kept = Schemas["KeptSpace"];
const [SHORTEST, LONGEST] = limits.KeptSpace.rt60_s;
const within = (seconds: number) => Math.max(SHORTEST, Math.min(LONGEST, seconds));

export function useSpace() {
  const { song, frame, edit, clip: inHand } = useSongContext();
  const [gap, setGap] = useState<number | null>(null);
  const route = useRoute();
  const stored: Kept = { ...keptSpace, ...(song.space ?? {}) };
  // Phrases that were set by hand are those of their clip.
  const space = stored.clip === inHand?.name ? stored : { ...stored, phrases: null };
  const clip = inHand?.id ?? "";
  const change = (more: Partial<Kept>) =>
    edit({ space: { ...space, clip: inHand?.name ?? "", ...more } });
  const query = useQuery({
    queryKey: ["space", clip, frame, space],
    enabled: !!clip,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/space", {
          params: { path: { clip_id: clip } },
          body: { frame, space },
          signal,
        }),
      ),
  });
  const data = query.data;
  const gaps = data?.space.gaps ?? [];
  const duck = useDucking(clip, data?.space.phrases ?? [], frame, {
    space,
    change,
    pre_delay_s: (data?.space.pre_delay_ms ?? 20) / 1000,
  });
  /** The rig's own reverb in these gaps, after everything that stands on its return. */
  const tailBody = { gaps_s: gaps.map((g) => g.length_s), drop_db: space.drop_db!, reverb: null };
  const behind = useQuery({
    queryKey: ["tail", route.id, route.variant?.revision, song.revision, tailBody],
    enabled: !!route.variant,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/tail", {
          params: { path: { variant_id: route.id } },
          body: tailBody,
          signal,
        }),
      ),
  });
  const worst = gaps
    .map((g, i) => ({ ...g, i }))
    .filter((g) => !g.clear)
    .sort((a, b) => b.ducking_db - a.ducking_db)[0];
  return {
    clip,
    frame,
    route,
    space,
    change,
    /** A decay that clears: rounded down, so that it still does. */
    take: (rt60_s: number) =>
      change({ rt60_s: within(Math.floor(rt60_s * 1000) / 1000), school: "clears" }),
    step: (by: number) => change({ rt60_s: within(Number((space.rt60_s! * by).toFixed(3))) }),
    data,
    fault: query.error,
    gaps,
    gap,
    setGap,
    worst,
    duck,
    behind: behind.isError ? undefined : behind.data,
    behindFault: behind.error,
  };
}

export type SpaceHandle = ReturnType<typeof useSpace>;
