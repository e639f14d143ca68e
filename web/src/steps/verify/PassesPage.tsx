/** Hear the compression: three passes against the dry sound, and what the third leaves. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueries, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, type Clip, sentenceOf } from "../../api/client";
import { Pictured } from "../../charts/Pictured";
import { ClipChoice } from "../../clips/ClipChoice";
import { NoClip } from "../../clips/NoClip";
import { isBusy, useReadyClips } from "../../clips/queries";
import { useSongContext } from "../../song/context";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useKey } from "../../ui/keys";
import { NumberField } from "../../ui/NumberField";
import { Audition } from "./Audition";
import {
  besides,
  compressionOf,
  depthsOf,
  levelsOf,
  meterSays,
  newestOf,
  type Pass,
  PASSES,
  testsOf,
  verdictOf,
} from "./passes";
import { useNullTest, useNullTests } from "./queries";
import { Ways } from "./Ways";

export default function PassesPage() {
  const { song } = useSongContext();
  const client = useQueryClient();
  const clips = useReadyClips(song.id);
  const tests = useNullTests(song.id);
  const [picked, setPicked] = useState<string | null>(null);
  const [chosen, setChosen] = useState<Partial<Record<Pass, string>>>({});
  const [meter, setMeter] = useState<number | null>(null);
  const reference = picked ?? clips[0]?.id ?? "";
  const made = testsOf(tests.data ?? [], reference, chosen);
  const depths = depthsOf(made);
  const [more, setMore] = useState<string[]>([]);
  const stepped = more.flatMap((clip) => newestOf(tests.data ?? [], reference, clip) ?? []);
  const asked = [...PASSES.flatMap(({ id }) => (chosen[id] ? [chosen[id]] : [])), ...more];
  const known = [...Object.values(made), ...stepped];
  const missing = asked.filter((id) => !known.some((t) => t.clip_b === id));
  const run = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/null-batches", {
          params: { path: { song_id: song.id } },
          body: {
            reference,
            others: missing.length ? missing : asked,
            limit: { kind: "relative", value_db: 90 },
          },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["null-tests", song.id] }),
  });
  const ready = asked.length > 0 && !run.isPending && reference !== "";
  useKey("passes", "N", () => run.mutate(), ready);
  const working = made.working?.sentence ? made.working.id : null;
  return (
    <Box>
      <Ways here="passes" />
      <SheetTitle
        page
        about="what a compressor does is heard where everything else is taken away: bare, at rest, at work"
      >
        Three passes
      </SheetTitle>
      {clips.length < 2 && (
        <NoClip>
          The dry sound and its passes through the processor are needed, each as a clip.
        </NoClip>
      )}
      <Box marginBlock="8px 10px">
        <ClipChoice label="the dry sound" clips={clips} value={reference} onChoose={setPicked} />
      </Box>
      <Box
        as="ol"
        background="sheet"
        borderBlock="1px solid"
        borderColor="edge"
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "repeat(3, minmax(0, 1fr))" }}
        gap="12px 28px"
        padding={{ base: "10px", md: "12px 20px" }}
      >
        {PASSES.map((pass, i) => {
          const test = made[pass.id];
          const verdict = verdictOf(pass.id, depths);
          const depth = depths[pass.id];
          return (
            <Box as="li" key={pass.id} minWidth="0">
              <Box fontWeight="650">
                {i + 1} {pass.name}
              </Box>
              <Box color="ink2" fontSize="13px" minHeight={{ md: "40px" }}>
                {pass.ask}
              </Box>
              <ClipChoice
                label={`clip of pass ${i + 1}`}
                clips={clips.filter((c) => c.id !== reference)}
                value={chosen[pass.id] ?? ""}
                onChoose={(id) => setChosen((old) => ({ ...old, [pass.id]: id }))}
              />
              <Box fontFamily="title" fontSize="26px" lineHeight="34px" fontWeight="600">
                {depth == null
                  ? test && isBusy(test.status)
                    ? `${num(test.progress * 100, 0)} %`
                    : "\u2013"
                  : test?.null_depth_db === null
                    ? "silent"
                    : `${num(-depth, 1)} dB`}
              </Box>
              <Box
                role="status"
                aria-label={`Pass ${i + 1}`}
                fontWeight="650"
                fontSize="14px"
                minHeight="20px"
                color={{ good: "ok", bad: "diff", open: "ink2" }[verdict.kind]}
              >
                {test?.status === "failed" ? test.problem : verdict.word}
              </Box>
              {test?.sentence && (
                <Box asChild color="ink" fontSize="14px">
                  <Link to={`/songs/${song.id}/verify/${test.id}`}>Open this test</Link>
                </Box>
              )}
            </Box>
          );
        })}
      </Box>
      <Box display="flex" flexWrap="wrap" gap="8px 16px" marginTop="10px" alignItems="flex-end">
        <Press look="primary" hint="N" disabled={!ready} onClick={() => run.mutate()}>
          {missing.length || !asked.length ? "Run the passes" : "Run them again"}
        </Press>
        <NumberField
          named
          label="its meter first moves at"
          unit="dBFS"
          value={meter ?? 0}
          least={-96}
          most={0}
          onCommit={setMeter}
        />
      </Box>
      {run.isError && (
        <Notice kind="fault" word="Not started.">
          {sentenceOf(run.error)}
        </Notice>
      )}
      {working && (
        <Stepped
          ids={[working, ...stepped.filter((t) => t.sentence).map((t) => t.id)]}
          clips={clips.filter((c) => c.id !== reference && !asked.includes(c.id))}
          onAdd={(clip) => setMore((old) => [...old, clip])}
        />
      )}
      {working && <AtWork testId={working} meter={meter} />}
    </Box>
  );
}

/** The same processor driven harder or softer: where it begins, and how far it goes, level by level. */
function Stepped({
  ids,
  clips,
  onAdd,
}: {
  ids: string[];
  clips: Clip[];
  onAdd: (clip: string) => void;
}) {
  const { song } = useSongContext();
  const found = useQueries({
    queries: ids.map((id) => ({
      queryKey: ["null-test", id],
      queryFn: () =>
        ask(api.GET("/api/v1/null-tests/{test_id}", { params: { path: { test_id: id } } })),
    })),
  }).flatMap((q) => (q.data ? [q.data] : []));
  const levels = levelsOf(found);
  const top = Math.max(1, ...levels.map((l) => l.most ?? 0));
  const columns = {
    base: "minmax(0, 1fr) minmax(0, 1.2fr) 64px 56px",
    md: "minmax(0, 1.4fr) minmax(0, 1fr) 90px 90px",
  };
  return (
    <Box as="section" aria-label="At stepped levels" marginTop="14px">
      <SheetTitle
        sub
        about="the same dry sound, driven into it softer and harder; each pass a clip"
      >
        At stepped levels
      </SheetTitle>
      {levels.length > 1 && (
        <Box role="table" aria-label="At stepped levels" maxWidth="860px" fontSize="15px">
          <Box
            role="row"
            display="grid"
            gridTemplateColumns={columns}
            gap="10px"
            color="ink2"
            fontSize="13px"
          >
            <Box role="columnheader">pass</Box>
            <Box role="columnheader">most reduction</Box>
            <Box role="columnheader" textAlign="right">
              begins, dBFS
            </Box>
            <Box role="columnheader" textAlign="right">
              left, dB
            </Box>
          </Box>
          {levels.map((level) => (
            <Box
              role="row"
              key={level.id}
              display="grid"
              gridTemplateColumns={columns}
              gap="10px"
              minHeight="34px"
              alignItems="center"
              borderTop="1px solid"
              borderColor="rule"
            >
              <Box role="cell" minWidth="0" overflowWrap="anywhere">
                <Box asChild color="ink">
                  <Link to={`/songs/${song.id}/verify/${level.id}`}>{level.name}</Link>
                </Box>
              </Box>
              <Box role="cell" display="flex" alignItems="center" gap="8px">
                <Box
                  height="8px"
                  background="diff"
                  width={`${(50 * (level.most ?? 0)) / top}%`}
                  minWidth="1px"
                />
                <strong style={{ whiteSpace: "nowrap" }}>
                  {level.most === null ? "none" : `${num(level.most, 1)} dB`}
                </strong>
              </Box>
              <Box role="cell" textAlign="right">
                {level.begins === null ? "" : num(level.begins, 1)}
              </Box>
              <Box role="cell" textAlign="right" fontWeight="650">
                {level.left === null ? "silent" : num(level.left, 1)}
              </Box>
            </Box>
          ))}
        </Box>
      )}
      {clips.length > 0 && (
        <Box marginTop="4px">
          <ClipChoice label="another level" clips={clips} value="" onChoose={onAdd} />
        </Box>
      )}
    </Box>
  );
}

/** The third pass: what remains is heard, and beside it stands what was found in it. */
function AtWork({ testId, meter }: { testId: string; meter: number | null }) {
  const test = useNullTest(testId);
  const found = compressionOf(test.data?.result);
  if (!test.data?.result) return null;
  const others = besides(test.data.result);
  const begins = found?.figures?.threshold_db;
  return (
    <Box as="section" marginTop="14px" aria-label="What the third pass leaves">
      <Box as="h2" fontFamily="title" fontSize="21px" lineHeight="28px" fontWeight="600">
        {found ? found.evidence : "No change of gain over time was found in the third pass."}
      </Box>
      <Box color="ink2" fontSize="14px">
        {meterSays(begins, meter)} {others.length > 0 && `Beside it differ: ${others.join(", ")}.`}{" "}
        What is left is heard below at its own level, or raised.
      </Box>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="12px 32px"
        marginTop="8px"
      >
        {found?.pictures?.map((picture) => (
          <Box key={picture.title} minWidth="0">
            <Pictured picture={picture} tall={150} />
          </Box>
        ))}
      </Box>
      <Audition test={test.data} place={null} />
    </Box>
  );
}
