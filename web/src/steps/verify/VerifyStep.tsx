/** Choose two clips and run a null test; past tests below. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";

import { api, ask, type NullTest, sentenceOf } from "../../api/client";
import { useKey } from "../../ui/keys";
import { useSongContext } from "../../song/context";
import type { Stretch } from "../../charts/Wave";
import { Notice, Pennant, Press, SheetTitle } from "../../ui/controls";
import { deleteWithUndo } from "../../ui/deleting";
import { num, timeOfDay } from "../../ui/format";
import { QuantityField } from "../../ui/QuantityField";
import { ClipLane } from "./ClipLane";
import { type Limit, LimitField } from "./LimitField";
import { ClipChecks } from "../../clips/ClipChecks";
import { isBusy, useClips } from "../../clips/queries";
import { useNullTests, usePairs } from "./queries";
import { canBeStems, MOST_STEMS, stillStems } from "./stems";
import { Ways } from "./Ways";

const WHOLE: Stretch = { start_s: 0, length_s: null };

interface Chosen {
  a: string | null;
  b: string | null;
  stems?: string[];
}

export default function VerifyStep() {
  const { song } = useSongContext();
  const client = useQueryClient();
  const navigate = useNavigate();
  const location = useLocation();
  const clips = useClips(song.id);
  const pairs = usePairs(song.id);
  const tests = useNullTests(song.id);
  const asked = location.state as Chosen | null;
  const [picked, setChosen] = useState<Chosen | null>(asked);
  const [regions, setRegions] = useState({ a: WHOLE, b: WHOLE });
  const [searchS, setSearchS] = useState(2);
  const [stems, setStems] = useState<string[]>(asked?.stems ?? []);
  const [withStems, setWithStems] = useState(stems.length > 0);
  const [limit, setLimit] = useState<Limit>({ kind: "relative", value_db: 90 });

  const run = useMutation({
    mutationFn: (pair: { a: string; b: string; regions?: typeof regions; stems?: string[] }) =>
      ask(
        api.POST("/api/v1/songs/{song_id}/null-tests", {
          params: { path: { song_id: song.id } },
          body: {
            clip_a: pair.a,
            clip_b: pair.b,
            stems: pair.stems ?? [],
            limit,
            options: {
              search_s: searchS,
              region_a: pair.regions?.a ?? WHOLE,
              region_b: pair.regions?.b ?? WHOLE,
            },
          },
        }),
      ),
    onSuccess: (test) => {
      void client.invalidateQueries({ queryKey: ["null-tests", song.id] });
      navigate(test.id);
    },
  });
  // Until something is picked, the first pair stands ready, so that there is something to see.
  const first = pairs.data?.[0];
  const chosen: Chosen = picked ?? { a: first?.clip_a ?? null, b: first?.clip_b ?? null };
  const can = canBeStems(clips.data ?? [], chosen.a, chosen.b);
  const given = withStems ? stillStems(stems, can) : [];
  const tooMany = given.length > MOST_STEMS;
  const ready = !tooMany && chosen.a !== null && chosen.b !== null;
  const start = () => {
    if (ready) run.mutate({ a: chosen.a!, b: chosen.b!, regions, stems: given });
  };
  useKey("verify", "N", start, ready);

  const list = clips.data ?? [];
  return (
    <Box>
      <Ways here="" />
      <SheetTitle
        page
        about="B is brought onto A in time, polarity and gain, then subtracted; what is left is the difference"
      >
        Null test
      </SheetTitle>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) 320px" }}
        gap="8px 32px"
        marginTop="8px"
      >
        <Box minWidth="0">
          {(["a", "b"] as const).map((side) => (
            <ClipLane
              key={side}
              letter={side === "a" ? "A" : "B"}
              about={side === "a" ? "the reference" : "what is matched to it"}
              songId={song.id}
              clips={list}
              clipId={chosen[side]}
              region={regions[side]}
              onClip={(id) => {
                setChosen((old) => ({ ...(old ?? chosen), [side]: id }));
                setRegions((old) => ({ ...old, [side]: WHOLE }));
              }}
              onRegion={(region) => setRegions((old) => ({ ...old, [side]: region }))}
            />
          ))}
          {can.length > 0 && (
            <Box borderTop="1px solid" borderColor="ink" paddingBlock="6px">
              <Box
                asChild
                display="flex"
                gap="8px"
                alignItems="center"
                minHeight={{ base: "44px", sm: "32px" }}
              >
                <label>
                  <input
                    type="checkbox"
                    checked={withStems}
                    onChange={(event) => setWithStems(event.target.checked)}
                  />
                  <span>
                    <strong>A is a mix of stems in this song</strong>{" "}
                    <Box as="span" color="ink2">
                      {given.length
                        ? `${num(given.length, 0)} given: what B holds more or less of is told`
                        : "then it is told of which B holds more or less"}
                    </Box>
                  </span>
                </label>
              </Box>
              {withStems && (
                <ClipChecks
                  legend="stems of A, from the same start as A"
                  clips={can}
                  chosen={given}
                  onChoose={setStems}
                />
              )}
              {tooMany && (
                <Box color="diff" fontSize="13px">
                  At most {MOST_STEMS} stems are looked for.
                </Box>
              )}
            </Box>
          )}
          <Box
            display="flex"
            flexWrap="wrap"
            gap="8px 20px"
            alignItems="flex-start"
            borderTop="1px solid"
            borderColor="ink"
            paddingTop="8px"
          >
            <QuantityField
              label="Search offsets up to"
              kind="time"
              width="150px"
              value={`${searchS} s`}
              onCommit={(read) => setSearchS(Math.min(30, read.value / 1000))}
            />
            <LimitField limit={limit} onLimit={setLimit} />
            <Box flex="1" />
            <Box paddingTop="19px">
              <Press
                look="primary"
                hint="N"
                disabled={!ready || run.isPending}
                title={ready ? undefined : tooMany ? "Too many stems" : "Choose both clips first"}
                onClick={start}
              >
                Run the null test
              </Press>
            </Box>
          </Box>
          {run.isError && (
            <Notice kind="fault" word="Not started.">
              {sentenceOf(run.error)}
            </Notice>
          )}
        </Box>
        <Box as="section" minWidth="0">
          <SheetTitle sub about="each with something to find">
            Pairs to try
          </SheetTitle>
          {pairs.data && pairs.data.length > 0 ? (
            <Box as="ul" borderTop="1px solid" borderColor="ink" marginTop="6px">
              {pairs.data.map((pair) => (
                <Box
                  as="li"
                  key={pair.title}
                  display="flex"
                  alignItems="center"
                  gap="10px"
                  paddingBlock="8px"
                  borderBottom="1px solid"
                  borderColor="rule"
                >
                  <Box flex="1" minWidth="0">
                    <Box fontWeight="600">{pair.title}</Box>
                    <Box color="ink2" fontSize="13px">
                      {pair.finding}
                    </Box>
                  </Box>
                  <Press
                    named={pair.title}
                    disabled={run.isPending}
                    onClick={() => run.mutate({ a: pair.clip_a, b: pair.clip_b })}
                  >
                    Test
                  </Press>
                </Box>
              ))}
            </Box>
          ) : (
            <Box color="ink2" paddingBlock="8px">
              This song has none. Bring in two files instead.
            </Box>
          )}
        </Box>
      </Box>
      <PastTests tests={tests.data ?? []} songId={song.id} />
    </Box>
  );
}

const COLUMNS = {
  base: "auto minmax(0, 1fr) auto",
  md: "24px 52px minmax(0, 1fr) minmax(0, 1.4fr) 84px auto",
};

function PastTests({ tests, songId }: { tests: NullTest[]; songId: string }) {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ queryKey: ["null-tests", songId] });
  const remove = (test: NullTest) => {
    const path = { params: { path: { test_id: test.id } } };
    return deleteWithUndo(
      "The null test is deleted.",
      () => ask(api.DELETE("/api/v1/null-tests/{test_id}", path)),
      () => ask(api.POST("/api/v1/null-tests/{test_id}/restore", path)),
      refresh,
    );
  };
  return (
    <Box as="section" marginTop="18px">
      <SheetTitle
        sub
        about={tests.length ? "newest first; dB is the matched residual against A" : undefined}
      >
        Tests so far
      </SheetTitle>
      {tests.length === 0 && <Box color="ink2">None yet.</Box>}
      <Box
        as="ul"
        marginTop="6px"
        borderTop={tests.length ? "1px solid" : undefined}
        borderColor="ink"
      >
        {tests.map((test) => (
          <Box
            as="li"
            key={test.id}
            display="grid"
            gridTemplateColumns={COLUMNS}
            gap="2px 14px"
            alignItems="center"
            minHeight="41px"
            paddingBlock="6px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box>{mark(test)}</Box>
            <Box color="ink2" display={{ base: "none", md: "block" }}>
              {timeOfDay(new Date(test.created_at))}
            </Box>
            <Box minWidth="0" overflow="hidden" textOverflow="ellipsis">
              <Box as="span" fontWeight="600">
                {test.a_name}
              </Box>{" "}
              <Box as="span" color="ink2">
                against
              </Box>{" "}
              <Box as="span" fontWeight="600">
                {test.b_name}
              </Box>
            </Box>
            <Box color="ink2" gridColumn={{ base: "2 / 3", md: "auto" }}>
              {test.sentence ?? (test.status === "failed" ? test.problem : stateWord(test))}
            </Box>
            <Box
              fontWeight="650"
              textAlign="right"
              color={test.passed ? "ok" : "diff"}
              display={{ base: "none", md: "block" }}
            >
              {test.sentence
                ? test.null_depth_db === null
                  ? "silent"
                  : `${num(test.null_depth_db, 1)} dB`
                : ""}
            </Box>
            <Box
              display="flex"
              gap="8px"
              gridRow={{ base: "1", md: "auto" }}
              gridColumn={{ base: "3", md: "auto" }}
            >
              <Box asChild fontWeight="600">
                <Link
                  to={test.id}
                  aria-label={`Open the test of ${test.a_name} against ${test.b_name}`}
                  style={{ color: "inherit", textUnderlineOffset: 3, alignSelf: "center" }}
                >
                  Open
                </Link>
              </Box>
              <Press
                look="quiet"
                onClick={() => void remove(test)}
                named={`the test of ${test.a_name} against ${test.b_name}`}
              >
                Delete
              </Press>
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}

function stateWord(test: NullTest): string {
  if (isBusy(test.status)) return `${test.stage || "waiting"}, ${num(test.progress * 100, 0)} %`;
  return test.status;
}

function mark(test: NullTest) {
  if (test.status === "failed") return <Pennant kind="fault" />;
  if (test.passed === null) return null;
  return test.passed ? <Pennant kind="passed" /> : <Pennant kind="note" mark="–" />;
}
