/** Links to share of a song: made, copied, taken back. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";

import { api, ask, sentenceOf } from "../api/client";
import { useSongContext } from "../song/context";
import { announce, copyText, Notice, Press, SheetTitle } from "../ui/controls";
import { dateAndTime } from "../ui/format";
import { Choice, Labelled } from "../ui/QuantityField";
import { Tick } from "../ui/Tick";
import { type Link, namedIn, runsOut, thingsOf } from "./sharing";

const DAYS = [1, 7, 14, 30, 90, 365];

export default function SharePage() {
  const { song, rigs } = useSongContext();
  const [search] = useSearchParams();
  const client = useQueryClient();
  const at = { params: { path: { song_id: song.id } } };
  const links = useQuery({
    queryKey: ["links", song.id],
    queryFn: () => ask(api.GET("/api/v1/songs/{song_id}/links", at)),
  });
  const tests = useQuery({
    queryKey: ["null-tests", song.id],
    queryFn: () => ask(api.GET("/api/v1/songs/{song_id}/null-tests", at)),
  });
  const bench = useQuery({
    queryKey: ["measurements", song.id],
    queryFn: () => ask(api.GET("/api/v1/songs/{song_id}/measurements", at)),
  });
  const renders = useQueries({
    queries: rigs.map((rig) => ({
      queryKey: ["renders-to-share", rig.id],
      queryFn: () =>
        ask(api.GET("/api/v1/rigs/{rig_id}/renders", { params: { path: { rig_id: rig.id } } })),
    })),
    combine: (found) =>
      found.flatMap((one, n) =>
        (one.data ?? [])
          .filter((r) => r.status === "done")
          .map((r) => ({
            id: r.id,
            title: `${rigs[n]!.name} ${r.letter}, ${r.output}`,
            bare: r.bare,
          })),
      ),
  });
  const things = thingsOf({
    rigs,
    tests: tests.data ?? [],
    measurements: bench.data ?? [],
  });
  const [chosen, setChosen] = useState(() => namedIn(search));
  const [days, setDays] = useState(14);
  const [named, setNamed] = useState(false);
  const [heard, setHeard] = useState<string[]>([]);
  const thing = things.find((t) => t.key === chosen);
  const again = () => client.invalidateQueries({ queryKey: ["links", song.id] });
  const make = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/links", {
          ...at,
          body: { kind: thing!.kind, thing: thing!.thing, renders: heard, days, with_name: named },
        }),
      ),
    onSuccess: again,
  });
  const takeBack = useMutation({
    mutationFn: (one: Link) =>
      ask(api.DELETE("/api/v1/links/{link_id}", { params: { path: { link_id: one.id } } })),
    onSuccess: (_, one) => {
      announce(`The link to “${one.title}” leads nowhere from now on.`);
      return again();
    },
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const send = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <Box maxWidth="860px">
      <SheetTitle page about="whoever has the link sees it, without an account, until it runs out">
        Share
      </SheetTitle>
      <form onSubmit={send}>
        <Box
          display="grid"
          gap="12px 20px"
          gridTemplateColumns={{ base: "minmax(0, 1fr)", sm: "minmax(0, 2fr) minmax(0, 1fr)" }}
          marginTop="10px"
        >
          <Labelled label="What is seen">
            <Choice value={thing ? chosen : ""} onChange={(e) => setChosen(e.target.value)}>
              {!thing && <option value="">looking for it</option>}
              {things.map((t) => (
                <option key={t.key} value={t.key}>
                  {t.name}
                </option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label="For how long">
            <Choice value={days} onChange={(e) => setDays(Number(e.target.value))}>
              {DAYS.map((n) => (
                <option key={n} value={n}>
                  {n === 1 ? "1 day" : `${n} days`}
                </option>
              ))}
            </Choice>
          </Labelled>
        </Box>
        <Box as="fieldset" border="0" padding="0" margin="12px 0 0" minWidth="0">
          <Box asChild color="ink2" fontSize="13px" padding="0">
            <legend>What can be heard: nothing but what is ticked</legend>
          </Box>
          {renders.length === 0 && <Box>No render of this song is done; Listen makes them.</Box>}
          {renders.slice(0, 24).map((r) => (
            <Tick
              key={r.id}
              checked={heard.includes(r.id)}
              onTurn={(on) => setHeard(on ? [...heard, r.id] : heard.filter((id) => id !== r.id))}
            >
              {r.title}
              {r.bare && ", the clip alone"}
            </Tick>
          ))}
        </Box>
        <Tick checked={named} onTurn={setNamed}>
          Say my name
        </Tick>
        {make.isError && (
          <Notice kind="fault" word="Not made.">
            {sentenceOf(make.error)}
          </Notice>
        )}
        <Box marginTop="8px">
          <Press type="submit" look="primary" disabled={!thing || make.isPending}>
            Make the link
          </Press>
        </Box>
      </form>
      <Box as="section" aria-label="Links in force" marginTop="22px">
        <SheetTitle>Links in force</SheetTitle>
        {links.isError && <Notice kind="fault">{sentenceOf(links.error)}</Notice>}
        {links.data?.length === 0 && (
          <Box paddingBlock="6px">None: nobody but you sees this song.</Box>
        )}
        <Box as="ul">
          {links.data?.map((one) => (
            <Box
              as="li"
              key={one.id}
              paddingBlock="9px"
              borderBottom="1px solid"
              borderColor="rule"
            >
              <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="center">
                <Box flex="1 1 240px" minWidth="0" overflowWrap="anywhere">
                  <strong>{one.title}</strong>
                  <Box color="ink2" fontSize="13px">
                    {[
                      runsOut(one.expires_at, links.dataUpdatedAt),
                      one.renders ? `${one.renders} to hear` : "nothing to hear",
                      one.with_name ? "with your name" : "without your name",
                      one.seen_at ? `last seen ${dateAndTime(one.seen_at)}` : "not seen yet",
                    ].join("; ")}
                  </Box>
                </Box>
                <Press
                  named={`link to ${one.title}`}
                  onClick={() => void copyText(window.location.origin + one.path)}
                >
                  Copy
                </Press>
                <Press
                  look="quiet"
                  named={`link to ${one.title}`}
                  onClick={() => takeBack.mutate(one)}
                >
                  Take back
                </Press>
              </Box>
              <Box asChild color="ink" fontSize="13px" overflowWrap="anywhere" display="block">
                <a href={one.path}>{window.location.origin + one.path}</a>
              </Box>
            </Box>
          ))}
        </Box>
      </Box>
    </Box>
  );
}
