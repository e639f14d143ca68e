/** Something to find in each step, on the song itself: ticked off when it is, and explained. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useLocation } from "react-router";

import { api, ask } from "../api/client";
import { askForPictures } from "./Pictures";
import type { SongContext } from "../song/context";
import { Dialog, Press } from "../ui/controls";
import { useStill } from "../ui/hooks";

/** An edit is kept before it is looked at. */
const LOOK_MS = 900;
const WORDS = ["No", "One", "Two", "Three", "Four", "Five", "Six"];

function useToFind(context: SongContext) {
  const { song, variant, clip, hand, take } = context;
  const delay = Math.max(0, Number(hand.tools?.delay ?? 1) - 1 || 0);
  const revision = useStill(variant?.revision ?? 0, LOOK_MS);
  const query = useQuery({
    queryKey: [
      "exercises",
      song.id,
      song.revision,
      variant?.id,
      revision,
      clip?.id,
      hand.selected,
      delay,
    ],
    enabled: !hand.put_away,
    placeholderData: keepPreviousData,
    refetchOnMount: "always",
    queryFn: () =>
      ask(
        api.GET("/api/v1/songs/{song_id}/exercises", {
          params: {
            path: { song_id: song.id },
            query: { variant: variant?.id, clip: clip?.id, selected: hand.selected ?? "", delay },
          },
        }),
      ),
  });
  const all = query.data ?? [];
  const found = hand.found ?? [];
  const fresh = query.isPlaceholderData
    ? ""
    : all
        .filter((e) => e.met && !found.includes(e.id))
        .map((e) => e.id)
        .join("\n");
  useEffect(() => {
    if (fresh) take({ found: [...new Set([...found, ...fresh.split("\n")])].slice(-20) });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- what is found anew, once
  }, [fresh]);
  return all.map((e) => ({ ...e, found: found.includes(e.id) || e.met }));
}

export function ToFind({ context }: { context: SongContext }) {
  const { song, hand, take } = context;
  const { pathname } = useLocation();
  const step = pathname.split("/")[3] ?? "";
  const all = useToFind(context);
  const [listed, setListed] = useState(false);
  const [opened, setOpened] = useState("");
  const here = all.find((e) => e.step === step);
  if (hand.put_away) return null;
  const count = all.filter((e) => e.found).length;
  // The line keeps its height whatever it says: nothing under it moves.
  const explained = here !== undefined && opened === here.id;
  return (
    <Box
      as="section"
      aria-label="To find here"
      display="flex"
      flexWrap={{ base: "wrap", sm: explained ? "wrap" : "nowrap" }}
      gap="2px 12px"
      minHeight="31px"
      alignItems="baseline"
      borderBottom="1px solid"
      borderColor="rule"
      paddingBlock="3px"
      fontSize="14px"
    >
      <Box as="strong" whiteSpace="nowrap" color={here?.found ? "ok" : "ink"}>
        {here?.found ? "✓ Found." : "To find here:"}
      </Box>
      <Box
        flex="1"
        minWidth={{ base: "220px", sm: 0 }}
        whiteSpace={{ base: "normal", sm: explained ? "normal" : "nowrap" }}
        overflow="hidden"
        lineClamp={{ base: explained ? "none" : 2, sm: "none" }}
        textOverflow="ellipsis"
        title={here?.found ? here.explain : undefined}
      >
        {here ? (here.found ? here.explain : here.ask) : "nothing in this step yet."}
        {here && !here.found && explained && <Box color="ink2">{here.explain}</Box>}
      </Box>
      <Box display="flex" gap="2px 8px" alignItems="center" whiteSpace="nowrap">
        {here && (
          <Press
            look="quiet"
            minHeight="24px"
            aria-expanded={explained}
            onClick={() => setOpened(explained ? "" : here.id)}
          >
            {explained ? "Less" : "Explain"}
          </Press>
        )}
        <Press look="quiet" minHeight="24px" onClick={() => setListed(true)}>
          {count} of {all.length} found
        </Press>
        <Press look="quiet" minHeight="24px" onClick={() => take({ put_away: true })}>
          Put away{" "}
          <Box as="span" srOnly>
            things to find
          </Box>
        </Press>
      </Box>
      {listed && (
        <Dialog
          title={`${WORDS[all.length] ?? all.length} things to find on this song`}
          onClose={() => setListed(false)}
        >
          <Box as="ol">
            {all.map((e) => (
              <Box
                as="li"
                key={e.id}
                display="flex"
                gap="10px"
                paddingBlock="6px"
                borderTop="1px solid"
                borderColor="fine"
              >
                <Box minWidth="16px" color="ok" fontWeight="700">
                  {e.found ? "✓" : ""}
                </Box>
                <Box>
                  <Link
                    to={`/songs/${song.id}/${e.step}${e.tool ? `/${e.tool}` : ""}`}
                    style={{ color: "inherit", fontWeight: 650 }}
                    onClick={() => setListed(false)}
                  >
                    {e.ask}
                  </Link>
                  {e.found && (
                    <Box color="ink2" fontSize="13px">
                      {e.explain}
                    </Box>
                  )}
                </Box>
              </Box>
            ))}
          </Box>
          <Box marginTop="10px">
            <Press onClick={() => setListed(false)} hint="Esc">
              Close
            </Press>
          </Box>
        </Dialog>
      )}
    </Box>
  );
}

/** At the foot of every step: help, and what can be found here. */
export function Foot({ context, onHelp }: { context: SongContext; onHelp: () => void }) {
  const { hand, take } = context;
  return (
    <Box as="footer" display="flex" flexWrap="wrap" gap="4px 14px" marginTop="26px" fontSize="13px">
      <Press look="quiet" hint="?" onClick={onHelp}>
        Keys and words
      </Press>
      <Press look="quiet" hint="Shift K" onClick={askForPictures}>
        Keep pictures and tables
      </Press>
      {hand.put_away && (
        <Press look="quiet" onClick={() => take({ put_away: false })}>
          Things to find on this song
        </Press>
      )}
    </Box>
  );
}
