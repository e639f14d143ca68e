/** The devices of the studio: those that ship and those that were typed in. */
import { useQuery } from "@tanstack/react-query";

import { api, ask } from "../api/client";

export function useDevices() {
  return useQuery({
    queryKey: ["devices"],
    queryFn: () => ask(api.GET("/api/v1/devices")),
    staleTime: 60_000,
  });
}
