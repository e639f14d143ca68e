/** Hear A, the matched B and the residual, switched without a gap; cautions where they belong. */
import { Box, chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState } from "react";

import type { NullTestDetail } from "../../api/client";
import { useKey } from "../../ui/keys";
import { announce, Hint, Press } from "../../ui/controls";
import { clockFine, num, signed } from "../../ui/format";
import { Choice } from "../../ui/QuantityField";
import { playOnly } from "../../ui/only";
import { factorOf, type Sums } from "./balance";
import { EXCERPT_S, keptStretch, stretch } from "./stretch";
import { ByHand } from "./ByHand";
import { Player, type Voice, VOICES } from "./player";

const NAMES: Record<Voice, string> = { a: "A", b: "B, matched", residual: "Residual" };
const RAISES = [0, 10, 20, 30, 40];

/** Somewhere to listen to: seconds from the start of A's region; each turn is a press. */
export interface Place {
  /** Null: where the residual is loudest. */
  seconds: number | null;
  turn: number;
  /** The residual with only so many corrections done; none for all that match. */
  after?: number | null;
}

export function Audition({ test, place }: { test: NullTestDetail; place: Place | null }) {
  const result = test.result!;
  const [voice, setVoice] = useState<Voice>("a");
  const [playing, setPlaying] = useState(false);
  const [loading, setLoading] = useState(false);
  const [raise, setRaise] = useState(0);
  const [at, setAt] = useState(0);
  const [trim, setTrim] = useState(0);
  const [sums, setSums] = useState<Sums | null>(null);
  const player = useRef<Player | null>(null);
  const most = result.residual_listening_gain_db;
  const worst = result.timeline.worst_at_s ?? result.compared_start_s;
  // A place that was chosen is heard from a second before it.
  const seconds = place?.seconds ?? null;
  const wanted = seconds === null ? worst - EXCERPT_S / 3 : seconds - 1;
  const after = place?.after ?? null;
  const { from, length } =
    keptStretch(result, after) ??
    stretch(result, wanted - result.compared_start_s, seconds === null ? EXCERPT_S : 2);
  const url = useCallback(
    (name: Voice) => {
      const step = name === "residual" && after !== null ? `&after=${after}` : "";
      const part = `start_s=${from.toFixed(6)}&length_s=${length.toFixed(6)}`;
      return `/api/v1/null-tests/${test.id}/audio/${name}?${part}${step}`;
    },
    [test.id, from, length, after],
  );

  useEffect(
    () => () => {
      player.current?.close();
      player.current = null;
    },
    [url],
  );

  useEffect(() => {
    if (!playing) return;
    const timer = setInterval(() => setAt(player.current?.position() ?? 0), 100);
    return () => clearInterval(timer);
  }, [playing]);

  const stop = useCallback(() => {
    player.current?.stop();
    setPlaying(false);
  }, []);
  const play = async (name: Voice, gain: number) => {
    try {
      if (!player.current) {
        setLoading(true);
        const made = new Player();
        await made.load({ a: url("a"), b: url("b"), residual: url("residual") });
        player.current = made;
        setSums(made.sums);
      }
      playOnly(stop);
      player.current.balance(factorOf(trim));
      await player.current.play(name, Math.min(gain, most));
      setVoice(name);
      setPlaying(true);
    } catch {
      announce("The sound could not be loaded. Try again.", { kind: "fault" });
    } finally {
      setLoading(false);
    }
  };
  const turn = place?.turn ?? 0;
  useEffect(() => {
    if (turn === 0) return;
    queueMicrotask(() => void play("residual", raise));
    // Only a press starts it, not what it is played with.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [turn]);
  const choose = (name: Voice) => {
    // Leaving the residual puts its raise back, so that it never waits there turned up.
    const gain = name === "residual" ? raise : 0;
    if (voice === "residual" && name !== "residual") setRaise(0);
    setVoice(name);
    player.current?.switchTo(name, Math.min(gain, most));
  };
  const balance = (db: number) => {
    setTrim(db);
    player.current?.balance(factorOf(db));
  };
  const turnUp = (gain: number) => {
    setRaise(gain);
    if (voice === "residual") player.current?.switchTo("residual", Math.min(gain, most));
  };
  useKey("result", "Space", () =>
    playing ? stop() : void play(voice, voice === "residual" ? raise : 0),
  );
  useKey("result", "A", () => choose("a"));
  useKey("result", "B", () => choose("b"));
  useKey("result", "D", () => choose("residual"));

  return (
    <Box
      as="section"
      aria-label="Listen"
      borderTop="1.5px solid"
      borderColor="ink"
      marginTop="14px"
      paddingTop="10px"
      display="flex"
      flexWrap="wrap"
      gap="8px 16px"
      alignItems="center"
    >
      <Press
        look="primary"
        hint="Space"
        disabled={loading}
        onClick={() => (playing ? stop() : void play(voice, voice === "residual" ? raise : 0))}
      >
        {loading ? "Loading" : playing ? "Stop" : "Play"}
      </Press>
      <Box role="radiogroup" aria-label="Hear" display="flex">
        {VOICES.map((name, i) => (
          <chakra.button
            key={name}
            type="button"
            role="radio"
            aria-checked={voice === name}
            onClick={() => choose(name)}
            display="flex"
            alignItems="center"
            gap="8px"
            minHeight={{ base: "44px", sm: "31px" }}
            paddingInline="12px"
            border="1px solid"
            borderColor="ink"
            marginLeft={i ? "-1px" : 0}
            background={voice === name ? "ink" : "transparent"}
            color={voice === name ? "paper" : "ink"}
            fontWeight="600"
            cursor="pointer"
          >
            {NAMES[name]}
            <Hint>{"ABD"[i]}</Hint>
          </chakra.button>
        ))}
      </Box>
      <chakra.label display="flex" alignItems="center" gap="6px" color="ink2" fontSize="13px">
        raise the residual
        <Choice
          aria-label="Raise the residual"
          width="auto"
          value={raise}
          onChange={(event) => turnUp(Number(event.target.value))}
        >
          {RAISES.map((gain) => (
            <option key={gain} value={gain} disabled={gain > most && gain > 0}>
              {gain ? `${signed(gain, 0)} dB` : "as it is"}
            </option>
          ))}
        </Choice>
      </chakra.label>
      <Box color="ink2" fontSize="13px" role="timer">
        {clockFine(result.compared_start_s + from + at)},{" "}
        {num(Math.min(length, result.compared_s), 0)} s loop
      </Box>
      {after !== null && (
        <Box fontSize="13px" role="status" aria-label="Residual heard">
          Residual{" "}
          <strong>
            {after === 0
              ? "as delivered"
              : `after step ${after}, ${result.to_set[after - 1]!.words}`}
          </strong>
        </Box>
      )}
      <Box flex="1" />
      <Box display="flex" flexWrap="wrap" gap="4px 12px">
        {(["b", "residual"] as const).map((name) => (
          <Box asChild key={name} fontWeight="600">
            <a
              href={`/api/v1/null-tests/${test.id}/audio/${name}`}
              download
              style={{ color: "inherit", textUnderlineOffset: 3 }}
            >
              Download {name === "b" ? "B, matched" : "the residual"}
            </a>
          </Box>
        ))}
      </Box>
      {result.gain_db !== null && after === null && (
        <ByHand test={test} asked={sums !== null} sums={sums} trim={trim} onTrim={balance} />
      )}
      <Box as="p" flexBasis="100%" color="ink2" fontSize="13px">
        <Box as="strong" color="caution">
          Caution.
        </Box>{" "}
        A residual is quiet: do not turn your monitors up for it, A follows at full level. Its raise
        is limited to {signed(Math.max(0, most), 0)} dB here, fades in, and goes back when you leave
        it. Long loud work harms hearing: take breaks, and follow your local noise-exposure rules.
      </Box>
    </Box>
  );
}
