/**
 * A variant and its edits. Edits go out one after the other, each with an id of its own, and are
 * kept in this browser until the server has them: the same edit sent twice is done once.
 */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { api, ask, Refused, type RigAction, sentenceOf, type Variant } from "../../api/client";
import { announce } from "../../ui/controls";

interface Waiting {
  id: string;
  base_revision: number;
  action: RigAction;
}

const RETRY_MS = 3000;
const keyOf = (id: string) => `fonodrome.rig-edits.${id}`;

function kept(id: string): Waiting[] {
  return JSON.parse(localStorage.getItem(keyOf(id)) ?? "[]") as Waiting[];
}

function keep(id: string, waiting: Waiting[]): void {
  if (waiting.length) localStorage.setItem(keyOf(id), JSON.stringify(waiting));
  else localStorage.removeItem(keyOf(id));
}

export function useVariant(id: string, songRevision: number) {
  const client = useQueryClient();
  const key = ["variant", id];
  const query = useQuery({
    queryKey: [...key, songRevision],
    queryFn: () =>
      ask(api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id } } })),
    placeholderData: (before: Variant | undefined) => (before?.id === id ? before : undefined),
    refetchInterval: 15_000,
  });
  const [offline, setOffline] = useState(0);
  const [selected, setSelected] = useState("");
  const queue = useRef<Waiting[]>([]);
  const busy = useRef(false);
  const revision = useRef(1);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const known = query.data?.revision;
  useEffect(() => {
    if (known !== undefined) revision.current = known;
  }, [known]);

  const take = useCallback(
    (variant: Variant) => {
      revision.current = variant.revision;
      client.setQueryData(["variant", id, songRevision], variant);
      void client.invalidateQueries({ queryKey: ["rigs"] });
      if (variant.select) setSelected(variant.select);
    },
    [client, id, songRevision],
  );

  const drainRef = useRef<() => Promise<void>>(async () => undefined);
  const drain = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    try {
      while (queue.current.length) {
        const next = queue.current[0]!;
        try {
          const variant = await ask(
            api.POST("/api/v1/variants/{variant_id}/edits", {
              params: { path: { variant_id: id } },
              body: next,
            }),
          );
          take(variant);
          announce(`${variant.said}.`);
          // What was queued meanwhile was meant to follow this edit, if nobody else came between.
          if (variant.revision === next.base_revision + 1) {
            queue.current = queue.current.map((one) =>
              one.base_revision === next.base_revision
                ? { ...one, base_revision: variant.revision }
                : one,
            );
          }
        } catch (fault) {
          if (fault instanceof Refused && (fault.offline || fault.problem.status >= 500)) {
            setOffline(queue.current.length);
            clearTimeout(timer.current);
            timer.current = setTimeout(() => void drainRef.current(), RETRY_MS);
            return;
          }
          announce(sentenceOf(fault), { kind: "fault" });
          void client.invalidateQueries({ queryKey: ["variant", id] });
        }
        queue.current = queue.current.slice(1);
        keep(id, queue.current);
      }
      setOffline(0);
    } finally {
      busy.current = false;
    }
  }, [client, id, take]);

  useEffect(() => {
    drainRef.current = drain;
  }, [drain]);

  useEffect(() => {
    queue.current = kept(id);
    if (queue.current.length) void drainRef.current();
    const online = () => void drainRef.current();
    window.addEventListener("online", online);
    return () => {
      window.removeEventListener("online", online);
      clearTimeout(timer.current);
    };
  }, [id]);

  const edit = useCallback(
    (action: RigAction) => {
      queue.current = [
        ...queue.current,
        { id: crypto.randomUUID(), base_revision: revision.current, action },
      ];
      keep(id, queue.current);
      void drainRef.current();
    },
    [id],
  );

  const turn = useCallback(
    async (way: "undo" | "redo") => {
      try {
        const path = { params: { path: { variant_id: id } } };
        const variant = await ask(
          way === "undo"
            ? api.POST("/api/v1/variants/{variant_id}/undo", path)
            : api.POST("/api/v1/variants/{variant_id}/redo", path),
        );
        take(variant);
        announce(`${variant.said}.`);
      } catch (fault) {
        announce(sentenceOf(fault), { kind: "fault" });
      }
    },
    [id, take],
  );

  return { query, offline, edit, turn, take, selected, setSelected };
}

export type VariantHandle = ReturnType<typeof useVariant>;
