/** Bring a file in from every step: chosen through the header, or dropped anywhere on the page. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef, useState } from "react";

import { sentenceOf } from "../api/client";
import { uploadFile } from "../api/upload";
import { announce, Press } from "../ui/controls";
import { Course } from "../ui/Course";

export const FORMATS = ".wav,.flac,.aif,.aiff,.ogg,.oga,audio/*";

const ASK = "fonodrome:bring-in";
/** Open the choice of a file, from wherever a view has none to show. */
export const askForFile = () => window.dispatchEvent(new Event(ASK));

interface Props {
  input: RefObject<HTMLInputElement | null>;
  songId: string;
  onClip: (id: string) => void;
}

export function BringIn({ input, songId, onClip }: Props) {
  const client = useQueryClient();
  const stop = useRef<AbortController>(null);
  const [sending, setSending] = useState<{ name: string; share: number } | null>(null);
  const [over, setOver] = useState(false);
  const bring = async (file: File) => {
    stop.current = new AbortController();
    const { signal } = stop.current;
    setSending({ name: file.name, share: 0 });
    try {
      const made = await uploadFile(
        songId,
        file,
        (share) => setSending({ name: file.name, share }),
        signal,
      );
      await client.invalidateQueries({ queryKey: ["clips", songId] });
      announce(`“${made.name}” is brought in.`, { kind: "passed" });
      onClip(made.id);
    } catch (fault) {
      if (!signal.aborted) announce(sentenceOf(fault), { kind: "fault" });
    } finally {
      setSending(null);
    }
  };
  const latest = useRef(bring);
  useEffect(() => {
    latest.current = bring;
  });
  useEffect(() => {
    const files = (event: DragEvent) => !!event.dataTransfer?.types.includes("Files");
    const drag = (event: DragEvent) => {
      if (!files(event) || event.defaultPrevented) return;
      event.preventDefault();
      setOver(true);
    };
    const leave = (event: DragEvent) => !event.relatedTarget && setOver(false);
    const drop = (event: DragEvent) => {
      setOver(false);
      const file = event.dataTransfer?.files[0];
      // A lane of Verify takes its own.
      if (!file || event.defaultPrevented) return;
      event.preventDefault();
      void latest.current(file);
    };
    const ask = () => input.current?.click();
    window.addEventListener(ASK, ask);
    window.addEventListener("dragover", drag);
    window.addEventListener("dragleave", leave);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener(ASK, ask);
      window.removeEventListener("dragover", drag);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("drop", drop);
    };
  }, [input]);
  return (
    <>
      <input
        ref={input}
        type="file"
        accept={FORMATS}
        hidden
        aria-label="File to bring in"
        data-testid="file-in-hand"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) void bring(file);
        }}
      />
      {(sending || over) && (
        <Box
          position="fixed"
          bottom="12px"
          left="50%"
          transform="translateX(-50%)"
          width="min(520px, calc(100vw - 24px))"
          background="sheet"
          border="1.5px solid"
          borderColor="ink"
          padding="8px 14px"
          zIndex="5"
          display="flex"
          gap="14px"
          alignItems="center"
        >
          {sending ? (
            <>
              <Box flex="1" minWidth="0">
                <Course share={sending.share} stages={[]} label={`Sending ${sending.name}`} />
              </Box>
              <Press onClick={() => stop.current?.abort()}>Cancel</Press>
            </>
          ) : (
            <Box>Let go to bring the file in: WAV, FLAC, AIFF or Ogg.</Box>
          )}
        </Box>
      )}
    </>
  );
}
