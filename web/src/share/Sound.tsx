/** A sound that was shared: it fades in, and never plays louder than it is. */
import { Box } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState } from "react";

import { Press } from "../ui/controls";
import { clockFine } from "../ui/format";
import { playOnly } from "../ui/only";
import { ink } from "../ui/theme";
import { fadedIn, volumeFor } from "./sharing";

interface Props {
  url: string;
  title: string;
  seconds: number | null;
  peakDbfs: number | null;
}

export function Sound({ url, title, seconds, peakDbfs }: Props) {
  const [sound, setSound] = useState<HTMLAudioElement | null>(null);
  const [at, setAt] = useState(0);
  const [said, setSaid] = useState("");
  const frame = useRef(0);
  const element = useRef<HTMLAudioElement | null>(null);
  const stop = useCallback(() => {
    element.current?.pause();
    cancelAnimationFrame(frame.current);
    setSound(null);
  }, []);
  useEffect(() => stop, [stop]);
  const play = async () => {
    element.current ??= new Audio();
    const audio = element.current;
    if (!audio.src) audio.src = url;
    const volume = volumeFor(peakDbfs);
    audio.volume = 0;
    audio.onended = stop;
    playOnly(stop);
    try {
      await audio.play();
    } catch {
      setSaid("It cannot be played: the link may have been taken back, or the browser refuses.");
      return;
    }
    setSaid("");
    setSound(audio);
    const began = performance.now();
    const follow = () => {
      audio.volume = fadedIn(volume, performance.now() - began);
      setAt(audio.currentTime);
      frame.current = requestAnimationFrame(follow);
    };
    follow();
  };
  const whole = seconds ?? 0;
  return (
    <Box borderBottom="1px solid" borderColor="rule" paddingBlock="8px">
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="center">
        <Press
          look={sound ? "plain" : "primary"}
          named={title}
          onClick={sound ? stop : () => void play()}
        >
          {sound ? "Stop" : "Play"}
        </Press>
        <Box flex="1 1 200px" overflowWrap="anywhere">
          {title}
        </Box>
        <Box color="ink2">
          {clockFine(at)}
          {whole > 0 && ` of ${clockFine(whole)}`}
        </Box>
      </Box>
      {whole > 0 && (
        <svg width="100%" height="8" viewBox="0 0 100 8" preserveAspectRatio="none" aria-hidden>
          <line x1="0" x2="100" y1="4" y2="4" stroke={ink("edge")} />
          <rect
            x="0"
            y="2"
            width={Math.min(100, (100 * at) / whole)}
            height="4"
            fill={ink("ink")}
          />
        </svg>
      )}
      {said && (
        <Box color="diff" role="alert">
          {said}
        </Box>
      )}
    </Box>
  );
}
