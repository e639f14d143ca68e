/** Plays a test signal through the interface and records what comes back, on one clock. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { sentenceOf } from "../../../api/client";
import { uploadFile } from "../../../api/upload";
import { InputChoice, InputMeter } from "../../../clips/InputMeter";
import { takeName } from "../../../clips/Record";
import { useInput } from "../../../clips/useInput";
import { type Block, floatWav, lostFrames, since } from "../../../clips/wav";
import { Dialog, Press } from "../../../ui/controls";
import { num } from "../../../ui/format";
import { playOnly } from "../../../ui/only";
import { Choice, Labelled } from "../../../ui/QuantityField";
import { HaltCourse } from "./HaltCourse";
import type { BenchKind } from "./queries";
import { gainOf, haltAt, shareOf, TAIL_S } from "./playing";

const LEAD_S = 0.2;

interface Props {
  songId: string;
  kind: BenchKind;
  address: (rate: number) => string;
  onTake: (clipId: string) => void;
  onClose: () => void;
}

export function PlayRecord({ songId, kind, address, onTake, onClose }: Props) {
  const client = useQueryClient();
  const [device, setDevice] = useState("");
  const [sendDb, setSendDb] = useState(0);
  const [state, setState] = useState<"ready" | "fetching" | "playing" | "sending">("ready");
  const [share, setShare] = useState(0);
  const [fault, setFault] = useState("");
  const blocks = useRef<Block[]>([]);
  const run = useRef<{ start: number; source: AudioBufferSourceNode; gain: GainNode } | null>(null);
  const stop = useCallback(() => {
    const now = run.current;
    run.current = null;
    if (!now) return;
    now.gain.gain.value = 0;
    now.source.stop();
  }, []);
  useEffect(() => stop, [stop]);

  const keep = async (context: AudioContext) => {
    const now = run.current;
    if (!now) return;
    stop();
    setState("sending");
    const taken = blocks.current;
    const lost = lostFrames(taken);
    if (lost > 0) {
      setFault(
        `The browser let ${num(lost, 0)} samples fall while it recorded. Close other pages and programs, and measure again.`,
      );
      return setState("ready");
    }
    const heard = since(taken, Math.round(now.start * context.sampleRate));
    const name = takeName(`Take of ${kind.kind}`);
    try {
      const file = new File([floatWav(heard, context.sampleRate)], name);
      const clip = await uploadFile(songId, file, () => undefined, new AbortController().signal);
      await client.invalidateQueries({ queryKey: ["clips", songId] });
      onTake(clip.id);
    } catch (problem) {
      setFault(`${sentenceOf(problem)} Measure again when the line is back.`);
      setState("ready");
    }
  };

  const input = useInput(
    device,
    (block) => run.current && blocks.current.push(block),
    (context) => {
      if (!run.current) return;
      const at = shareOf(context.currentTime, run.current.start, kind.seconds);
      setShare(at);
      if (context.currentTime > run.current.start + kind.seconds + TAIL_S) void keep(context);
    },
  );
  const play = async () => {
    const context = input.context();
    if (!context) return;
    setFault("");
    setState("fetching");
    try {
      const answer = await fetch(address(context.sampleRate));
      if (!answer.ok) {
        setFault("The test signal could not be fetched. Try again.");
        return setState("ready");
      }
      const buffer = await context.decodeAudioData(await answer.arrayBuffer());
      await context.resume();
      playOnly(stop);
      const gain = context.createGain();
      gain.gain.value = gainOf(sendDb);
      const source = context.createBufferSource();
      source.buffer = buffer;
      source.connect(gain).connect(context.destination);
      blocks.current = [];
      const start = context.currentTime + LEAD_S;
      source.start(start);
      run.current = { start, source, gain };
      setShare(0);
      setState("playing");
    } catch (problem) {
      setFault(sentenceOf(problem));
      setState("ready");
    }
  };

  const busy = state !== "ready";
  const words =
    state === "playing" ? haltAt(kind.halts, share, kind.seconds)?.words : kind.halts[1]?.words;
  const turn = words?.startsWith("turn") ? words : "";
  return (
    <Dialog title="Play and record" onClose={onClose}>
      {(fault || input.fault) && (
        <Box color="diff" role="alert" fontWeight="650" marginBottom="8px">
          {fault || input.fault}
        </Box>
      )}
      <Box fontWeight="650" marginBottom="8px">
        Before you send: monitors down, headphones off. The sweep goes up to 22 kHz.
      </Box>
      <Box display="flex" flexWrap="wrap" gap="10px 16px">
        <InputChoice input={input} value={device} busy={busy} onChoose={setDevice} />
        <Labelled label="send">
          <Choice
            value={String(sendDb)}
            disabled={busy}
            onChange={(event) => setSendDb(Number(event.target.value))}
          >
            {[0, -6, -12, -20].map((db) => (
              <option key={db} value={db}>
                {db === 0 ? "as it is, −12 dBFS" : `${num(db, 0)} dB lower`}
              </option>
            ))}
          </Choice>
        </Labelled>
      </Box>
      <InputMeter level={input.level} />
      {kind.kind === "mix" && (
        <Box
          role="status"
          fontFamily="title"
          fontWeight="600"
          fontSize={{ base: "20px", sm: "25px" }}
          minHeight="34px"
          marginTop="10px"
        >
          {turn ? `${turn[0]!.toUpperCase()}${turn.slice(1)}` : ""}
        </Box>
      )}
      <Box marginTop="10px">
        <HaltCourse
          halts={kind.halts}
          share={state === "playing" ? share : undefined}
          label="Measurement"
        />
      </Box>
      <Box display="flex" flexWrap="wrap" gap="8px" marginTop="12px" alignItems="center">
        {state === "playing" ? (
          <Press
            look="primary"
            onClick={() => {
              stop();
              setState("ready");
            }}
          >
            Stop
          </Press>
        ) : (
          <Press look="primary" disabled={!input.ready || busy} onClick={() => void play()}>
            {state === "sending" ? "Sending" : `Play and record ${num(kind.seconds, 0)} s`}
          </Press>
        )}
        <Press onClick={onClose}>Close</Press>
        <Box role="status" color="ink2" fontSize="13px">
          {state === "playing" && `${num(share * 100, 0)} %`}
        </Box>
      </Box>
    </Dialog>
  );
}
