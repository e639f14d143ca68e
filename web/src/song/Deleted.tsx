/** What was deleted within 30 days, each with its way back. */
import { Box } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { announce, Notice, Press } from "../ui/controls";

type Gone = Schemas["DeletedOut"];

const KINDS: Record<Gone["kind"], string> = {
  song: "Song",
  rig: "Rig",
  variant: "Variant",
  clip: "Clip",
  scene: "Scene",
  delay: "Delay",
};

interface Props {
  /** Parts of this song; songs where none is given. */
  songId?: string;
}

export function Deleted({ songId }: Props) {
  const client = useQueryClient();
  const query = useQuery({
    queryKey: ["deleted", songId ?? ""],
    // What another step or tab deleted meanwhile is here as well.
    refetchOnMount: "always",
    queryFn: () =>
      songId
        ? ask(api.GET("/api/v1/songs/{song_id}/deleted", { params: { path: { song_id: songId } } }))
        : ask(api.GET("/api/v1/deleted")),
  });
  const restore = async (one: Gone) => {
    try {
      if (songId)
        await ask(
          api.POST("/api/v1/songs/{song_id}/deleted/{part_id}/restore", {
            params: { path: { song_id: songId, part_id: one.id } },
          }),
        );
      else
        await ask(
          api.POST("/api/v1/songs/{song_id}/restore", { params: { path: { song_id: one.id } } }),
        );
      announce(`${KINDS[one.kind]} “${one.name || "unnamed"}” is back.`, { kind: "passed" });
      await client.invalidateQueries();
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  if (query.isError) return <Notice kind="fault">{sentenceOf(query.error)}</Notice>;
  if (!query.data?.length)
    return (
      <Box color="ink2" paddingBlock="6px">
        Nothing. What is deleted stays here for 30 days.
      </Box>
    );
  return (
    <Box as="ul">
      {query.data.map((one) => (
        <Box
          as="li"
          key={one.id}
          display="flex"
          flexWrap="wrap"
          gap="2px 14px"
          alignItems="baseline"
          paddingBlock="6px"
          borderTop="1px solid"
          borderColor="fine"
        >
          <Box minWidth="64px" color="ink2" fontSize="13px">
            {KINDS[one.kind]}
          </Box>
          <Box fontWeight="650">{one.name || "unnamed"}</Box>
          <Box color="ink2" fontSize="13px" flex="1" minWidth="120px">
            {one.of && one.kind !== "song" ? `of ${one.of}, ` : ""}
            {one.days_left} {one.days_left === 1 ? "day" : "days"} left
          </Box>
          <Press look="quiet" minHeight="28px" onClick={() => void restore(one)}>
            Bring back{" "}
            <Box as="span" srOnly>
              {KINDS[one.kind]} {one.name}
            </Box>
          </Press>
        </Box>
      ))}
    </Box>
  );
}
