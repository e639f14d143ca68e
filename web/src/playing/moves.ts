/** Written moves of a variant: kept with it, in the order of the bars. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { announce } from "../ui/controls";

export type WrittenMove = Schemas["WrittenMove"];
type Point = Schemas["MovePoint"];

export function useMoves(variantId: string | undefined) {
  const client = useQueryClient();
  const key = ["moves", variantId ?? ""];
  const query = useQuery({
    queryKey: key,
    enabled: !!variantId,
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/moves", {
          params: { path: { variant_id: variantId! } },
        }),
      ),
  });
  const save = useMutation({
    mutationFn: (moves: WrittenMove[]) =>
      ask(
        api.PUT("/api/v1/variants/{variant_id}/moves", {
          params: { path: { variant_id: variantId! } },
          body: { moves },
        }),
      ),
    onSuccess: (kept) => {
      client.setQueryData(key, kept);
      void client.invalidateQueries({ queryKey: ["renders"] });
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return { moves: query.data ?? [], save };
}

/** The moves with one more point, in the order of the bars. */
export function withPoint(
  moves: WrittenMove[],
  part: string,
  field: string,
  point: Point,
): WrittenMove[] {
  const old = moves.find((m) => m.part === part && m.field === field);
  const place = (p: Point) => p.bar + ((p.beat ?? 1) - 1) / 64;
  const points = [
    ...(old?.points ?? []).filter((p) => Math.abs(place(p) - place(point)) > 1e-6),
    point,
  ];
  points.sort((p, q) => place(p) - place(q));
  return [...moves.filter((m) => m !== old), { part, field, points }];
}
