/** What of Blend is kept with the song. */
import type { Schemas } from "../../api/client";
import { keptBlend } from "../../api/defaults.gen";
import { useSongContext } from "../../song/context";

export type Kept = Schemas["KeptBlend"];
export const START: Kept = keptBlend;

export function useKeptBlend() {
  const { song, edit } = useSongContext();
  const kept: Kept = { ...START, ...(song.blend ?? {}) };
  return { kept, keep: (more: Partial<Kept>) => edit({ blend: { ...kept, ...more } }) };
}
