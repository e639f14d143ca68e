/** Begin a rig: one of the usual courses, or a bare rail. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type RigSummary, sentenceOf } from "../../api/client";
import { announce, Press, SheetTitle } from "../../ui/controls";
import { MiniCourse } from "./MiniCourse";

interface Props {
  songId: string;
  onMade: (rig: RigSummary) => void;
}

const BARE = 'rig "Rig"\nsource1: source > output1: output "Main" (stereo)\n';

export function NewRig({ songId, onMade }: Props) {
  const client = useQueryClient();
  const templates = useQuery({
    queryKey: ["rig-templates"],
    queryFn: () => ask(api.GET("/api/v1/rig-templates")),
    staleTime: Infinity,
  });
  const make = useMutation({
    mutationFn: (body: { name: string; template?: string; notation?: string }) =>
      ask(
        api.POST("/api/v1/songs/{song_id}/rigs", { params: { path: { song_id: songId } }, body }),
      ),
    onSuccess: async (rig) => {
      await client.invalidateQueries({ queryKey: ["rigs"] });
      onMade(rig);
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return (
    <Box as="section" aria-label="New rig">
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 16px">
        <SheetTitle about="each opens with sensible values; everything can be changed">
          Begin with a course
        </SheetTitle>
        <Box flex="1" />
        <Press
          look="primary"
          disabled={make.isPending}
          onClick={() => make.mutate({ name: "Rig", notation: BARE })}
        >
          Begin with a bare rail
        </Press>
      </Box>
      <Box
        as="ul"
        display="grid"
        gridTemplateColumns={{ base: "1fr", md: "1fr 1fr" }}
        columnGap="28px"
        marginTop="6px"
      >
        {(templates.data ?? []).map((t) => (
          <Box
            key={t.id}
            as="li"
            display="flex"
            gap="12px"
            alignItems="center"
            paddingBlock="8px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box flex="1" minWidth="0">
              <MiniCourse layout={t.layout} />
              <Box fontWeight="650">{t.name}</Box>
              <Box color="ink2" fontSize="13px">
                {t.when}
              </Box>
            </Box>
            <Press
              named={`with ${t.name}`}
              disabled={make.isPending}
              onClick={() => make.mutate({ name: t.name, template: t.id })}
            >
              Begin
            </Press>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
