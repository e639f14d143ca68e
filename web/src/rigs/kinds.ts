/** Kinds of parts with their fields and traits, loaded once. */
import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";

export function useKinds() {
  return useQuery({
    queryKey: ["rig-kinds"],
    queryFn: () => ask(api.GET("/api/v1/rig-kinds")),
    staleTime: Infinity,
  });
}
