/** Bars of the song in the time of a sound, and what is written against them. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas, type Song } from "../api/client";
import type { WetDb } from "./wet";

export interface Bar {
  bar: number;
  /** Seconds into the sound. */
  at: number;
  beats: number;
  length: number;
  /** Seconds into the sound at which its beats fall. */
  beatsAt: number[];
}

/** The bars that begin in a stretch, and the one that it begins in. */
export function useBars(song: Song, start: number, seconds: number): Bar[] {
  const map = useQuery({
    queryKey: ["bars", song.tempo_map, Math.ceil(start + seconds)],
    enabled: seconds > 0,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/tempo-map", {
          body: {
            sections: song.tempo_map,
            sample_rate_hz: song.sample_rate_hz,
            delay: "1/4",
            at_beat: 1,
            bars_until_s: Math.ceil(start + seconds) + 4,
          },
        }),
      ),
  }).data;
  if (!map) return [];
  const starts = map.bar_starts_s;
  return starts
    .map((s, i) => ({
      bar: i + 1,
      at: s - start,
      beats: map.bar_beats[i]!,
      length: (starts[i + 1] ?? s + 2) - s,
      beatsAt: (map.beat_starts_s[i] ?? [s]).map((beat) => beat - start),
    }))
    .filter((b) => b.at + b.length > 0 && b.at <= seconds);
}

export function placeIn(bars: Bar[], at: number): { bar: number; beat: number } | null {
  const bar = [...bars].reverse().find((b) => b.at <= at + 1e-6);
  if (!bar) return null;
  const passed = bar.beatsAt.filter((beat) => beat <= at + 1e-6).length;
  const from = bar.beatsAt[passed - 1] ?? bar.at;
  const to = bar.beatsAt[passed] ?? bar.at + bar.length;
  const beat = Math.max(1, passed) + Math.min(0.99, Math.max(0, (at - from) / (to - from)));
  return { bar: bar.bar, beat: Math.round(beat * 100) / 100 };
}

export function barWords(bars: Bar[], at: number): string {
  const place = placeIn(bars, at);
  return place ? `${place.bar}, beat ${Math.floor(place.beat)}` : "-";
}

/** Points at least a quarter of a second apart, always the last one of a run. */
export function thinned(points: { at: number; wet: WetDb }[]): { at: number; wet: WetDb }[] {
  const out: { at: number; wet: WetDb }[] = [];
  for (const point of points) {
    const last = out.at(-1);
    if (last && point.at - last.at >= 0 && point.at - last.at < 0.25)
      out[out.length - 1] = { at: last.at, wet: point.wet };
    else out.push(point);
  }
  return out;
}

/** Gains at a balance, straight between the core's points. */
export function between(travel: Schemas["BalanceOut"], wet: WetDb): number[] {
  const inner = travel.points.filter((p) => p.wet_db !== null);
  if (wet === -Infinity) return travel.points[0]!.gains;
  if (wet === Infinity) return travel.points.at(-1)!.gains;
  const above = inner.findIndex((p) => p.wet_db! >= wet);
  if (above <= 0) return (above === 0 ? inner[0]! : inner.at(-1)!).gains;
  const low = inner[above - 1]!;
  const high = inner[above]!;
  const share = (wet - low.wet_db!) / (high.wet_db! - low.wet_db!);
  return low.gains.map((g, i) => g + share * (high.gains[i]! - g));
}
