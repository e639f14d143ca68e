/** The rig heard: variants at equal loudness on one clock, wet against dry moved live, tests by ear. */
import { Box } from "@chakra-ui/react";
import { NavLink } from "react-router";

import type { RigSummary } from "../../api/client";
import { useSongContext } from "../../song/context";
import { Empty, SheetTitle } from "../../ui/controls";
import { BalancePart } from "./BalancePart";
import { Beneath } from "./Beneath";
import { Head } from "./Head";
import { Heard } from "./Heard";
import { Transport } from "./Transport";
import { useListening } from "./useListening";

export default function ListenStep() {
  const { rig } = useSongContext();
  if (!rig)
    return (
      <Box>
        <SheetTitle page>Listening</SheetTitle>
        <Empty action={<NavLink to="../route?new=1">Begin a rig</NavLink>}>
          There is no rig to hear yet.
        </Empty>
      </Box>
    );
  return <Listening key={rig.id} rig={rig} />;
}

function Listening({ rig }: { rig: RigSummary }) {
  const l = useListening(rig);
  const { done, heard, looped, setLooped, matched, setMatched, basis, setBasis, inTrial, other } =
    l;
  const { playing, loading, position, toggles, play, stop, change } = l.player;
  return (
    <Box>
      <Head l={l} />
      <Heard l={l} />
      <BalancePart l={l} />
      <Beneath l={l} />
      <Transport
        playing={playing}
        loading={loading}
        ready={!!heard && !inTrial}
        onPlay={() => (playing ? stop() : heard && void play(heard.id, position))}
        toggles={toggles}
        onToggles={change}
        difference={
          other && heard
            ? {
                id: other.id,
                words: `Difference ${heard.letter} − ${toggles.difference ? (done.find((s) => s.id === toggles.difference)?.letter ?? other.letter) : other.letter}`,
              }
            : null
        }
        looped={looped}
        onLoop={setLooped}
        matched={matched}
        onMatched={setMatched}
        basis={basis}
        onBasis={setBasis}
      />
      <Box fontSize="13px" color="ink2" marginTop="4px">
        The other sources are silent. Playback fades in and stays below −1 dBFS. Long loud work
        harms hearing: take breaks, and follow your local noise-exposure rules.
      </Box>
    </Box>
  );
}
