/** The song's clips that are ready to be used, and the choice of one. */
import { useQuery } from "@tanstack/react-query";

import { api, ask, type Clip } from "../api/client";
import { Choice, Labelled } from "./QuantityField";

export function useReadyClips(songId: string): Clip[] {
  const clips = useQuery({
    queryKey: ["clips", songId],
    queryFn: () =>
      ask(api.GET("/api/v1/songs/{song_id}/clips", { params: { path: { song_id: songId } } })),
    refetchInterval: (query) =>
      query.state.data?.some((c) => c.status === "queued" || c.status === "running") ? 400 : false,
  });
  return (clips.data ?? []).filter((c) => c.status === "done");
}

interface Props {
  label: string;
  clips: Clip[];
  value: string;
  onChoose: (id: string) => void;
}

export function ClipChoice({ label, clips, value, onChoose }: Props) {
  return (
    <Labelled label={label}>
      <Choice value={value} maxWidth="240px" onChange={(event) => onChoose(event.target.value)}>
        <option value="">choose a clip …</option>
        {clips.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </Choice>
    </Labelled>
  );
}
