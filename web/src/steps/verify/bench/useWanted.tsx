/** What the song and its rig plan for a device, as a measurement's own figures start out. */
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";

import { api, ask } from "../../../api/client";
import { frameOf, useSongContext } from "../../../song/context";
import { Choice, Labelled } from "../../../ui/QuantityField";
import type { Kind } from "./form";

export interface Wanted {
  /** Text by the name of a field. */
  suggested: Record<string, string>;
  picker: ReactNode;
}

/** The delay in hand with the setting that its device can reach; the reverb's length in Space. */
export function useWanted(kind: Kind): Wanted {
  const { song, hand, take } = useSongContext();
  const at = Math.min(song.delays.length - 1, Math.max(0, Number(hand.tools?.delay ?? 1) - 1 || 0));
  const line = song.delays[at];
  const ruler = useQuery({
    queryKey: ["bench-wanted", frameOf(song), line?.value, song.device],
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/time-ruler", {
          body: { frame: frameOf(song), chosen: line!.value, device: song.device },
        }),
      ),
    enabled: kind === "delay" && line !== undefined,
    staleTime: 60_000,
  });
  if (kind === "decay" && song.space?.rt60_s)
    return { suggested: { rt60_s: String(song.space.rt60_s) }, picker: null };
  if (kind !== "delay" || !line) return { suggested: {}, picker: null };
  const wanted = ruler.data?.chosen.ms;
  const setting = ruler.data?.setting?.set_ms ?? wanted;
  const each = line.feedback_percent ? 20 * Math.log10(line.feedback_percent / 100) : null;
  return {
    suggested: {
      ...(wanted === undefined ? {} : { wanted_ms: String(Number(wanted.toFixed(3))) }),
      ...(setting === undefined ? {} : { label_ms: String(Number(setting.toFixed(3))) }),
      ...(line.first_db == null ? {} : { first_db: String(line.first_db) }),
      ...(each === null ? {} : { each_db: each.toFixed(1) }),
    },
    picker: (
      <Labelled label="planned by">
        <Choice
          width="auto"
          maxWidth="260px"
          value={String(at + 1)}
          onChange={(event) => take({ tools: { ...hand.tools, delay: event.target.value } })}
        >
          {song.delays.map((d, i) => (
            <option key={d.name} value={String(i + 1)}>
              {d.name}, {d.value}
            </option>
          ))}
        </Choice>
      </Labelled>
    ),
  };
}
