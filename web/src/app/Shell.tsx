/** Round every step of a song: what is in hand, the steps and their states, what is unsent, the taps. */
import { Box } from "@chakra-ui/react";
import { useEffect } from "react";
import { Navigate, NavLink, Outlet, useLocation, useNavigate, useParams } from "react-router";

import { type Section, sentenceOf } from "../api/client";
import { useReadyClips } from "../clips/queries";
import { useFlow, useListed, useOutbox } from "../rigs/edits";
import { useRigs } from "../rigs/queries";
import { PlayingProvider } from "../playing/PlayingProvider";
import { frameOf, type SongContext, useSongContext } from "../song/context";
import { EMPTY, type Hand, heldOf, leftAt, placeOf, useHand } from "../song/hand";
import { useSong } from "../song/useSong";
import { Notice, Waiting } from "../ui/controls";
import { askForHelp, useKey } from "../ui/keys";
import { Find } from "./Find";
import { Header } from "./Header";
import { Mark } from "../ui/Mark";
import { NoNetwork } from "../ui/NoNetwork";
import { SavedRibbon } from "./SavedState";
import { Steps } from "./Steps";
import { TapStrip, useTaps } from "./TapStrip";
import { Foot, ToFind } from "./ToFind";

/** Before the rigs are there. */
const NONE: never[] = [];

export function Shell() {
  const { songId = "" } = useParams();
  return <SongShell key={songId} songId={songId} />;
}

/** A song without a step: the one that was left. */
export function Resume() {
  const { hand } = useSongContext();
  return <Navigate to={placeOf(hand)} replace />;
}

function SongShell({ songId }: { songId: string }) {
  const handle = useSong(songId);
  const { song, error } = handle;
  const { hand, take } = useHand(songId, song?.hand);
  const rigs = useRigs(songId);
  const clips = useReadyClips(songId);
  const flow = useFlow();
  const setSection = (changes: Partial<Section>) => {
    if (song) {
      const [first, ...rest] = song.tempo_map;
      handle.edit({ tempo_map: [{ ...first!, ...changes }, ...rest] });
    }
  };
  const taps = useTaps((bpm) => setSection({ tempo_bpm: bpm }));
  const held = heldOf(hand ?? EMPTY, rigs.data ?? [], clips, song?.space?.clip);
  const inHand = held.variant?.id;
  useOutbox((variant) => {
    if (variant.select && variant.id === inHand) take({ selected: variant.select });
  });
  useListed(rigs.data ?? NONE);
  usePlace(hand?.step, hand?.tools, take);
  useHanded(take);
  useVariantKeys((n) => {
    const one = held.rig?.variants[n - 1];
    if (one) take({ variant: one.id, selected: "" });
  });
  if (!song && error) {
    return (
      <Box padding="20px" maxWidth="640px">
        <Mark />
        <Notice kind="fault" word="Not opened." actions={<NavLink to="/">All songs</NavLink>}>
          {sentenceOf(error)}
        </Notice>
      </Box>
    );
  }
  if (!song || !hand || (!rigs.data && !rigs.isError)) return <Waiting />;
  const context: SongContext = {
    ...handle,
    ...held,
    song,
    section: song.tempo_map[0]!,
    frame: frameOf(song),
    hand,
    take,
    rigs: rigs.data ?? [],
    clips,
  };
  return (
    <Box
      maxWidth="1600px"
      marginInline="auto"
      paddingInline={{ base: "12px", sm: "20px" }}
      paddingBottom="64px"
    >
      <Header context={context} flow={flow} setSection={setSection} onTap={taps.tap} />
      <NoNetwork />
      <SavedRibbon handle={handle} song={song} flow={flow} />
      <PlayingProvider context={context}>
        <Steps context={context} />
        {taps.shown && <TapStrip taps={taps} />}
        <ToFind context={context} />
        <Box as="main" paddingTop="10px">
          {rigs.isError ? (
            <Notice kind="fault" word="Not opened.">
              {sentenceOf(rigs.error)}
            </Notice>
          ) : (
            <Outlet context={context} />
          )}
        </Box>
      </PlayingProvider>
      <Foot context={context} onHelp={askForHelp} />
      <Find
        song={{
          id: song.id,
          setTempo: (tempo_bpm) => setSection({ tempo_bpm }),
          setDelay: (delay_value) => handle.edit({ delay_value }),
        }}
      />
    </Box>
  );
}

/** The step and tool that the address names are what the song is opened at next. */
function usePlace(
  step: string | undefined,
  tools: Record<string, string> | undefined,
  take: (more: { step: string; tools: Record<string, string> }) => void,
): void {
  const { pathname } = useLocation();
  const [here, tool] = leftAt(pathname);
  useEffect(() => {
    // The pages of names and deleted things and of links are no steps.
    if (!step || !here || here === "rigs" || here === "share") return;
    const known = tools ?? {};
    if (here === step && (known[here] ?? "") === tool) return;
    const next = { ...known, [here]: tool };
    if (!tool) delete next[here];
    take({ step: here, tools: next });
  }, [here, tool, step, tools, take]);
}

/** What is to be in hand where one was sent to; once, so that a reload does not ask for it again. */
function useHanded(take: (more: Partial<Hand>) => void): void {
  const { state, pathname } = useLocation() as {
    state: { take?: Partial<Hand> } | null;
    pathname: string;
  };
  const navigate = useNavigate();
  const given = state?.take;
  useEffect(() => {
    if (!given) return;
    if (Object.keys(given).length) take(given);
    void navigate(pathname, { replace: true, state: null });
  }, [given, pathname, take, navigate]);
}

/** Digits are the variants of the rig in hand, in every step. */
function useVariantKeys(open: (n: number) => void): void {
  for (let n = 1; n <= 9; n++) {
    // eslint-disable-next-line react-hooks/rules-of-hooks -- nine keys, always the same nine
    useKey("everywhere", String(n), () => open(n));
  }
}
