/** The steps of the work in their order, each with its state in a few words. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { NavLink, useLocation } from "react-router";

import { api, ask, type Schemas } from "../api/client";
import { barWords } from "../playing/bars";
import { usePlayhead } from "../playing/playhead";
import { type Listening, usePlaying } from "../playing/usePlaying";
import type { SongContext } from "../song/context";
import { Pennant, Unseen } from "../ui/controls";

const STEPS = ["route", "time", "space", "blend", "listen", "verify", "log"] as const;
const COLOURS = { plain: "ink2", caution: "caution", passed: "ok", fault: "diff" } as const;

export function Steps({ context }: { context: SongContext }) {
  const { song, variant, clip, hand } = context;
  const sounding = usePlaying();
  const here = useLocation().pathname.split("/")[3];
  const query = useQuery({
    // By revision of the song alone: an edit of a rig asks for it again a moment later.
    queryKey: ["steps", song.id, song.revision, variant?.id, clip?.id],
    queryFn: () =>
      ask(
        api.GET("/api/v1/songs/{song_id}/steps", {
          params: { path: { song_id: song.id }, query: { variant: variant?.id, clip: clip?.id } },
        }),
      ),
    placeholderData: keepPreviousData,
    refetchOnMount: "always",
  });
  return (
    <Box
      as="nav"
      aria-label="Steps"
      display="flex"
      borderBottom="1.5px solid"
      borderColor="ink"
      position="relative"
      paddingRight="12px"
      overflowX="auto"
    >
      {STEPS.map((step) => {
        // Into a step at the tool that was left; from within it, to its beginning.
        const tool = here === step ? "" : hand.tools?.[step];
        return (
          <NavLink
            key={step}
            to={`/songs/${song.id}/${step}${tool ? `/${tool}` : ""}`}
            style={{ textDecoration: "none", color: "inherit", flex: "1 0 auto" }}
          >
            {({ isActive }) => (
              <Step
                name={step[0]!.toUpperCase() + step.slice(1)}
                state={query.data?.[step]}
                sounding={step === "listen" && sounding?.player.playing ? sounding : null}
                stale={query.isPlaceholderData}
                active={isActive}
              />
            )}
          </NavLink>
        );
      })}
      <Box
        aria-hidden
        marginLeft="auto"
        alignSelf="stretch"
        width="6px"
        borderInline="1.75px solid"
        borderColor="ink"
        marginTop="12px"
      />
    </Box>
  );
}

/** What plays, and where. */
function Plays({ sounding }: { sounding: Listening }) {
  const { position } = usePlayhead(sounding.player.head);
  const bar = barWords(sounding.bars, position).split(",")[0];
  return (
    <>
      plays {sounding.heard?.letter ?? ""}, bar {bar}
    </>
  );
}

function Step({
  name,
  state,
  sounding,
  stale,
  active,
}: {
  name: string;
  state: Schemas["StepState"] | undefined;
  /** What plays, shown in place of the state. */
  sounding: Listening | null;
  /** Of what stood there before: it waits for what is new. */
  stale: boolean;
  active: boolean;
}) {
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // On a phone the step that is open is brought into view.
    if (active) frame.current?.scrollIntoView({ block: "nearest", inline: "center" });
  }, [active]);
  const kind = sounding ? "passed" : (state?.kind ?? "plain");
  return (
    <Box
      ref={frame}
      display="flex"
      alignItems="center"
      gap="8px"
      minHeight={{ base: "44px", sm: "34px" }}
      paddingInline="10px 14px"
      borderLeft="1.5px solid"
      borderColor="ink"
      fontFamily="title"
      fontWeight="600"
      fontSize="15px"
      whiteSpace="nowrap"
      background={active ? "ink" : "transparent"}
      color={active ? "paper" : "ink"}
      _hover={active ? {} : { background: "well" }}
    >
      {name}
      {(state || sounding) && (
        <Box
          as="span"
          display={{ base: active ? "inline-flex" : "none", md: "inline-flex" }}
          alignItems="center"
          gap="4px"
          fontFamily="body"
          fontWeight="400"
          fontSize="13px"
          fontStyle={stale ? "italic" : undefined}
          color={active ? "paper" : COLOURS[kind]}
        >
          {kind === "caution" && <Pennant kind="caution" small />}
          {kind === "passed" && <span aria-hidden>✓</span>}
          {sounding ? <Plays sounding={sounding} /> : state?.words}
          {stale && <Unseen>, being computed</Unseen>}
        </Box>
      )}
    </Box>
  );
}
