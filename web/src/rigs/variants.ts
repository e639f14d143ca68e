/** The variant in hand as Space, Blend and Listen use it: read it, send settings to it, make rigs. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { api, ask, type RigAction, sentenceOf } from "../api/client";
import { useSongContext } from "../song/context";
import { announce } from "../ui/controls";
import { sendEdit, useVariantDetail } from "./edits";

export type Edit = RigAction;

export function useRoute() {
  const { song, rig, rigs, variant: summary, take } = useSongContext();
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
      if (!before)
        return (
          await ask(
            api.POST("/api/v1/songs/{song_id}/rigs", {
              params: { path: { song_id: song.id } },
              body: { name, notation },
            }),
          )
        ).variants[0]!.id;
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
      announce(`“${name}” is set to it. Undo it under Route.`, { kind: "passed" });
      return after.id;
    },
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: ["rigs"] });
      void client.invalidateQueries({ queryKey: ["variant"] });
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

export type RouteHandle = ReturnType<typeof useRoute>;
