/** The rig heard: its sources together, variants at equal loudness on one clock, balanced live. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";
import { NavLink, useNavigate } from "react-router";

import { type Listening, usePlaying } from "../../playing/usePlaying";
import { stepped } from "../../playing/wet";
import { announce, Empty, SheetTitle } from "../../ui/controls";
import { useKey } from "../../ui/keys";
import { StandingLine } from "../../wishes/StandingLine";
import { BalancePart } from "./BalancePart";
import { Beneath, type Sheet } from "./Beneath";
import { Head } from "./Head";
import { Heard } from "./Heard";
import { useHeld } from "./heard-keys";
import { MoveLane } from "./MoveLane";
import { SearchPart } from "./SearchPart";
import { Sources } from "./Sources";
import { Transport } from "./Transport";
import { Working } from "./Working";

export default function ListenStep() {
  const l = usePlaying();
  if (!l)
    return (
      <Box>
        <SheetTitle page>Listening</SheetTitle>
        <Empty action={<NavLink to="../route?new=1">Begin a rig</NavLink>}>
          There is no rig to hear yet.
        </Empty>
      </Box>
    );
  return <Heart l={l} />;
}

function Heart({ l }: { l: Listening }) {
  const [sheet, setSheet] = useState<Sheet>("trial");
  const [chosen, setChosen] = useState("");
  const navigate = useNavigate();
  const source = l.feeds.data?.sources.find((s) => s.source === chosen)
    ? chosen
    : (l.feeds.data?.sources[0]?.source ?? "");
  const { done, heard, inTrial, other } = l;
  const { toggles, change } = l.player;
  useListenKeys(l);
  return (
    <Box>
      <Head l={l} />
      <Heard l={l}>
        <Sources l={l} chosen={source} onChoose={setChosen} />
        <Working l={l} />
        {!inTrial && <MoveLane l={l} />}
      </Heard>
      {l.variant && !inTrial && (
        <StandingLine variant={l.variant} onOpen={() => void navigate("../route?sheet=wishes")} />
      )}
      <BalancePart l={l} />
      {toggles.difference && <SearchPart l={l} />}
      <Beneath l={l} sheet={sheet} setSheet={setSheet} />
      <Transport
        l={l}
        toggles={toggles}
        onToggles={change}
        difference={
          other && heard && !inTrial
            ? {
                id: other.id,
                words: `Difference ${heard.letter} − ${toggles.difference ? (done.find((s) => s.id === toggles.difference)?.letter ?? other.letter) : other.letter}`,
              }
            : null
        }
      />
      <Box fontSize="13px" color="ink2" marginTop="4px">
        Playback fades in and is clipped at −1 dBFS. Long loud work harms hearing: take breaks, and
        follow your local noise-exposure rules.
      </Box>
    </Box>
  );
}

function useListenKeys(l: Listening) {
  const { idle, route, wet, heard, other, done, bare, looped, setLooped } = l;
  const { toggles, change, play } = l.player;
  const wanted = heard?.id.split(" ")[0] ?? "";
  useKey("listen", "Space", () => l.toggle(), idle);
  useKey(
    "listen",
    "C",
    () => {
      const capture = `${wanted} capture`;
      if (done.some((s) => s.id === capture)) l.hear(heard?.id === capture ? wanted : capture);
      else announce("This variant has no capture yet.");
    },
    idle,
  );
  useKey("listen", "0", () => done.includes(bare) && l.hear(bare.id), idle);
  useKey("listen", "M", () => change({ mono: !toggles.mono }));
  useKey("listen", "W", () => change({ swap: !toggles.swap }));
  useKey("listen", "P", () => change({ right: !toggles.right }));
  useKey("listen", "Q", () => change({ left: !toggles.left }));
  useKey(
    "listen",
    "D",
    () => change({ difference: toggles.difference ? null : (other?.id ?? null) }),
    idle,
  );
  useKey("listen", "R", () => setLooped(!looped), idle);
  useKey("listen", "Home", () => heard && void play(heard.id, 0), idle);
  useKey("listen", "[", () => route !== null && l.balanceTo(stepped(wet, -0.5)), idle);
  useKey("listen", "]", () => route !== null && l.balanceTo(stepped(wet, 0.5)), idle);
  useHeld("e", (held) => change({ exaggerate: held }));
}
