/** What the Verify step reads from the server, polled while work is under way. */
import { useQuery } from "@tanstack/react-query";

import { api, ask, type Device } from "../../api/client";
import { BUSY_MS, isBusy } from "../../clips/queries";

export function usePairs(songId: string) {
  return useQuery({
    queryKey: ["pairs", songId],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/pairs", { params: { path: { song_id: songId } } })),
  });
}

export function useNullTests(songId: string) {
  return useQuery({
    // Tests finish while other views are open: always look again.
    refetchOnMount: "always",
    queryKey: ["null-tests", songId],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/null-tests", { params: { path: { song_id: songId } } })),
    refetchInterval: (query) => (query.state.data?.some((t) => isBusy(t.status)) ? BUSY_MS : false),
  });
}

export function useNullTest(testId: string) {
  return useQuery({
    queryKey: ["null-test", testId],
    queryFn: () =>
      ask(api.GET("/api/v1/null-tests/{test_id}", { params: { path: { test_id: testId } } })),
    refetchInterval: (query) =>
      query.state.data && isBusy(query.state.data.status) ? BUSY_MS : false,
  });
}

export interface Steps {
  level_db: number;
  time_ms: number;
}

/** Those of a device that is chosen, else those of an ordinary mixer. */
export function stepsOf(device: Device | null | undefined): Steps {
  return device
    ? { level_db: device.level_step_db ?? 0.1, time_ms: device.step_ms }
    : { level_db: 0.1, time_ms: 0.01 };
}

/** The best null that controls with these steps allow; what was told before stays meanwhile. */
export function useReach(testId: string, steps: Steps, enabled: boolean) {
  return useQuery({
    queryKey: ["null-reach", testId, steps],
    queryFn: () =>
      ask(
        api.GET("/api/v1/null-tests/{test_id}/reach", {
          params: { path: { test_id: testId }, query: steps },
        }),
      ),
    placeholderData: (before) => before,
    enabled,
  });
}
