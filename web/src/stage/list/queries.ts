/** Set lists as the server has them. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";

import { api, ask, Refused, sentenceOf } from "../../api/client";
import type { Values } from "./edits";
import { Keeper } from "./keeper";

const of = (id: string) => ({ params: { path: { list_id: id } } });

export function useSetLists(deleted = false) {
  return useQuery({
    queryKey: ["set-lists", deleted],
    queryFn: () =>
      ask(api.GET("/api/v1/set-lists", deleted ? { params: { query: { deleted } } } : {})),
    refetchOnMount: "always",
  });
}

export function useOnStage(id: string) {
  return useQuery({
    queryKey: ["on-stage", id],
    queryFn: () => ask(api.GET("/api/v1/set-lists/{list_id}/stage", of(id))),
    refetchOnMount: "always",
  });
}

function keeperOf(id: string): Keeper {
  return new Keeper({
    send: (base_revision, values) =>
      ask(api.PUT("/api/v1/set-lists/{list_id}", { ...of(id), body: { base_revision, values } })),
    read: (fault) => {
      const problem = fault instanceof Refused ? fault.problem : null;
      if (problem?.status === 409 && problem.theirs)
        return {
          sort: "clash",
          theirs: problem.theirs as Values,
          revision: problem.revision as number,
        };
      if (problem && problem.status > 0 && problem.status < 500)
        return { sort: "refused", sentence: sentenceOf(fault) };
      return { sort: "offline" };
    },
    store: localStorage,
    name: `fonodrome.unsent-list.${id}`,
    later: (run, ms) => void setTimeout(run, ms),
  });
}

/** A set list that is worked on: as it is seen, how it stands, and what changes it. */
export function useSetList(id: string) {
  const [keeper] = useState(() => keeperOf(id));
  const query = useQuery({
    queryKey: ["set-list", id],
    queryFn: () => ask(api.GET("/api/v1/set-lists/{list_id}", of(id))),
    refetchOnMount: "always",
  });
  const { data } = query;
  useEffect(() => {
    if (data) keeper.know(data);
  }, [keeper, data]);
  useEffect(() => {
    void keeper.goOn();
    const online = () => void keeper.goOn();
    window.addEventListener("online", online);
    return () => window.removeEventListener("online", online);
  }, [keeper]);
  const values = useSyncExternalStore(keeper.subscribe, keeper.values);
  const standing = useSyncExternalStore(keeper.subscribe, keeper.stands);
  return { values: query.data ? values : null, standing, keeper, error: query.error };
}
