/** What stands round the lanes of Listen: their heads at the left, the bar to play with below. */
import { Box, chakra } from "@chakra-ui/react";

import { useEffect, useState } from "react";
import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { api, ask, sentenceOf } from "../../api/client";
import { announce, Hint, Press, Unseen } from "../../ui/controls";
import { Choice } from "../../ui/QuantityField";
import { type Side, sidesOf } from "../../playing/sides";
import type { Toggles } from "../../playing/toggles";
import type { Listening } from "../../playing/usePlaying";
import type { Sound } from "../../playing/useRenders";
import { Toggle } from "./Parts";

interface HeadProps {
  sound: Sound;
  /** Shown where it is one key. */
  keyName: string;
  heard: boolean;
  playing: boolean;
  locked: boolean;
  onHear: () => void;
}

export function LaneHead({ sound: s, keyName, heard, playing, locked, onHear }: HeadProps) {
  const ready = !!s.render?.audible && !!s.render.report;
  return (
    <Box
      minHeight="29px"
      display="flex"
      alignItems="center"
      gap="8px"
      background={heard && ready ? "well" : undefined}
      borderLeft="3px solid"
      borderColor={heard && ready ? "ink" : "transparent"}
      paddingLeft="4px"
    >
      <chakra.button
        type="button"
        aria-pressed={heard && playing}
        disabled={!ready || locked}
        onClick={onHear}
        cursor="pointer"
        background="transparent"
        border="0"
        padding="0"
        minHeight={{ base: "44px", sm: "27px" }}
        display="flex"
        alignItems="center"
        gap="8px"
        textAlign="left"
        _disabled={{ color: "ink2", cursor: "default" }}
      >
        {ready && keyName.length === 1 && <Hint>{keyName}</Hint>}
        <Unseen>Hear </Unseen>
        <Box as="strong" fontWeight="650">
          {s.letter}
        </Box>
        <Box
          as="span"
          overflow="hidden"
          whiteSpace="nowrap"
          textOverflow="ellipsis"
          maxWidth="130px"
        >
          {s.name}
        </Box>
      </chakra.button>
    </Box>
  );
}

/** The sound that is heard against the other, as rendered, under Verify. */
function NullPress({ l }: { l: Listening }) {
  const navigate = useNavigate();
  const { song, heard, other, done } = l;
  const { toggles } = l.player;
  const against = done.find((s) => s.id === toggles.difference && s.id !== heard?.id) ?? other;
  const [others, setOthers] = useState(false);
  const sides = sidesOf(done);
  const [a, setA] = useState("");
  const [b, setB] = useState("");
  const find = (key: string) => sides.find((s) => s.key === key);
  const one = find(a) ?? find(heard?.id ?? "");
  const two = find(b) ?? find(against?.id ?? "") ?? sides.find((s) => s.key !== one?.key);
  const start = useMutation({
    mutationFn: (body: { a: Side; b: Side }) =>
      ask(
        api.POST("/api/v1/songs/{song_id}/null-of-renders", {
          params: { path: { song_id: song.id } },
          body,
        }),
      ),
    onSuccess: (test) => void navigate(`/songs/${song.id}/verify/${test.id}`),
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const ready = heard?.render?.status === "done" && against?.render?.status === "done";
  const pick = (label: string, value: string, set: (key: string) => void) => (
    <Choice
      aria-label={label}
      width="auto"
      maxWidth="230px"
      value={value}
      onChange={(event) => set(event.target.value)}
    >
      {sides.map((s) => (
        <option key={s.key} value={s.key}>
          {s.words}
        </option>
      ))}
    </Choice>
  );
  return (
    <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 8px">
      {others && one && two ? (
        <>
          {pick("One side of the null", one.key, setA)}
          <span>against</span>
          {pick("Its other side", two.key, setB)}
          <Press
            disabled={start.isPending || one.key === two.key}
            onClick={() => start.mutate({ a: one.side, b: two.side })}
          >
            Null them
          </Press>
          <Press look="quiet" onClick={() => setOthers(false)}>
            Back
          </Press>
        </>
      ) : (
        <>
          {against && (
            <Press
              look="quiet"
              disabled={!ready || start.isPending}
              onClick={() =>
                start.mutate({
                  a: { render: heard!.render!.id, path: "", before: false },
                  b: { render: against.render!.id, path: "", before: false },
                })
              }
            >
              Null {heard?.letter} against {against.letter}
            </Press>
          )}
          <Press look="quiet" disabled={sides.length < 2} onClick={() => setOthers(true)}>
            {against ? "Null others" : "Null what is here"}
          </Press>
        </>
      )}
    </Box>
  );
}

interface Props {
  l: Listening;
  toggles: Toggles;
  onToggles: (more: Partial<Toggles>) => void;
  /** What would be taken away from what is heard; null where there is nothing. */
  difference: { id: string; words: string } | null;
}

export function Transport({ l, toggles, onToggles, difference }: Props) {
  const { looped, setLooped: onLoop, matched, setMatched: onMatched, basis, setBasis: onBasis } = l;
  const { playing, loading } = l.player;
  useEffect(() => {
    // What is brought into view does not stop under the bar that stays at the foot.
    const page = document.documentElement.style;
    page.scrollPaddingBottom = "110px";
    return () => {
      page.scrollPaddingBottom = "";
    };
  }, []);
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      gap="8px 12px"
      alignItems="center"
      marginTop="14px"
      paddingTop="10px"
      borderTop="1px solid"
      borderColor="rule"
      position={{ base: "static", md: "sticky" }}
      bottom="0"
      background="paper"
      paddingBottom="8px"
      zIndex="1"
    >
      <Press look="primary" hint="Space" disabled={loading || l.inTrial} onClick={() => l.toggle()}>
        {loading ? "Loading" : playing ? "Stop" : l.awaited ? "Wait no longer" : "Play"}
      </Press>
      <Box display="flex" flexWrap="wrap">
        <Toggle
          word="Mono"
          keyName="M"
          on={toggles.mono}
          onTurn={() => onToggles({ mono: !toggles.mono })}
        />
        <Toggle
          word="Swap sides"
          keyName="W"
          on={toggles.swap}
          onTurn={() => onToggles({ swap: !toggles.swap })}
        />
        <Toggle
          word="Invert left"
          keyName="Q"
          on={toggles.left}
          onTurn={() => onToggles({ left: !toggles.left })}
        />
        <Toggle
          word="Invert right"
          keyName="P"
          on={toggles.right}
          onTurn={() => onToggles({ right: !toggles.right })}
        />
        <Toggle
          word={difference?.words ?? "Difference"}
          keyName="D"
          on={toggles.difference !== null}
          onTurn={() =>
            onToggles({ difference: toggles.difference ? null : (difference?.id ?? null) })
          }
        />
        <Toggle word="Loop" keyName="R" on={looped} onTurn={() => onLoop(!looped)} />
      </Box>
      <label>
        <input
          type="checkbox"
          checked={matched}
          onChange={(event) => onMatched(event.target.checked)}
        />{" "}
        at equal loudness
      </label>
      {matched && (
        <Choice
          aria-label="What is matched"
          width="auto"
          value={basis}
          onChange={(event) => onBasis(event.target.value as "whole" | "wet")}
        >
          <option value="whole">of the whole</option>
          <option value="wet">of the wet alone</option>
        </Choice>
      )}
      {l.done.length > 0 && !l.inTrial && <NullPress l={l} />}
      {!matched && (
        <Box as="span" color="caution" fontWeight="650">
          Not matched: what is louder will seem better.
        </Box>
      )}
    </Box>
  );
}
