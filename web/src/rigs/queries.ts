/** The rigs of a song, in their order. */
import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";

export function useRigs(songId: string) {
  return useQuery({
    queryKey: ["rigs", songId],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/rigs", { params: { path: { song_id: songId } } })),
  });
}
