/** The clips of a song, asked again while one is being read. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import { api, ask, type Clip } from "../api/client";

export const BUSY_MS = 400;
export const isBusy = (status: string) => status === "queued" || status === "running";

export function useClips(songId: string) {
  return useQuery({
    queryKey: ["clips", songId],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/clips", { params: { path: { song_id: songId } } })),
    refetchInterval: (query) => (query.state.data?.some((c) => isBusy(c.status)) ? BUSY_MS : false),
  });
}

export function useClip(clipId: string | null) {
  return useQuery({
    queryKey: ["clip", clipId],
    enabled: clipId !== null,
    queryFn: () =>
      ask(api.GET("/api/v1/clips/{clip_id}", { params: { path: { clip_id: clipId! } } })),
    refetchInterval: (query) =>
      query.state.data && isBusy(query.state.data.status) ? BUSY_MS : false,
  });
}

/** Those that can be used. */
export function useReadyClips(songId: string): Clip[] {
  const clips = useClips(songId).data;
  return useMemo(() => (clips ?? []).filter((c) => c.status === "done"), [clips]);
}
