/** The renders of a rig on a stretch of a clip, and how to ask for them. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { api, ask, type RigSummary, type Schemas, sentenceOf } from "../../api/client";
import { announce } from "../../ui/controls";

export type Render = Schemas["RenderOut"];

export interface Wanted {
  clip: string;
  source: string;
  output: string;
  start_s: number;
  length_s: number | null;
}

const isOpen = (render: Render | undefined) =>
  render?.status === "queued" || render?.status === "running";

export function useRenders(rig: RigSummary | undefined, wanted: Wanted, revision: number) {
  const client = useQueryClient();
  const key = ["renders", rig?.id ?? "", revision];
  const query = useQuery({
    queryKey: key,
    enabled: !!rig,
    placeholderData: keepPreviousData,
    refetchOnMount: "always",
    queryFn: () =>
      ask(api.GET("/api/v1/rigs/{rig_id}/renders", { params: { path: { rig_id: rig!.id } } })),
    refetchInterval: (q) => (q.state.data?.some(isOpen) ? 400 : false),
  });
  // What a render measured stands beside what was computed, wherever levels are shown.
  const finished = (query.data ?? []).filter((r) => r.status === "done").length;
  useEffect(() => {
    if (!finished) return;
    for (const name of ["variant", "course", "returns", "tail"])
      void client.invalidateQueries({ queryKey: [name] });
  }, [client, finished]);
  const again = () => client.invalidateQueries({ queryKey: ["renders", rig?.id ?? ""] });
  const start = useMutation({
    mutationFn: ({ ids, capture, bare }: { ids: string[]; capture?: string; bare?: string }) => {
      const one = (id: string, more: { bare: boolean; capture: string | null }) =>
        ask(
          api.POST("/api/v1/variants/{variant_id}/renders", {
            params: { path: { variant_id: id } },
            body: { ...wanted, place: "auto", tail: true, ...more },
          }),
        );
      return Promise.all([
        ...ids.map((id) => one(id, { bare: false, capture: capture ?? null })),
        ...(bare ? [one(bare, { bare: true, capture: null })] : []),
      ]);
    },
    onSettled: again,
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const cancel = (id: string) =>
    void ask(
      api.POST("/api/v1/renders/{render_id}/cancel", { params: { path: { render_id: id } } }),
    ).then(again);
  const fits = (render: Render) =>
    render.clip === wanted.clip &&
    render.source === wanted.source &&
    render.output === wanted.output &&
    Math.abs(render.start_s - wanted.start_s) < 1e-6 &&
    (render.length_s ?? -1) === (wanted.length_s ?? -1);
  // A capture stands beside the render of its variant; the newest is played.
  const of = (variant: string, capture: boolean) =>
    (query.data ?? [])
      .filter(
        (r) => r.variant === variant && fits(r) && (r.capture !== null) === capture && !r.bare,
      )
      .at(0);
  return {
    rendered: (variant: string) => of(variant, false),
    captured: (variant: string) => of(variant, true),
    /** The clip itself, past the rig. */
    bare: (query.data ?? []).find((r) => r.bare && fits(r)),
    open: (query.data ?? []).some((r) => fits(r) && isOpen(r)),
    start,
    cancel,
  };
}
