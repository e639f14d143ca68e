/** One reference against many: chosen together, tested one after the other, read as a table. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { api, ask, type NullTest, sentenceOf } from "../../api/client";
import { ClipChecks } from "../../clips/ClipChecks";
import { ClipChoice } from "../../clips/ClipChoice";
import { NoClip } from "../../clips/NoClip";
import { isBusy, useReadyClips } from "../../clips/queries";
import { useSongContext } from "../../song/context";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useKey } from "../../ui/keys";
import { batchesOf } from "./tries";
import { useNullTests } from "./queries";
import { Ways } from "./Ways";

export default function ManyPage() {
  const { song } = useSongContext();
  const client = useQueryClient();
  const clips = useReadyClips(song.id);
  const tests = useNullTests(song.id);
  const [picked, setPicked] = useState<string | null>(null);
  const [others, setOthers] = useState<string[]>([]);
  const reference = picked ?? clips[0]?.id ?? "";
  const rest = clips.filter((c) => c.id !== reference);
  const chosen = others.filter((id) => rest.some((c) => c.id === id));
  const run = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/null-batches", {
          params: { path: { song_id: song.id } },
          body: { reference, others: chosen, limit: { kind: "relative", value_db: 90 } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["null-tests", song.id] }),
  });
  const ready = chosen.length > 0 && !run.isPending;
  useKey("many", "N", () => run.mutate(), ready);
  return (
    <Box>
      <Ways here="many" />
      <SheetTitle page about="every one of them is brought onto the reference and subtracted">
        One against many
      </SheetTitle>
      {clips.length < 2 && <NoClip>A reference and at least one other clip are needed.</NoClip>}
      <Box marginTop="8px" maxWidth="340px">
        <ClipChoice label="the reference" clips={clips} value={reference} onChoose={setPicked} />
      </Box>
      <ClipChecks
        legend="what is tested against it"
        clips={rest}
        chosen={chosen}
        onChoose={setOthers}
      />
      <Box display="flex" gap="10px" marginTop="8px">
        <Press look="primary" hint="N" disabled={!ready} onClick={() => run.mutate()}>
          Test {chosen.length || "none"} against it
        </Press>
        <Press look="quiet" onClick={() => setOthers(rest.map((c) => c.id))}>
          All
        </Press>
      </Box>
      {run.isError && (
        <Notice kind="fault" word="Not started.">
          {sentenceOf(run.error)}
        </Notice>
      )}
      {batchesOf(tests.data ?? []).map((batch) => (
        <Batch key={batch[0]!.batch} tests={batch} songId={song.id} />
      ))}
    </Box>
  );
}

function Batch({ tests, songId }: { tests: NullTest[]; songId: string }) {
  const columns = { base: "minmax(0, 1fr) 84px", md: "minmax(0, 1fr) 90px minmax(0, 2fr) 60px" };
  return (
    <Box as="section" marginTop="16px">
      <SheetTitle sub about="the closest first; residual against the reference">
        Against {tests[0]!.a_name}
      </SheetTitle>
      <Box
        role="table"
        aria-label={`Against ${tests[0]!.a_name}`}
        borderTop="1px solid"
        borderColor="ink"
        marginTop="4px"
      >
        {tests.map((test) => (
          <Box
            role="row"
            key={test.id}
            display="grid"
            gridTemplateColumns={columns}
            gap="2px 14px"
            alignItems="center"
            minHeight="38px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box role="cell" fontWeight="650" minWidth="0">
              {test.b_name}
            </Box>
            <Box role="cell" textAlign="right" fontWeight="650" color={test.passed ? "ok" : "diff"}>
              {!test.sentence
                ? ""
                : test.null_depth_db === null
                  ? "silent"
                  : `${num(test.null_depth_db, 1)} dB`}
            </Box>
            <Box role="cell" color="ink2" gridColumn={{ base: "1 / -1", md: "auto" }}>
              {test.sentence ??
                (test.status === "failed"
                  ? test.problem
                  : isBusy(test.status)
                    ? `${test.stage || "waiting"}, ${num(test.progress * 100, 0)} %`
                    : test.status)}
            </Box>
            <Box role="cell">
              <Box asChild color="ink" fontWeight="600">
                <Link
                  to={`/songs/${songId}/verify/${test.id}`}
                  aria-label={`Open the test of ${test.b_name}`}
                >
                  Open
                </Link>
              </Box>
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
