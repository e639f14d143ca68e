/** What plays into the sources of a rig. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { OF_A_RIG } from "../rigs/edits";
import { announce } from "../ui/controls";

export type Feed = Schemas["Feed"];
export type FedSource = Schemas["FedSource"];
export type Placement = Schemas["Placement"];

/** A clip at the beginning of the song, whole. */
export const placed = (clip: string): Placement => ({
  clip,
  at_s: 0,
  from_s: 0,
  length_s: null,
  repeats: 1,
  gain_db: 0,
  sides: "both",
});

export function useFeeds(rig: string, clip: string) {
  const client = useQueryClient();
  const key = ["feeds", rig, clip];
  const query = useQuery({
    queryKey: key,
    enabled: !!rig,
    queryFn: () =>
      ask(
        api.GET("/api/v1/rigs/{rig_id}/feeds", {
          params: { path: { rig_id: rig }, query: clip ? { clip } : {} },
        }),
      ),
  });
  const taken = (data: Schemas["FeedsOut"]) => {
    client.setQueryData(key, data);
    for (const name of [...OF_A_RIG, "variant"])
      void client.invalidateQueries({ queryKey: [name] });
  };
  const refused = (fault: unknown) => {
    announce(sentenceOf(fault), { kind: "fault" });
    void client.invalidateQueries({ queryKey: ["feeds", rig] });
  };
  const set = useMutation({
    mutationFn: (feed: Feed) =>
      ask(
        api.PUT("/api/v1/rigs/{rig_id}/feeds/{source}", {
          params: { path: { rig_id: rig, source: feed.source }, query: clip ? { clip } : {} },
          body: { feed },
        }),
      ),
    onSuccess: taken,
    onError: refused,
  });
  const testSet = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/rigs/{rig_id}/test-set", { params: { path: { rig_id: rig } } })),
    onSuccess: taken,
    onError: refused,
  });
  return { data: query.data, set, testSet };
}
