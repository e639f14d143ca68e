/** The one outbox of this browser, and the hooks by which steps read and change variants. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useSyncExternalStore } from "react";

import { api, ask, Refused, type RigAction, sentenceOf, type Variant } from "../api/client";
import { useSongContext } from "../song/context";
import { announce } from "../ui/controls";
import { Outbox } from "./outbox";

/** Goes by itself: no connection, or a server that is busy. What was meant waits and is sent again. */
export const isPassing = (fault: unknown): boolean =>
  fault instanceof Refused && (fault.offline || fault.problem.status >= 500);

export const outbox = new Outbox(
  {
    send: (variant_id, body) =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/edits", { params: { path: { variant_id } }, body }),
      ),
    passing: isPassing,
    store: localStorage,
    names: () => Object.keys(localStorage),
    id: () => crypto.randomUUID(),
    later: (run, ms) => void setTimeout(run, ms),
    now: () => Date.now(),
  },
  sentenceOf,
);

export const useFlow = () => useSyncExternalStore(outbox.subscribe, outbox.flow);

/** Everything that is computed from a rig, and is computed again once it changed. */
export const OF_A_RIG = [
  "rigs",
  "renders",
  "returns",
  "course",
  "tail",
  "steps",
  "history",
  // Sources that came, went or have another name.
  "feeds",
];
/** Of these what nobody waits for: asked for once the sound of a change is on its way. */
const UNHURRIED = ["rigs", "renders", "steps", "history", "feeds"];
export const pauseOf = (playing: boolean) => (playing ? 1500 : 250);
let pause = pauseOf(false);
/** While it plays, what nobody waits for gives way to the sound of the change. */
export const giveWay = (playing: boolean): void => {
  pause = pauseOf(playing);
};
let unhurried: ReturnType<typeof setTimeout> | undefined;

/** What to say once an edit is done, where a step has better words than the core. */
const sayings = new Map<string, string>();

export function sendEdit(id: string, action: RigAction, said?: string): void {
  const edit = outbox.add(id, action);
  if (said) sayings.set(edit, said);
}

/** Once for a song: what the outbox did is shown wherever the variant is. */
export function useOutbox(onSelect: (variant: Variant) => void): void {
  const client = useQueryClient();
  const select = useRef(onSelect);
  useEffect(() => {
    select.current = onSelect;
  }, [onSelect]);
  useEffect(() => {
    const stop = outbox.tell({
      done: (variant, edit) => {
        taken(client, variant);
        announce(sayings.get(edit) ?? `${variant.said}.`);
        sayings.delete(edit);
        select.current(variant);
      },
      refused: (id, fault) => {
        announce(sentenceOf(fault), { kind: "fault" });
        void client.invalidateQueries({ queryKey: ["variant", id] });
      },
      aside: (count) =>
        announce(
          `${count === 1 ? "An edit" : `${count} edits`} that this browser kept cannot be read any more: set aside, and everything else goes on.`,
          { kind: "fault" },
        ),
      unkept: () =>
        announce(
          "This browser keeps nothing more: its store is full or closed. Edits count while the page is open.",
          { kind: "fault" },
        ),
    });
    outbox.takeUp();
    window.addEventListener("online", outbox.goOn);
    return () => {
      stop();
      window.removeEventListener("online", outbox.goOn);
    };
  }, [client]);
}

/** What the list of rigs says of variants that nobody looks at: an edit of one is made on that. */
export function useListed(rigs: { variants: { id: string; revision: number }[] }[]): void {
  useEffect(() => {
    for (const rig of rigs) for (const v of rig.variants) outbox.listed(v.id, v.revision);
  }, [rigs]);
}

/** Show a variant as the server answered it, wherever it is shown. */
export function taken(client: ReturnType<typeof useQueryClient>, variant: Variant): void {
  outbox.known(variant.id, variant.revision);
  client.setQueriesData({ queryKey: ["variant", variant.id] }, variant);
  const again = (keys: string[]) => {
    for (const key of keys) void client.invalidateQueries({ queryKey: [key] });
  };
  again(OF_A_RIG.filter((key) => !UNHURRIED.includes(key)));
  clearTimeout(unhurried);
  unhurried = setTimeout(() => again(UNHURRIED), pause);
}

/** A variant with all that is computed of it. */
export function useVariantDetail(id: string | undefined) {
  const { song } = useSongContext();
  const query = useQuery({
    queryKey: ["variant", id, song.revision],
    enabled: !!id,
    queryFn: () =>
      ask(api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id! } } })),
    placeholderData: (before: Variant | undefined) => (before?.id === id ? before : undefined),
    refetchInterval: 15_000,
  });
  useEffect(() => (id ? outbox.shows(id) : undefined), [id]);
  const known = query.data?.revision;
  useEffect(() => {
    if (id && known !== undefined) outbox.known(id, known);
  }, [id, known]);
  return query;
}

/** Undo, do again, or go to a point of a variant's history. */
export function useTurn(id: string) {
  const client = useQueryClient();
  return useCallback(
    async (way: "undo" | "redo" | number) => {
      const path = { params: { path: { variant_id: id } } };
      try {
        const variant = await ask(
          way === "undo"
            ? api.POST("/api/v1/variants/{variant_id}/undo", path)
            : way === "redo"
              ? api.POST("/api/v1/variants/{variant_id}/redo", path)
              : api.POST("/api/v1/variants/{variant_id}/history/{number}", {
                  params: { path: { variant_id: id, number: way } },
                }),
        );
        taken(client, variant);
        announce(`${variant.said}.`);
      } catch (fault) {
        announce(sentenceOf(fault), { kind: "fault" });
      }
    },
    [client, id],
  );
}
