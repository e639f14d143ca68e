/** What is saved, what waits, and what clashes with another tab, in words. */
import { Box } from "@chakra-ui/react";

import type { DelayLine, Pattern, Section, Song } from "../api/client";
import { Notice, Press } from "../ui/controls";
import { num } from "../ui/format";
import type { Flow } from "../rigs/outbox";
import type { SavedWords } from "../song/saved";
import type { Clash, SongHandle } from "../song/useSong";

const COLOURS = { saved: "ok", sending: "ink2", waiting: "diff", refused: "diff" } as const;

export function SavedWord({ said }: { said: SavedWords }) {
  return (
    <Box
      role="status"
      aria-label="Saved state"
      title={said.why || undefined}
      fontSize="14px"
      fontWeight="650"
      color={COLOURS[said.kind]}
      minWidth="92px"
      whiteSpace="nowrap"
      textAlign="right"
    >
      {said.kind === "saved" ? "✓ " : ""}
      {said.words}
    </Box>
  );
}

const FIELD_NAMES: Record<string, string> = {
  title: "title",
  players: "players",
  tempo_map: "tempo",
  delays: "delays",
  figure: "figure",
  sample_rate_hz: "sample rate",
  delay_value: "delay time",
  device: "device",
};

export function describe(field: string, value: unknown): string {
  if (value === null || value === undefined) return "none";
  if (field === "tempo_map") {
    const sections = value as Section[];
    const s = sections[0]!;
    const more = sections.length > 1 ? `, ${sections.length} sections` : "";
    return `${num(s.tempo_bpm, s.tempo_bpm % 1 ? 1 : 0)} BPM (${s.beat_unit}, ${s.metre_count}/${s.metre_unit}${more})`;
  }
  if (field === "delays")
    return (value as DelayLine[]).map((d) => `${d.name} ${d.value}`).join(", ");
  if (field === "figure") return `${(value as { pattern: Pattern }).pattern.played.length} notes`;
  if (field === "device") return (value as { name: string }).name;
  if (field === "sample_rate_hz") return `${(value as number) / 1000} kHz`;
  return `“${String(value)}”`;
}

function clashSentence(clashes: Clash[]): string {
  return clashes
    .map(
      (c) =>
        `${FIELD_NAMES[c.field] ?? c.field} is ${describe(c.field, c.theirs)} there and ${describe(c.field, c.yours)} here`,
    )
    .join("; ");
}

interface Props {
  handle: SongHandle;
  song: Song;
  flow: Flow;
}

export function SavedRibbon({ handle, song, flow }: Props) {
  const { saved, settle, giveUp } = handle;
  const waiting =
    (saved.state === "offline" ? saved.waiting : 0) + (flow.offline ? flow.waiting : 0);
  if (saved.state === "clash") {
    const one = saved.clashes.length === 1 ? saved.clashes[0]! : null;
    return (
      <Box background="cautionWash" paddingInline="12px" marginBlock="6px">
        <Notice
          kind="caution"
          actions={
            <>
              <Press onClick={() => settle(false)}>
                Take {one ? describe(one.field, one.theirs) : "what is there"}
              </Press>
              <Press onClick={() => settle(true)}>
                Keep {one ? describe(one.field, one.yours) : "what is here"}
              </Press>
            </>
          }
        >
          This song changed in another tab: {clashSentence(saved.clashes)}. Nothing is lost until
          you choose.
        </Notice>
      </Box>
    );
  }
  if (waiting) {
    return (
      <Box background="ink" color="paper" padding="8px 12px" marginBlock="6px" role="alert">
        <strong>The server cannot be reached.</strong> {waiting}{" "}
        {waiting === 1 ? "edit waits" : "edits wait"} here and will be sent by themselves.
      </Box>
    );
  }
  if (saved.state === "refused") {
    return (
      <Box marginBlock="6px">
        <Notice
          kind="fault"
          word="Not saved."
          actions={<Press onClick={giveUp}>Go back to the saved “{song.title}”</Press>}
        >
          {saved.sentence}
        </Notice>
      </Box>
    );
  }
  return null;
}
