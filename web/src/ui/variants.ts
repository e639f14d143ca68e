/** A variant of the song's rigs, chosen outside Route, and edits of it that can be undone there. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { useSongContext } from "../app/Shell";
import { announce } from "./controls";

export type Edit = Schemas["EditIn"]["action"];

export function useVariantChoice() {
  const { song } = useSongContext();
  const client = useQueryClient();
  const navigate = useNavigate();
  const rigs =
    useQuery({
      queryKey: ["rigs", song.id],
      queryFn: () =>
        ask(api.GET("/api/v1/songs/{song_id}/rigs", { params: { path: { song_id: song.id } } })),
    }).data ?? [];
  const [chosen, setChosen] = useState("");
  const choices = rigs.flatMap((r) =>
    r.variants.map((v) => ({ id: v.id, rig: r.id, name: `${r.name} ${v.letter}` })),
  );
  const at = choices.find((c) => c.id === chosen) ?? choices[0];
  const id = at?.id ?? "";
  const variant = useQuery({
    queryKey: ["variant", id, song.revision],
    enabled: !!id,
    queryFn: () =>
      ask(api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id } } })),
  }).data;
  const again = () => {
    for (const key of ["rigs", "variant", "renders", "returns", "course", "tail"])
      void client.invalidateQueries({ queryKey: [key] });
  };
  /** Edits one after the other; says what was done. */
  const send = async (actions: Edit[], said: string) => {
    if (!variant) return;
    let revision = variant.revision;
    try {
      for (const action of actions) {
        const after = await ask(
          api.POST("/api/v1/variants/{variant_id}/edits", {
            params: { path: { variant_id: id } },
            body: { id: crypto.randomUUID(), base_revision: revision, action },
          }),
        );
        revision = after.revision;
      }
      announce(`${said} Undo it under Route.`, { kind: "passed" });
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
    again();
  };
  /** A rig of its own from notation, to be heard at once. */
  const make = async (name: string, notation: string) => {
    try {
      const rig = await ask(
        api.POST("/api/v1/songs/{song_id}/rigs", {
          params: { path: { song_id: song.id } },
          body: { name, notation },
        }),
      );
      again();
      void navigate(`../listen?rig=${rig.id}`);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  return { id, rig: at?.rig ?? "", choices, choose: setChosen, variant, send, make };
}

export type VariantChoice = ReturnType<typeof useVariantChoice>;
