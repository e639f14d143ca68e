/** An audio input as an instrument gives it: no echo cancelling, no gain that moves by itself. */
import { useEffect, useRef, useState } from "react";

import recorderUrl from "./recorder.worklet.js?url&no-inline";
import { type Block, peakOf } from "./wav";

const LOOK_MS = 100;

/** Why an input could not be opened, in a sentence. */
export function inputFault(problem: unknown): string {
  const name = problem instanceof DOMException ? problem.name : "";
  if (name === "NotAllowedError")
    return "The browser was not allowed to use the input. Allow it for this page, then open this again.";
  if (name === "NotFoundError")
    return "No audio input was found. Connect one, then open this again.";
  return "The audio input could not be opened. It may be in use elsewhere.";
}

export interface Input {
  ready: boolean;
  /** Largest sample of the last tenth of a second; 0 to 1. */
  level: number;
  devices: MediaDeviceInfo[];
  fault: string;
  context: () => AudioContext | null;
}

/** Open while it is used; what comes in goes to `onBlock`, and `onLook` is called ten times a second. */
export function useInput(
  device: string,
  onBlock: (block: Block) => void,
  onLook: (context: AudioContext) => void,
): Input {
  const [state, setState] = useState<{ ready: boolean; fault: string }>({
    ready: false,
    fault: "",
  });
  const [level, setLevel] = useState(0);
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  const open = useRef<AudioContext | null>(null);
  const latest = useRef({ onBlock, onLook });
  useEffect(() => {
    latest.current = { onBlock, onLook };
  });

  useEffect(() => {
    let gone = false;
    let leave = () => undefined as void;
    const start = async () => {
      try {
        const stream = await navigator.mediaDevices.getUserMedia({
          audio: {
            deviceId: device ? { exact: device } : undefined,
            echoCancellation: false,
            noiseSuppression: false,
            autoGainControl: false,
            channelCount: { ideal: 2 },
          },
        });
        leave = () => stream.getTracks().forEach((t) => t.stop());
        const context = new AudioContext();
        leave = () => {
          stream.getTracks().forEach((t) => t.stop());
          void context.close();
        };
        await context.audioWorklet.addModule(recorderUrl);
        if (gone) return leave();
        const node = new AudioWorkletNode(context, "fonodrome-recorder", { numberOfOutputs: 0 });
        context.createMediaStreamSource(stream).connect(node);
        let held = 0;
        node.port.onmessage = (event: MessageEvent<Block>) => {
          held = Math.max(held, peakOf(event.data.channels));
          latest.current.onBlock(event.data);
        };
        const timer = setInterval(() => {
          setLevel(held);
          held = 0;
          latest.current.onLook(context);
        }, LOOK_MS);
        leave = () => {
          clearInterval(timer);
          stream.getTracks().forEach((t) => t.stop());
          void context.close();
        };
        open.current = context;
        setDevices(
          (await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "audioinput"),
        );
        setState({ ready: true, fault: "" });
      } catch (problem) {
        // The microphone is not left open for a recorder that did not come.
        leave();
        open.current = null;
        setState({ ready: false, fault: inputFault(problem) });
      }
    };
    void start();
    return () => {
      gone = true;
      leave();
      open.current = null;
      setState({ ready: false, fault: "" });
    };
  }, [device]);
  return { ...state, level, devices, context: () => open.current };
}
