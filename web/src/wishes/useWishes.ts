/** Standing wishes of a variant with their figures, over the entries of the clip in hand. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Variant } from "../api/client";
import { useSongContext } from "../song/context";
import { othersOf } from "./wishes";

export function useWishes(variant: Variant, wanted = true) {
  const { clip, song, rig } = useSongContext();
  const over = clip?.id ?? null;
  // A null against another variant is another one once that is changed.
  const others = othersOf(variant, rig?.variants ?? []);
  const page = useQuery({
    queryKey: ["wishes", variant.id, variant.revision, song.revision, over, others],
    queryFn: () =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/wishes", {
          params: { path: { variant_id: variant.id } },
          body: { clip: over },
        }),
      ),
    enabled: wanted,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return { page, over, clip };
}
