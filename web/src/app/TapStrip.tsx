/** Taps as they fall, the tempo they give, and the ones that did not count. */
import { Box } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useCallback, useRef, useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../api/client";
import { Figure, Press } from "../ui/controls";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { useKey } from "../ui/keys";
import { ink } from "../ui/theme";

type TapTempo = Schemas["TapTempo"];
const MOST = 48;

export function useTaps(onTempo: (bpm: number) => void) {
  const [taps, setTaps] = useState<number[]>([]);
  const held = useRef<number[]>([]);
  const [found, setFound] = useState<TapTempo | null>(null);
  const [said, setSaid] = useState("");
  const turn = useRef(0);
  const { mutateAsync } = useMutation({
    mutationFn: (list: number[]) =>
      ask(api.POST("/api/v1/compute/tap-tempo", { body: { taps_ms: list } })),
  });
  const tap = useCallback(() => {
    held.current = [...held.current, performance.now()].slice(-MOST);
    const list = held.current;
    setTaps(list);
    const mine = ++turn.current;
    if (list.length < 2) {
      setFound(null);
      setSaid("Tap again on the next beat.");
      return;
    }
    mutateAsync(list)
      .then((result) => {
        if (mine !== turn.current) return;
        if (result.started_over_at > 0) held.current = list.slice(result.started_over_at);
        setFound(result);
        setSaid(result.sentence);
        onTempo(result.set_bpm);
      })
      .catch((fault) => {
        if (mine !== turn.current) return;
        setFound(null);
        setSaid(sentenceOf(fault));
        held.current = list.slice(-1);
      });
  }, [mutateAsync, onTempo]);
  useKey("everywhere", "T", tap);
  const clear = useCallback(() => {
    held.current = [];
    turn.current++;
    setTaps([]);
    setFound(null);
  }, []);
  return { taps, found, said, tap, clear, shown: taps.length > 0 };
}

export function TapStrip({ taps }: { taps: ReturnType<typeof useTaps> }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const { found, said, clear } = taps;
  const list = found ? taps.taps.slice(-found.used.length) : taps.taps;
  const first = list[found?.started_over_at ?? 0] ?? 0;
  const last = list.at(-1) ?? first;
  const x = scaleLinear([first, Math.max(last, first + 1)], [10, width - 10]);
  return (
    <Box
      as="section"
      aria-label="Taps"
      borderBottom="1px solid"
      borderColor="rule"
      paddingBlock="6px"
      display="grid"
      gridTemplateColumns={{ base: "1fr", md: "minmax(0, 1fr) auto" }}
      gap="6px 20px"
      alignItems="center"
    >
      <Box ref={frame} minWidth="0">
        <svg
          width={width}
          height="44"
          role="img"
          aria-label={`${list.length} taps`}
          display="block"
        >
          <rect x="0" y="2" width={width} height="40" fill={ink("sheet")} />
          <line x1="0" x2={width} y1="22" y2="22" stroke={ink("edge")} />
          {list.map((time, i) => {
            if (found && i < found.started_over_at) return null;
            const counted = found ? found.used[i] : true;
            const off = found?.offsets_ms[i];
            return (
              <g key={time}>
                <line
                  x1={x(time)}
                  x2={x(time)}
                  y1="8"
                  y2="36"
                  stroke={ink(counted ? "ink" : "diff")}
                  strokeWidth={counted ? 3 : 1.5}
                  strokeDasharray={counted ? undefined : "3 3"}
                />
                {!counted && (
                  <text
                    x={x(time) + (width - x(time) < 44 ? -4 : 4)}
                    y="38"
                    textAnchor={width - x(time) < 44 ? "end" : "start"}
                    fontSize="13"
                    fill={ink("diff")}
                  >
                    stray
                  </text>
                )}
                {off !== null && off !== undefined && (
                  <title>{`${signed(off, 1)} ms against the line`}</title>
                )}
              </g>
            );
          })}
        </svg>
      </Box>
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 14px">
        {found && (
          <Box fontSize="17px">
            <Figure label="Tapped tempo" value={num(found.bpm, 2)} unit="BPM" />
            {found.standard_error_bpm !== null && (
              <Box as="span" color="ink2" fontSize="14px">
                {" "}
                ± {num(found.standard_error_bpm, 2)}
              </Box>
            )}
          </Box>
        )}
        <Box color="ink2" fontSize="13px" role="status">
          {said}
        </Box>
        <Press look="quiet" onClick={clear}>
          Put away
        </Press>
      </Box>
    </Box>
  );
}
