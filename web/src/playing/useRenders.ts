/** The renders of a rig on a stretch of the song, and how to ask for them. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { api, ask, type RigSummary, type Schemas, sentenceOf } from "../api/client";
import { follow as followJob, isOpen, WAIT_S } from "../api/follow";
import { announce } from "../ui/controls";

export type Render = Schemas["RenderOut"];

/** What is heard as one lane: a variant's render, the clips themselves, or a recording in its place. */
export interface Sound {
  id: string;
  letter: string;
  name: string;
  /** What can be heard of it; perhaps older than the rig. */
  render: Render | undefined;
  /** What is being made, or could not be. */
  next: Render | undefined;
}

export interface Wanted {
  /** Plays into the first source where nothing was ever chosen. */
  clip: string;
  output: string;
  start_s: number;
  length_s: number | null;
  /** Whose inputs are stems; empty for where one would balance. */
  place: string;
}

/** Where a render ends, seconds into a stretch: an excerpt begins later in it. */
export const endOf = (render: Render, start: number): number =>
  render.start_s - start + (render.report?.seconds ?? 0);

interface Which {
  variant: string;
  capture?: string | null;
  bare?: boolean;
}

/** The list is asked again while it knows of an open one, whoever follows it. */
const LIST_MS = 2500;

/** Of renders of one kind, the newest first: what can be heard, and what is newer than that. */
export function heardAndNext(renders: Render[]): { render?: Render; next?: Render } {
  const at = renders.findIndex((r) => r.audible && r.report);
  const newest = renders[0];
  return { render: renders[at], next: at === 0 && !isOpen(newest) ? undefined : newest };
}

/** Whether a render's stems are inputs of the place that is wanted; where none is, any will do. */
export const isAtPlace = (
  render: { bare: boolean; capture: string | null; place: string },
  place: string,
): boolean => !place || render.bare || render.capture !== null || render.place === place;

interface ToldRender {
  render: Render;
  /** When it was told, ms. */
  at: number;
}

/** The list with what was told of single renders since: those that it does not know yet come first. */
export function withTold(
  list: Render[],
  told: ToldRender[],
  listed: number,
  rig: string | undefined,
): Render[] {
  const found = list.map((r) => {
    const newer = told.find((t) => t.render.id === r.id)?.render;
    return newer && isOpen(r) ? { ...newer, older: r.older } : r;
  });
  const fresh = told
    // What the list was made without and was told before it is not the newest any more.
    .filter(({ render, at }) => at > listed && render.rig === rig)
    .filter(({ render }) => !found.some((r) => r.id === render.id))
    .sort((a, b) => b.at - a.at)
    .map(({ render }) => render);
  return [...fresh, ...found];
}

export function useRenders(rig: RigSummary | undefined, wanted: Wanted, revision: number) {
  const client = useQueryClient();
  const key = ["renders", rig?.id ?? "", wanted.clip, revision];
  const query = useQuery({
    queryKey: key,
    enabled: !!rig,
    placeholderData: keepPreviousData,
    refetchOnMount: "always",
    refetchInterval: (q) => (q.state.data?.some(isOpen) ? LIST_MS : false),
    queryFn: () =>
      ask(
        api.GET("/api/v1/rigs/{rig_id}/renders", {
          params: {
            path: { rig_id: rig!.id },
            query: wanted.clip ? { clip: wanted.clip } : {},
          },
        }),
      ),
  });
  // Those that are being made, as they were told last: newer than the list.
  const [told, setTold] = useState<Record<string, ToldRender>>({});
  const followed = useRef(new Set<string>());
  const again = useCallback(
    () => client.invalidateQueries({ queryKey: ["renders", rig?.id ?? ""] }),
    [client, rig?.id],
  );
  const follow = useCallback(
    async (render: Render) => {
      if (followed.current.has(render.id)) return;
      followed.current.add(render.id);
      const look = () =>
        ask(
          api.GET("/api/v1/renders/{render_id}", {
            params: { path: { render_id: render.id }, query: { wait_s: WAIT_S } },
          }),
        );
      const tell = (now: Render) =>
        // A word that came later than the list's is not taken back.
        setTold((t) =>
          now === render && t[now.id] ? t : { ...t, [now.id]: { render: now, at: Date.now() } },
        );
      // One that cannot be looked at any more is left to the list.
      await followJob(render, look, tell, () => true).catch(() => undefined);
      followed.current.delete(render.id);
      await again();
    },
    [again],
  );
  const list = withTold(query.data ?? [], Object.values(told), query.dataUpdatedAt, rig?.id);
  // Those that another page began, or this one before it was left.
  const openKey = list
    .filter(isOpen)
    .map((r) => r.id)
    .join();
  useEffect(() => {
    // As they were told last: what the list still calls open and is done is not followed again.
    for (const render of list) if (isOpen(render)) void follow(render);
    // Whenever others are open.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [openKey, follow]);
  // What a render measured stands beside what was computed, wherever levels are shown.
  const finished = list
    .filter((r) => r.status === "done")
    .map((r) => r.id)
    .join();
  useEffect(() => {
    if (!finished) return;
    for (const name of ["variant", "course", "returns", "tail"])
      void client.invalidateQueries({ queryKey: [name] });
  }, [client, finished]);
  const begin = useCallback(
    async ({ variant, capture = null, bare = false }: Which, part?: Partial<Wanted>) => {
      const { clip, place, ...rest } = { ...wanted, ...part };
      const made = await ask(
        api.POST("/api/v1/variants/{variant_id}/renders", {
          params: { path: { variant_id: variant } },
          body: {
            ...rest,
            clip: clip || null,
            place: place || "auto",
            tail: !part,
            capture,
            bare,
          },
        }),
      );
      void follow(made);
      return made;
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [follow, wanted.clip, wanted.output, wanted.start_s, wanted.length_s, wanted.place],
  );
  const start = useMutation({
    mutationFn: ({ ids, capture, bare }: { ids: string[]; capture?: string; bare?: string }) =>
      Promise.all([
        ...ids.map((variant) => begin({ variant, capture: capture ?? null })),
        ...(bare ? [begin({ variant: bare, bare: true })] : []),
      ]),
    onSettled: again,
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const cancel = (id: string) =>
    void ask(
      api.POST("/api/v1/renders/{render_id}/cancel", { params: { path: { render_id: id } } }),
    ).then(again);
  const there = (render: Render) => isAtPlace(render, wanted.place);
  const near = (render: Render) =>
    render.output === wanted.output &&
    Math.abs(render.start_s - wanted.start_s) < 1e-6 &&
    (render.length_s ?? -1) === (wanted.length_s ?? -1);
  const fits = (render: Render) => near(render) && there(render);
  // A capture stands beside the render of its variant; the newest is played. What was rendered for
  // another place is heard until it is there for this one: the sound is the same.
  const of = (test: (r: Render) => boolean): { render?: Render; next?: Render } => {
    const exact = heardAndNext(list.filter((r) => fits(r) && test(r)));
    if (exact.render || !wanted.place) return exact;
    const render = heardAndNext(list.filter((r) => near(r) && test(r))).render;
    return { ...exact, ...(render ? { render } : {}) };
  };
  return {
    list,
    rendered: (variant: string) =>
      of((r) => r.variant === variant && r.capture === null && !r.bare),
    captured: (variant: string) =>
      of((r) => r.variant === variant && r.capture !== null && !r.bare),
    /** The clips themselves, past the rig. */
    bare: of((r) => r.bare),
    /** A piece of the stretch that was made first, so that something is heard soon. */
    excerpt: (variant: string) =>
      list.find(
        (r) =>
          r.variant === variant &&
          r.audible &&
          !r.bare &&
          r.capture === null &&
          r.output === wanted.output &&
          !r.tail &&
          !r.older &&
          r.start_s >= wanted.start_s,
      ),
    open: list.some((r) => fits(r) && isOpen(r)),
    begin,
    again,
    start,
    cancel,
  };
}
