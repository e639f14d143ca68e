/** One side of a null test: which clip, its waveform, and the region that is tested. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useRef, useState } from "react";

import { api, ask, type Clip, sentenceOf } from "../../api/client";
import { Wave, type Stretch } from "../../charts/Wave";
import { announce, Notice, Press } from "../../ui/controls";
import { Course } from "../../ui/Course";
import { clockFine, dB, num } from "../../ui/format";
import { Choice, QuantityField } from "../../ui/QuantityField";
import { isBusy, useClip } from "../../clips/queries";
import { uploadFile } from "../../api/upload";

interface Props {
  letter: "A" | "B";
  about: string;
  songId: string;
  clips: Clip[];
  clipId: string | null;
  region: Stretch;
  onClip: (id: string | null) => void;
  onRegion: (region: Stretch) => void;
}

const FORMATS = ".wav,.flac,.aif,.aiff,.ogg,.oga,audio/*";

export function ClipLane(props: Props) {
  const { letter, about, songId, clips, clipId, region, onClip, onRegion } = props;
  const client = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const stop = useRef<AbortController>(null);
  const [sending, setSending] = useState<{ name: string; share: number } | null>(null);
  const [fault, setFault] = useState<{ text: string; file: File } | null>(null);
  const [over, setOver] = useState(false);
  const detail = useClip(clipId);
  const clip = detail.data;

  const bringIn = async (file: File) => {
    setFault(null);
    stop.current = new AbortController();
    setSending({ name: file.name, share: 0 });
    try {
      const made = await uploadFile(
        songId,
        file,
        (share) => setSending({ name: file.name, share }),
        stop.current.signal,
      );
      await client.invalidateQueries({ queryKey: ["clips", songId] });
      onClip(made.id);
    } catch (problem) {
      if (!stop.current.signal.aborted) setFault({ text: sentenceOf(problem), file });
    } finally {
      setSending(null);
    }
  };
  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const file = event.dataTransfer.files[0];
    if (file) void bringIn(file);
  };
  const path = clipId ? { params: { path: { clip_id: clipId } } } : null;
  const refresh = () => {
    void client.invalidateQueries({ queryKey: ["clips", songId] });
    void client.invalidateQueries({ queryKey: ["clip", clipId] });
  };
  const accept = () => path && ask(api.POST("/api/v1/clips/{clip_id}/accept", path)).then(refresh);
  const cancel = () => path && ask(api.POST("/api/v1/clips/{clip_id}/cancel", path)).then(refresh);
  const remove = async () => {
    if (!path || !clip) return;
    await ask(api.DELETE("/api/v1/clips/{clip_id}", path));
    onClip(null);
    await client.invalidateQueries({ queryKey: ["clips", songId] });
    announce(`“${clip.name}” is put away.`, {
      action: {
        word: "Undo",
        run: () => void ask(api.POST("/api/v1/clips/{clip_id}/restore", path)).then(refresh),
      },
    });
  };

  return (
    <Box
      as="section"
      aria-label={`Clip ${letter}`}
      minWidth="0"
      paddingBlock="10px"
      borderTop="1px solid"
      borderColor="ink"
      background={over ? "well" : undefined}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={onDrop}
    >
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="6px 12px" marginBottom="8px">
        <Box as="h2" fontFamily="title" fontSize="17px" fontWeight="600" minWidth="18px">
          {letter}
        </Box>
        <Box color="ink2" fontSize="13px">
          {about}
        </Box>
        <Box flex="1" />
        <Choice
          aria-label={`Clip ${letter}`}
          width={{ base: "100%", sm: "260px" }}
          value={clipId ?? ""}
          onChange={(event) => onClip(event.target.value || null)}
        >
          <option value="">Choose a clip</option>
          {clips.map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}
              {c.status === "failed" ? " (not usable)" : ""}
            </option>
          ))}
        </Choice>
        <Press onClick={() => picker.current?.click()}>Bring in a file</Press>
        <input
          ref={picker}
          type="file"
          accept={FORMATS}
          hidden
          aria-label={`File for ${letter}`}
          data-testid={`file-${letter}`}
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) void bringIn(file);
          }}
        />
      </Box>
      {sending && (
        <Box display="flex" gap="14px" alignItems="center" marginBottom="6px">
          <Box flex="1" minWidth="0">
            <Course share={sending.share} stages={[]} label={`Sending ${sending.name}`} />
          </Box>
          <Box whiteSpace="nowrap">{num(sending.share * 100, 0)} % sent</Box>
          <Press onClick={() => stop.current?.abort()}>Cancel</Press>
        </Box>
      )}
      {fault && (
        <Notice
          kind="fault"
          word="Not brought in."
          actions={
            <>
              <Press onClick={() => void bringIn(fault.file)}>Send it again</Press>
              <Press onClick={() => picker.current?.click()}>Choose another file</Press>
            </>
          }
        >
          {fault.text}
        </Notice>
      )}
      {!clip && !sending && (
        <Box
          background="sheet"
          minHeight="96px"
          display="grid"
          placeItems="center"
          color="ink2"
          padding="12px"
          textAlign="center"
        >
          Choose a clip, or drop a WAV, FLAC, AIFF or Ogg file here.
        </Box>
      )}
      {clip && isBusy(clip.status) && (
        <Box display="flex" gap="14px" alignItems="center">
          <Box flex="1" minWidth="0">
            <Course share={clip.progress} stages={[]} label={`Decoding ${clip.name}`} />
          </Box>
          <Box whiteSpace="nowrap">{clip.stage || "waiting to be decoded"}</Box>
          <Press onClick={() => void cancel()}>Cancel</Press>
        </Box>
      )}
      {clip && clip.status === "cancelled" && (
        <Notice kind="note" actions={<Press onClick={() => void remove()}>Put it away</Press>}>
          Decoding “{clip.name}” was cancelled.
        </Notice>
      )}
      {clip && clip.status === "failed" && (
        <Notice
          kind="fault"
          word="Not brought in."
          actions={
            <>
              <Press onClick={() => picker.current?.click()}>Choose the file again</Press>
              {clip.usable_seconds !== null && (
                <Press onClick={() => void accept()}>
                  Use the first {clockFine(clip.usable_seconds)}
                </Press>
              )}
              <Press look="quiet" onClick={() => void remove()}>
                Put it away
              </Press>
            </>
          }
        >
          {clip.problem}
        </Notice>
      )}
      {clip && clip.status === "done" && clip.facts && (
        <>
          <Wave clip={clip} label={`Waveform ${letter}`} region={region} onRegion={onRegion} />
          <Box
            display="flex"
            flexWrap="wrap"
            gap="6px 16px"
            alignItems="flex-start"
            marginTop="6px"
          >
            <Box color="ink2" fontSize="13px" flex="1" minWidth="200px" paddingTop="4px">
              {clockFine(clip.facts.seconds)},{" "}
              {num(clip.facts.rate_hz / 1000, clip.facts.rate_hz % 1000 ? 1 : 0)} kHz,{" "}
              {clip.facts.layout}
              {clip.facts.bits
                ? `, ${clip.facts.bits} bit`
                : `, ${clip.facts.encoding.toLowerCase()}`}
              ;{" "}
              {clip.facts.silent
                ? "silent"
                : `${dB(clip.facts.rms_dbfs)} dBFS RMS, peak ${dB(clip.facts.peak_dbfs)}`}
              .{" "}
              <Press
                look="quiet"
                onClick={() => void remove()}
                minHeight="0"
                fontSize="13px"
                named={clip.name}
              >
                Put away
              </Press>
            </Box>
            <QuantityField
              label={`${letter} from`}
              kind="time"
              width="104px"
              value={`${Number(region.start_s.toFixed(3))} s`}
              onCommit={(read) => onRegion({ ...region, start_s: read.value / 1000 })}
            />
            <QuantityField
              label={`${letter} length`}
              kind="time"
              width="104px"
              value={
                region.length_s === null
                  ? `${Number((clip.facts.seconds - region.start_s).toFixed(3))} s`
                  : `${Number(region.length_s.toFixed(3))} s`
              }
              onCommit={(read) =>
                onRegion({ ...region, length_s: read.value > 0 ? read.value / 1000 : null })
              }
            />
          </Box>
        </>
      )}
    </Box>
  );
}
