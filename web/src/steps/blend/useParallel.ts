/** A compressor beside its dry path: settings kept with the song, curves, and what the clip becomes. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../../api/client";
import { useSongContext } from "../../song/context";
import { useStill } from "../../ui/hooks";
import { useKeptBlend } from "./kept";

export type Settings = Schemas["ParallelSettings"];

export function useParallel() {
  const clip = useSongContext().clip?.id ?? "";
  const { kept, keep } = useKeptBlend();
  const s: Settings = kept.parallel!;
  const curve = useQuery({
    queryKey: ["parallel", s],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(api.POST("/api/v1/compute/parallel-compression", { body: s, signal })),
  });
  const still = useStill(s, 250);
  const measured = useQuery({
    queryKey: ["parallel-clip", clip, still],
    enabled: !!clip,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/parallel", {
          params: { path: { clip_id: clip } },
          body: still,
          signal,
        }),
      ),
  });
  return {
    s,
    school: kept.school,
    change: (more: Partial<Settings>) => keep({ parallel: { ...s, ...more } }),
    begin: (settings: Settings, school: string) => keep({ parallel: settings, school }),
    view: curve.data?.view,
    schools: curve.data?.schools ?? [],
    fault: curve.error,
    clip,
    measured: measured.data,
    measuredFault: measured.error,
  };
}

export type ParallelHandle = ReturnType<typeof useParallel>;
