/** What every step of a song has: the song, its tempo, and the rig, variant and clip in hand. */
import { useOutletContext } from "react-router";

import type { Clip, Frame, RigSummary, Section, Song } from "../api/client";
import type { Hand, Held } from "./hand";
import type { SongHandle } from "./useSong";

export interface SongContext extends SongHandle, Held {
  song: Song;
  frame: Frame;
  section: Section;
  hand: Hand;
  take: (more: Partial<Hand>) => void;
  rigs: RigSummary[];
  /** Ready ones. */
  clips: Clip[];
}

export function useSongContext(): SongContext {
  return useOutletContext<SongContext>();
}

export function frameOf(song: Song): Frame {
  const section = song.tempo_map[0]!;
  return {
    tempo_bpm: section.tempo_bpm,
    beat_unit: section.beat_unit,
    metre_count: section.metre_count,
    metre_unit: section.metre_unit,
    sample_rate_hz: song.sample_rate_hz,
  };
}
