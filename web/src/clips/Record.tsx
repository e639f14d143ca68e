/** Record a clip from an audio input: uncompressed, without the browser's own corrections. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { sentenceOf } from "../api/client";
import { uploadFile } from "../api/upload";
import { announce, Dialog, Press } from "../ui/controls";
import { clockFine, num } from "../ui/format";
import { Choice, Labelled } from "../ui/QuantityField";
import workletUrl from "./recorder.worklet.js?url&no-inline";

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

interface Input {
  context: AudioContext;
  stream: MediaStream;
  rate: number;
}

export function Recording({ songId, onClip, onClose }: Props & { onClose: () => void }) {
  const client = useQueryClient();
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  const [device, setDevice] = useState("");
  const [level, setLevel] = useState(0);
  const [seconds, setSeconds] = useState(0);
  const [state, setState] = useState<"opening" | "ready" | "recording" | "sending">("opening");
  const [fault, setFault] = useState("");
  const input = useRef<Input>(null);
  const blocks = useRef<Float32Array[][]>([]);
  const keeping = useRef(false);

  useEffect(() => {
    let gone = false;
    const open = async () => {
      let leave = () => undefined as void;
      try {
        // What an instrument gives, not what a call needs.
        const stream = await navigator.mediaDevices.getUserMedia({
          audio: {
            deviceId: device ? { exact: device } : undefined,
            echoCancellation: false,
            noiseSuppression: false,
            autoGainControl: false,
          },
        });
        leave = () => stream.getTracks().forEach((t) => t.stop());
        const context = new AudioContext();
        leave = () => {
          stream.getTracks().forEach((t) => t.stop());
          void context.close();
        };
        await context.audioWorklet.addModule(workletUrl);
        if (gone) return leave();
        const node = new AudioWorkletNode(context, "fonodrome-recorder", { numberOfOutputs: 0 });
        context.createMediaStreamSource(stream).connect(node);
        let held = 0;
        node.port.onmessage = (event: MessageEvent<Float32Array[]>) => {
          const channels = event.data;
          for (const c of channels) for (const s of c) held = Math.max(held, Math.abs(s));
          if (!keeping.current) return;
          blocks.current.push(channels);
        };
        const timer = setInterval(() => {
          setLevel(held);
          held = 0;
          const frames = blocks.current.reduce((sum, b) => sum + b[0]!.length, 0);
          setSeconds(frames / context.sampleRate);
        }, 100);
        context.addEventListener(
          "statechange",
          () => context.state === "closed" && clearInterval(timer),
        );
        input.current = { context, stream, rate: context.sampleRate };
        setDevices(
          (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "audioinput"),
        );
        setState("ready");
      } catch (problem) {
        // The microphone is not left open for a recorder that did not come.
        leave();
        input.current = null;
        const name = problem instanceof DOMException ? problem.name : "";
        setFault(
          name === "NotAllowedError"
            ? "The browser was not allowed to use the input. Allow it for this page, then open this again."
            : name === "NotFoundError"
              ? "No audio input was found. Connect one, then open this again."
              : "The audio input could not be opened. It may be in use elsewhere.",
        );
      }
    };
    void open();
    return () => {
      gone = true;
      keeping.current = false;
      input.current?.stream.getTracks().forEach((t) => t.stop());
      void input.current?.context.close();
      input.current = null;
    };
  }, [device]);

  const stop = async () => {
    keeping.current = false;
    const taken = blocks.current;
    const rate = input.current?.rate ?? 48_000;
    if (!taken.length) return setState("ready");
    setState("sending");
    const name = `Recording ${new Date().toISOString().slice(0, 19).replace("T", " ").replaceAll(":", "-")}.wav`;
    try {
      const file = new File([floatWav(taken, rate)], name);
      const clip = await uploadFile(songId, file, () => undefined, new AbortController().signal);
      await client.invalidateQueries({ queryKey: ["clips", songId] });
      blocks.current = [];
      onClip(clip.id);
      announce(`“${name}” is recorded.`, { kind: "passed" });
      onClose();
    } catch (problem) {
      // What was played stays here until it could be sent.
      setFault(`${sentenceOf(problem)} The recording is kept: press Stop and keep again.`);
      setState("recording");
    }
  };
  useEffect(() => {
    if (seconds > MOST_S && keeping.current) {
      keeping.current = false;
      announce("Ten minutes are recorded; that is as long as one recording gets.");
    }
  }, [seconds]);

  const db = 20 * Math.log10(Math.max(level, 1e-6));
  const width = Math.max(0, Math.min(100, ((db + 60) / 60) * 100));
  return (
    <Dialog title="Record a clip" onClose={onClose}>
      {fault && (
        <Box color="diff" role="alert" fontWeight="650" marginBottom="8px">
          {fault}
        </Box>
      )}
      <Labelled label="input">
        <Choice
          value={device}
          disabled={state === "recording"}
          onChange={(event) => {
            setState("opening");
            setFault("");
            setDevice(event.target.value);
          }}
        >
          <option value="">the system&apos;s own choice</option>
          {devices.map((d, i) => (
            <option key={d.deviceId || i} value={d.deviceId}>
              {d.label || `input ${i + 1}`}
            </option>
          ))}
        </Choice>
      </Labelled>
      <Box
        marginTop="10px"
        role="meter"
        aria-label="Input level"
        aria-valuemin={-60}
        aria-valuemax={0}
        aria-valuenow={Math.round(Math.max(-60, db))}
        position="relative"
        height="16px"
        background="sheet"
        border="1px solid"
        borderColor="edge"
      >
        <Box
          position="absolute"
          inset="0 auto 0 0"
          background={db > -1 ? "diff" : "ink"}
          style={{ width: `${width}%` }}
        />
      </Box>
      <Box display="flex" justifyContent="space-between" fontSize="13px" color="ink2">
        <span>−60 dBFS</span>
        <Box as="strong" color={db > -1 ? "diff" : "ink"}>
          {level > 0 ? `${num(db, 1)} dBFS${db > -1 ? ", too loud" : ""}` : "nothing comes in"}
        </Box>
        <span>0</span>
      </Box>
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
            disabled={state !== "ready"}
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

/** A 32-bit float WAV of blocks of channels. */
function floatWav(blocks: Float32Array[][], rate: number): ArrayBuffer {
  const channels = Math.min(2, Math.max(...blocks.map((b) => b.length)));
  const frames = blocks.reduce((sum, b) => sum + b[0]!.length, 0);
  const bytes = frames * channels * 4;
  const view = new DataView(new ArrayBuffer(44 + bytes));
  const word = (at: number, text: string) =>
    [...text].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
  word(0, "RIFF");
  view.setUint32(4, 36 + bytes, true);
  word(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 3, true);
  view.setUint16(22, channels, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, rate * channels * 4, true);
  view.setUint16(32, channels * 4, true);
  view.setUint16(34, 32, true);
  word(36, "data");
  view.setUint32(40, bytes, true);
  let at = 44;
  for (const block of blocks)
    for (let i = 0; i < block[0]!.length; i++)
      for (let c = 0; c < channels; c++) {
        view.setFloat32(at, (block[c] ?? block[0])![i]!, true);
        at += 4;
      }
  return view.buffer;
}
