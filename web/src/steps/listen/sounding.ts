/** Where in the song a source sounds. */
import type { Clip, Schemas } from "../../api/client";

export interface Sounding {
  from: number;
  to: number;
  first: number;
  last: number;
}

/** Spans of a source in seconds of the song, with the share of the clip in each; null for silence. */
export function soundingOf(
  feeds: Schemas["FeedsOut"] | undefined,
  source: string,
  clips: Clip[] = [],
): Sounding[] | null {
  const fed = feeds?.sources.find((s) => s.source === source);
  if (!fed || fed.feed.silent || (fed.feed.placements?.length ?? 0) <= fed.gone) return null;
  return (fed.feed.placements ?? []).flatMap((place) => {
    const whole = clips.find((c) => c.id === place.clip)?.facts?.seconds ?? 0;
    const from = Math.min(whole, place.from_s ?? 0);
    const long = Math.min(whole - from, place.length_s ?? Infinity);
    if (!(long > 0)) return [];
    return Array.from({ length: place.repeats ?? 1 }, (_, i) => ({
      from: (place.at_s ?? 0) + i * long,
      to: (place.at_s ?? 0) + (i + 1) * long,
      first: from / whole,
      last: (from + long) / whole,
    }));
  });
}
