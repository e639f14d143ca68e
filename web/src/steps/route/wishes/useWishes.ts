/** Standing wishes of a variant with their figures, over the entries of the clip in hand. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Variant } from "../../../api/client";
import { useSongContext } from "../../../song/context";

export function useWishes(variant: Variant, wanted = true) {
  const { clip, song } = useSongContext();
  const over = clip?.id ?? null;
  const page = useQuery({
    queryKey: ["wishes", variant.id, variant.revision, song.revision, over],
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
