/** What the bench reads from the server, polled while work is under way. */
import { useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../../../api/client";
import { BUSY_MS, isBusy } from "../../../clips/queries";

export type BenchKind = Schemas["BenchKindOut"];
export type Measurement = Schemas["MeasurementOut"];
export type MeasurementDetail = Schemas["MeasurementDetail"];
export type BenchResult = Schemas["BenchResult"];
export type BenchPlan = Schemas["BenchPlan"];

export function useBench(rate_hz: number, room_s: number) {
  return useQuery({
    queryKey: ["bench", rate_hz, room_s],
    queryFn: () => ask(api.GET("/api/v1/bench", { params: { query: { rate_hz, room_s } } })),
    staleTime: Infinity,
    placeholderData: (before) => before,
  });
}

export function useMeasurements(songId: string) {
  return useQuery({
    refetchOnMount: "always",
    queryKey: ["measurements", songId],
    queryFn: () =>
      ask(
        api.GET("/api/v1/songs/{song_id}/measurements", { params: { path: { song_id: songId } } }),
      ),
    refetchInterval: (query) => (query.state.data?.some((m) => isBusy(m.status)) ? BUSY_MS : false),
  });
}

export function useMeasurement(id: string) {
  return useQuery({
    queryKey: ["measurement", id],
    queryFn: () =>
      ask(
        api.GET("/api/v1/measurements/{measurement_id}", {
          params: { path: { measurement_id: id } },
        }),
      ),
    refetchInterval: (query) =>
      query.state.data && isBusy(query.state.data.status) ? BUSY_MS : false,
  });
}
