/** Record a clip from an audio input: uncompressed, without the browser's own corrections. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { sentenceOf } from "../api/client";
import { uploadFile } from "../api/upload";
import { announce, Dialog, Press } from "../ui/controls";
import { clockFine } from "../ui/format";
import { InputChoice, InputMeter } from "./InputMeter";
import { useInput } from "./useInput";
import { type Block, floatWav, framesOf, since } from "./wav";

const MOST_S = 600;

interface Props {
  songId: string;
  onClip: (id: string) => void;
}

export function Record({ songId, onClip }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Press onClick={() => setOpen(true)}>Record a clip</Press>
      {open && <Recording songId={songId} onClip={onClip} onClose={() => setOpen(false)} />}
    </>
  );
}

/** A name that says when. */
export const takeName = (what: string) =>
  `${what} ${new Date().toISOString().slice(0, 19).replace("T", " ").replaceAll(":", "-")}.wav`;

export function Recording({ songId, onClip, onClose }: Props & { onClose: () => void }) {
  const client = useQueryClient();
  const [device, setDevice] = useState("");
  const [seconds, setSeconds] = useState(0);
  const [state, setState] = useState<"ready" | "recording" | "sending">("ready");
  const [unsent, setUnsent] = useState("");
  const blocks = useRef<Block[]>([]);
  const keeping = useRef(false);
  const input = useInput(
    device,
    (block) => keeping.current && blocks.current.push(block),
    (context) => setSeconds(framesOf(blocks.current) / context.sampleRate),
  );
  const rate = useRef(48_000);
  const fault = unsent || input.fault;

  const stop = async () => {
    keeping.current = false;
    const taken = blocks.current;
    if (!taken.length) return setState("ready");
    rate.current = input.context()?.sampleRate ?? rate.current;
    setState("sending");
    const name = takeName("Recording");
    try {
      const file = new File([floatWav(since(taken, taken[0]!.frame), rate.current)], name);
      const clip = await uploadFile(songId, file, () => undefined, new AbortController().signal);
      await client.invalidateQueries({ queryKey: ["clips", songId] });
      blocks.current = [];
      onClip(clip.id);
      announce(`“${name}” is recorded.`, { kind: "passed" });
      onClose();
    } catch (problem) {
      // What was played stays here until it could be sent.
      setUnsent(`${sentenceOf(problem)} The recording is kept: press Stop and keep again.`);
      setState("recording");
    }
  };
  useEffect(() => {
    if (seconds > MOST_S && keeping.current) {
      keeping.current = false;
      announce("Ten minutes are recorded; that is as long as one recording gets.");
    }
  }, [seconds]);

  return (
    <Dialog title="Record a clip" onClose={onClose}>
      {fault && (
        <Box color="diff" role="alert" fontWeight="650" marginBottom="8px">
          {fault}
        </Box>
      )}
      <InputChoice
        input={input}
        value={device}
        busy={state === "recording"}
        onChoose={(chosen) => {
          setUnsent("");
          setDevice(chosen);
        }}
      />
      <InputMeter level={input.level} />
      <Box fontSize="13px" color="ink2" marginTop="8px">
        Echo cancelling and automatic gain are off. Turn monitors down, or use headphones, so that
        the input does not hear them.
      </Box>
      <Box display="flex" gap="8px" marginTop="12px" alignItems="center">
        {state === "recording" ? (
          <Press look="primary" onClick={() => void stop()}>
            Stop and keep {clockFine(seconds)}
          </Press>
        ) : (
          <Press
            look="primary"
            disabled={!input.ready || state !== "ready"}
            onClick={() => {
              blocks.current = [];
              keeping.current = true;
              setState("recording");
            }}
          >
            {state === "sending" ? "Sending" : "Record"}
          </Press>
        )}
        <Press onClick={onClose}>Close without keeping</Press>
      </Box>
    </Dialog>
  );
}
