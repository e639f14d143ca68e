/** The other way round: a delay that cannot be tapped sets the tempo of the song. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { TempoScale } from "../../charts/TempoScale";
import { announce, Notice, Press } from "../../ui/controls";
import { num } from "../../ui/format";
import { QuantityField } from "../../ui/QuantityField";
import type { DelayHandle } from "./useDelay";

type Candidate = Schemas["TempoCandidate"];

export function FromDelay({ handle }: { handle: DelayHandle }) {
  const { frame, section, edit, song } = useSongContext();
  const [delay, setDelay] = useState("410 ms");
  const found = useQuery({
    queryKey: ["from-delay", delay, frame],
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/tempo-from-delay", {
          body: { delay, frame, lowest_bpm: 40, highest_bpm: 240 },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const set = (candidate: Candidate) => {
    const before = song.tempo_map;
    edit({
      tempo_map: [
        { ...section, tempo_bpm: Number(candidate.bpm.toFixed(3)) },
        ...song.tempo_map.slice(1),
      ],
      delays: song.delays.map((d, i) =>
        i === handle.at ? { ...d, value: candidate.note_value } : d,
      ),
    });
    announce(`Tempo set to ${num(candidate.bpm, 2)} BPM, the delay to ${candidate.note_value}.`, {
      action: {
        word: "Undo",
        run: () => edit({ tempo_map: before, delays: song.delays }),
      },
    });
  };
  const nearest = found.data?.candidates[0];
  return (
    <Box minWidth="0">
      <Box color="ink2">When the delay cannot be tapped, the band follows it.</Box>
      <Box display="flex" flexWrap="wrap" gap="8px 16px" alignItems="flex-start" marginTop="4px">
        <QuantityField
          label="Delay"
          hideLabel
          kind="time"
          frame={frame}
          value={delay}
          width="140px"
          onCommit={(read, text) =>
            setDelay(read.note_value ? text : `${Number(read.value.toPrecision(9))} ms`)
          }
        />
        {nearest && !found.isError && (
          <Press onClick={() => set(nearest)}>
            Set {num(nearest.bpm, 2)} BPM: {nearest.name}
          </Press>
        )}
      </Box>
      {found.isError && <Notice kind="caution">{sentenceOf(found.error)}</Notice>}
      {found.data && found.data.candidates.length === 0 && (
        <Notice kind="note">No note value makes this delay fit between 40 and 240 BPM.</Notice>
      )}
      {found.data && found.data.candidates.length > 0 && (
        <TempoScale candidates={found.data.candidates} songBpm={section.tempo_bpm} onChoose={set} />
      )}
    </Box>
  );
}
