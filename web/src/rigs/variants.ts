/** The variant in hand as Space, Blend and Listen use it: read it, send settings to it, make rigs. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { api, ask, type RigAction, sentenceOf } from "../api/client";
import { useSongContext } from "../song/context";
import { announce } from "../ui/controls";
import { sendEdit, useVariantDetail } from "./edits";

export type Edit = RigAction;

export function useRoute() {
  const { song, rig, rigs, variant: summary, clip, take } = useSongContext();
  const client = useQueryClient();
  const navigate = useNavigate();
  const id = summary?.id ?? "";
  const variant = useVariantDetail(summary?.id).data;
  /** Settings as one edit that can be undone. */
  const send = (actions: Edit[], said: string) => {
    if (!actions.length) return;
    const one = actions.length === 1 ? actions[0]! : ({ do: "several", actions } as Edit);
    sendEdit(id, one, `${said} Undo it under Route.`);
  };
  /** A rig from notation, in hand at once; one that was made so before is changed instead. */
  const making = useMutation({
    mutationFn: async ({ name, notation }: { name: string; notation: string }) => {
      const before = rigs.find((r) => r.name === name);
      if (!before) {
        const fresh = await ask(
          api.POST("/api/v1/songs/{song_id}/rigs", {
            params: { path: { song_id: song.id } },
            body: { name, notation },
          }),
        );
        await playInto(fresh.id, clip?.id);
        return fresh.variants[0]!.id;
      }
      const first = before.variants[0]!;
      const after = await ask(
        api.POST("/api/v1/variants/{variant_id}/edits", {
          params: { path: { variant_id: first.id } },
          body: {
            id: crypto.randomUUID(),
            base_revision: first.revision,
            action: { do: "notate", text: notation },
          },
        }),
      );
      await playInto(before.id, clip?.id);
      announce(`“${name}” is set to it. Undo it under Route.`, { kind: "passed" });
      return after.id;
    },
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: ["rigs"] });
      for (const key of ["variant", "feeds"]) void client.invalidateQueries({ queryKey: [key] });
      take({ variant: made, selected: "" });
      void navigate(`/songs/${song.id}/listen`);
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const make = (name: string, notation: string) => making.mutate({ name, notation });
  return {
    id,
    /** "Two sends A": what a step that writes to it names. */
    named: rig && summary ? `${rig.name} ${summary.letter}` : "",
    variant,
    send,
    make,
  };
}

/** What is heard of a rig that was made from a clip is that clip, whatever played into it before. */
export async function playInto(rig: string, clip: string | undefined): Promise<void> {
  if (!clip) return;
  const path = { rig_id: rig };
  const { sources } = await ask(api.GET("/api/v1/rigs/{rig_id}/feeds", { params: { path } }));
  const source = sources[0]?.source;
  if (!source) return;
  const placements = [
    { clip, at_s: 0, from_s: 0, length_s: null, repeats: 1, gain_db: 0, sides: "both" as const },
  ];
  await ask(
    api.PUT("/api/v1/rigs/{rig_id}/feeds/{source}", {
      params: { path: { ...path, source } },
      body: { feed: { source, placements, silent: false } },
    }),
  );
}

export type RouteHandle = ReturnType<typeof useRoute>;
