/** Where a tempo comes from besides the hand: a MIDI file, or the notes of a clip. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";

import { api, ask, type Section, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { NoClip } from "../../clips/NoClip";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";

export function FromMidi({ onTake }: { onTake: (sections: Section[]) => void }) {
  const { song } = useSongContext();
  const input = useRef<HTMLInputElement>(null);
  const read = useMutation({
    mutationFn: async (file: File) => {
      const bytes = new Uint8Array(await file.slice(0, 2_500_000).arrayBuffer());
      let binary = "";
      for (let i = 0; i < bytes.length; i += 8192)
        binary += String.fromCharCode(...bytes.subarray(i, i + 8192));
      return ask(api.POST("/api/v1/compute/read-midi", { body: { data_base64: btoa(binary) } }));
    },
  });
  return (
    <Box marginTop="10px">
      <SheetTitle sub about="tempo and metre of a Standard MIDI File">
        From and to a file
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="center" marginTop="4px">
        <Press onClick={() => input.current?.click()}>Read a MIDI file</Press>
        <input
          ref={input}
          type="file"
          hidden
          aria-label="MIDI file"
          accept=".mid,.midi,audio/midi"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) read.mutate(file);
            event.target.value = "";
          }}
        />
        <chakra.a
          color="ink"
          fontWeight="600"
          textUnderlineOffset="3px"
          href={`/api/v1/songs/${song.id}/tempo-map.mid`}
          download
        >
          Save as MIDI file
        </chakra.a>
      </Box>
      {read.isError && (
        <Notice kind="fault" word="Not read.">
          {sentenceOf(read.error)}
        </Notice>
      )}
      {read.data && (
        <Notice
          kind="note"
          word={read.data.sentence}
          actions={
            <>
              <Press
                look="primary"
                onClick={() => {
                  onTake(read.data.sections);
                  read.reset();
                }}
              >
                Take this tempo map
              </Press>
              <Press onClick={() => read.reset()}>Leave it</Press>
            </>
          }
        >
          {read.data.notes.join(" ")}
        </Notice>
      )}
    </Box>
  );
}

export function FromClip({ onTake }: { onTake: (bpm: number) => void }) {
  const { clip } = useSongContext();
  const found = useMutation({
    mutationFn: (id: string) =>
      ask(api.GET("/api/v1/clips/{clip_id}/tempo", { params: { path: { clip_id: id } } })),
  });
  return (
    <Box marginTop="10px">
      <SheetTitle sub about="a suggestion from the notes of a clip, its half and double beside it">
        Tempo in a clip
      </SheetTitle>
      {!clip ? (
        <NoClip>A tempo is found in the notes of a clip.</NoClip>
      ) : (
        <Press disabled={found.isPending} onClick={() => found.mutate(clip.id)}>
          {found.isPending ? "Listening …" : `Suggest a tempo from “${clip.name}”`}
        </Press>
      )}
      {found.isError && (
        <Notice kind="caution" word="No suggestion.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      {found.data && (
        <Box marginTop="4px">
          <Box fontSize="14px">{found.data.sentence}</Box>
          <Box display="flex" flexWrap="wrap" gap="6px 10px" marginTop="4px">
            {found.data.candidates.map((c) => (
              <Press key={c.relation} onClick={() => onTake(c.bpm)}>
                {num(c.bpm, 1)} BPM, {c.relation}, {num(c.confidence * 100, 0)} %
              </Press>
            ))}
          </Box>
        </Box>
      )}
    </Box>
  );
}
