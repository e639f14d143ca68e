/** A null test: under way, failed, or its verdict with all the evidence. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { api, ask, type NullResult, type NullTestDetail, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { asText } from "../../charts/ladder";
import { BandLevels, LevelsOverTime } from "../../charts/NullCharts";
import { NullScale } from "../../charts/NullScale";
import { SetLadder } from "../../charts/SetLadder";
import { Tries } from "../../charts/Tries";
import {
  announce,
  copyText,
  Figure,
  HowComputed,
  Notice,
  Pennant,
  Press,
  SheetTitle,
} from "../../ui/controls";
import { clockFine, dB, ms, num, signed, timeOfDay } from "../../ui/format";
import { Correct } from "./Correct";
import { Audition, type Place } from "./Audition";
import { Overlaid, Why } from "./Why";
import { type Limit, LimitField } from "./LimitField";
import { isBusy } from "../../clips/queries";
import { useKey } from "../../ui/keys";
import { inSteps, ReachLine } from "./ReachLine";
import { type Steps, stepsOf, useNullTest, useNullTests, useReach } from "./queries";
import { stemsLine } from "./stems";
import { canBeHeard } from "./stretch";
import { depthOf, triesOf } from "./tries";
import { UnderWay, useEnded } from "./UnderWay";

export default function ResultPage() {
  const { testId = "" } = useParams();
  const test = useNullTest(testId);
  useEnded(test.data !== undefined && !isBusy(test.data.status));
  if (test.isPending) return <Box color="ink2">Loading</Box>;
  if (test.isError) {
    return (
      <Notice kind="fault" word="Not opened.">
        {sentenceOf(test.error)}
      </Notice>
    );
  }
  const data = test.data;
  if (isBusy(data.status))
    return (
      <UnderWay
        title="Null test under way"
        about={`${data.a_name} against ${data.b_name}`}
        stages={["align", "match", "subtract"]}
        label="Null test"
        row={data}
        cancelWord="Cancel the test"
        note="Keep working: the test goes on by itself. Cancelling keeps both clips."
        cancel={() =>
          ask(
            api.POST("/api/v1/null-tests/{test_id}/cancel", {
              params: { path: { test_id: data.id } },
            }),
          )
        }
        queryKey={["null-test", data.id]}
      />
    );
  if (data.result) return <Result test={data} result={data.result} />;
  return <NoResult test={data} />;
}

function useAnotherPair(test: NullTestDetail) {
  const navigate = useNavigate();
  const { song } = useSongContext();
  return (again: boolean) =>
    navigate(`/songs/${song.id}/verify`, {
      state: again
        ? { a: test.clip_a, b: test.clip_b, stems: test.stems.map((stem) => stem.id) }
        : null,
    });
}

function NoResult({ test }: { test: NullTestDetail }) {
  const another = useAnotherPair(test);
  const cancelled = test.status === "cancelled";
  return (
    <Box maxWidth="760px">
      <SheetTitle page about={`${test.a_name} against ${test.b_name}`}>
        Null test
      </SheetTitle>
      <Notice
        kind={cancelled ? "note" : "fault"}
        word={cancelled ? "Cancelled." : "Not measured."}
        actions={
          <>
            <Press onClick={() => another(true)}>Choose again</Press>
          </>
        }
      >
        {cancelled ? "Both clips are kept." : test.problem}
      </Notice>
    </Box>
  );
}

function Result({ test, result }: { test: NullTestDetail; result: NullResult }) {
  const client = useQueryClient();
  const { song } = useSongContext();
  const another = useAnotherPair(test);
  const setLimit = async (limit: Limit) => {
    try {
      const changed = await ask(
        api.PATCH("/api/v1/null-tests/{test_id}", {
          params: { path: { test_id: test.id } },
          body: { limit },
        }),
      );
      client.setQueryData(["null-test", test.id], changed);
      void client.invalidateQueries({ queryKey: ["null-tests"] });
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  const [at, setAt] = useState(0);
  const [place, setPlace] = useState<Place | null>(null);
  const [steps, setSteps] = useState<Steps>(stepsOf(null));
  const reach = useReach(test.id, steps, result.gain_db !== null && result.to_set.length > 0);
  const hear = (seconds: number) => setPlace((old) => ({ seconds, turn: (old?.turn ?? 0) + 1 }));
  const hearAfter = (after: number) =>
    setPlace((old) => ({ seconds: null, turn: (old?.turn ?? 0) + 1, after }));
  const copyAll = () =>
    void copyText(asText(result, (code) => (reach.data ? inSteps(code, reach.data) : "")));
  useKey("result", "C", copyAll, result.to_set.length > 0);
  const navigate = useNavigate();
  const tries = triesOf(useNullTests(song.id).data ?? [], test);
  const stems = stemsLine(test);
  const two = { base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" };
  return (
    <Box>
      <Box display="flex" gap="14px" alignItems="flex-start">
        <Box paddingTop="6px">
          <Pennant kind={result.passed ? "passed" : "note"} mark="–" />
        </Box>
        <Box minWidth="0" flex="1">
          <Box
            as="h1"
            fontFamily="title"
            fontSize={{ base: "20px", sm: "25px" }}
            lineHeight={{ base: "26px", sm: "32px" }}
            fontWeight="600"
          >
            {result.sentence}
          </Box>
          <Box
            display="flex"
            flexWrap="wrap"
            gap="2px 14px"
            color="ink2"
            fontSize="13px"
            marginTop="2px"
          >
            <span>
              <Box as="strong" color={result.passed ? "ok" : "diff"}>
                {result.passed ? "Passed" : "Not passed"}
              </Box>{" "}
              limit {result.limit_text}
            </span>
            <span>
              <strong>A</strong> {result.a.name}
              {result.a.grid_bits ? `, ${result.a.grid_bits} bit` : ""}
            </span>
            <span>
              <strong>B</strong> {result.b.name}
              {result.b.grid_bits ? `, ${result.b.grid_bits} bit` : ""}
            </span>
            {stems && (
              <span>
                <strong>Stems of A</strong> {stems}
              </span>
            )}
            <span>
              {clockFine(result.compared_s)}, {num(result.compared_samples, 0)} samples
              {test.finished_at && `, tested ${timeOfDay(new Date(test.finished_at))}`}
            </span>
          </Box>
        </Box>
      </Box>
      {result.explained && result.related ? (
        <>
          <Box marginTop="12px">
            <Why result={result} chosen={at} onChoose={setAt} onHear={hear} />
          </Box>
          {result.to_set.length > 0 && (
            <Box as="section" marginTop="14px" minWidth="0">
              <Heading
                title="What to set"
                about={`in this order; thick is what the step takes away${result.level_note ? `. ${result.level_note}` : ""}`}
              >
                <Press hint="C" onClick={copyAll}>
                  Copy all
                </Press>
              </Heading>
              <SetLadder
                result={result}
                chosen={result.causes[at]?.code ?? null}
                reach={reach.data ? -reach.data.best_db : null}
                hear={(after) => (canBeHeard(result, after) ? () => hearAfter(after) : null)}
                beside={(code) => (reach.data ? inSteps(code, reach.data) : "")}
                onChoose={(code) => {
                  const found = result.causes.findIndex((c) => c.code === code);
                  if (found >= 0) setAt(found);
                }}
              />
              <ReachLine steps={steps} reach={reach.data} onSteps={setSteps} />
              {result.gain_db !== null && <Correct test={test} />}
            </Box>
          )}
        </>
      ) : (
        <>
          <Box marginTop="12px">
            <NullScale result={result} />
          </Box>
          <Box marginTop="8px">
            <Why result={result} chosen={at} onChoose={setAt} onHear={hear} />
          </Box>
        </>
      )}
      <Figures result={result} />
      <Audition test={test} place={place} />
      <Box display="grid" gridTemplateColumns={two} gap="14px 28px" marginTop="14px">
        {(result.causes[at]?.pictures.length ?? 0) > 0 && (
          <Box as="section" minWidth="0">
            <Overlaid result={result} />
          </Box>
        )}
        <Box as="section" minWidth="0">
          <Channels result={result} />
        </Box>
        {tries.length > 1 && (
          <Box as="section" minWidth="0">
            <Heading
              title="Tries with this A"
              about={`residual in the order that they were made${reach.data ? "; dashed: the best that the steps allow" : ""}`}
            />
            <Tries
              tries={tries.map((t) => ({ id: t.id, name: t.b_name, depth: depthOf(t)! }))}
              here={test.id}
              reach={reach.data ? -reach.data.best_db : null}
              onOpen={(id) => void navigate(`/songs/${song.id}/verify/${id}`)}
            />
          </Box>
        )}
        <Box as="section" minWidth="0">
          <Heading title="Over time" about="dBFS, loudest 50 ms in each step" />
          <LevelsOverTime result={result} />
        </Box>
        <Box as="section" minWidth="0">
          <Heading title="By third-octave" about="dBFS, over all that was compared" />
          <BandLevels result={result} />
        </Box>
      </Box>
      <Box
        display="flex"
        flexWrap="wrap"
        gap="8px 20px"
        alignItems="flex-start"
        marginTop="12px"
        paddingTop="10px"
        borderTop="1px solid"
        borderColor="rule"
      >
        <LimitField limit={result.limit} onLimit={(limit) => void setLimit(limit)} />
        <Box flex="1" minWidth="240px" paddingTop="19px">
          <Notes result={result} test={test} />
        </Box>
        <Box paddingTop="19px" display="flex" gap="10px">
          <Box asChild color="ink" fontWeight="600" alignSelf="center">
            <Link to="proof">Proof sheet</Link>
          </Box>
          <Press look="quiet" onClick={() => another(true)}>
            Change this pair
          </Press>
          <Press onClick={() => another(false)}>Test another pair</Press>
        </Box>
      </Box>
    </Box>
  );
}

function Heading({
  title,
  about,
  children,
}: {
  title: string;
  about: string;
  children?: React.ReactNode;
}) {
  return (
    <Box display="flex" alignItems="baseline" gap="10px" marginBottom="4px">
      <SheetTitle sub about={about}>
        {title}
      </SheetTitle>
      <Box flex="1" />
      {children}
    </Box>
  );
}

function Figures({ result }: { result: NullResult }) {
  const fitted: [string, string, string][] =
    result.offset_samples === null || result.offset_ms === null || result.gain_db === null
      ? []
      : [
          [
            "Offset of B",
            signed(result.offset_samples, Number.isInteger(result.offset_samples) ? 0 : 2),
            "samples",
          ],
          ["", signed(result.offset_ms, 4), "ms"],
          ["Gain of B", signed(result.gain_db, 2), "dB"],
          ["Polarity", polarityWord(result), ""],
        ];
  const rows: [string, string, string][] = [
    ...fitted,
    ["As delivered", dB(result.raw_null_db), "dB"],
    ["Residual RMS", dB(result.residual_rms_dbfs), "dBFS"],
    ["Peak", dB(result.residual_peak_dbfs), "dBFS"],
    ["A", dB(result.reference_rms_dbfs), "dBFS"],
  ];
  return (
    <Box
      role="group"
      aria-label="Figures"
      display="flex"
      flexWrap="wrap"
      gap="4px 22px"
      borderBlock="1px solid"
      borderColor="rule"
      paddingBlock="6px"
      marginTop="4px"
      fontSize="15px"
    >
      {rows.map(([label, value, unit]) => (
        <Box key={label + unit} whiteSpace="nowrap">
          {label && (
            <Box as="span" color="ink2" fontSize="13px">
              {label}{" "}
            </Box>
          )}
          <Figure
            label={label || "Offset of B"}
            value={value}
            unit={value === "silent" ? "" : unit}
          />
        </Box>
      ))}
    </Box>
  );
}

function polarityWord(result: NullResult): string {
  const flipped = result.channels.filter((c) => c.polarity < 0).map((c) => c.name);
  if (flipped.length === 0) return "same";
  return result.polarity < 0 ? "inverted" : `${flipped.join(", ")} inverted`;
}

function Channels({ result }: { result: NullResult }) {
  const columns = "minmax(0, 1.2fr) 1fr 1fr 0.8fr 1fr";
  return (
    <>
      <Heading title="Each channel" about="B against A" />
      <Box role="table" aria-label="Each channel" borderTop="1px solid" borderColor="ink">
        <Box
          role="row"
          display="grid"
          gridTemplateColumns={columns}
          gap="10px"
          color="ink2"
          fontSize="13px"
          paddingBlock="4px"
          borderBottom="1px solid"
          borderColor="rule"
          textAlign="right"
        >
          <Box role="columnheader" textAlign="left">
            channel
          </Box>
          <Box role="columnheader">samples late</Box>
          <Box role="columnheader">gain, dB</Box>
          <Box role="columnheader">polarity</Box>
          <Box role="columnheader">null, dB</Box>
        </Box>
        {result.channels.map((c) => (
          <Box
            role="row"
            key={c.a_channel * 100 + c.b_channel}
            display="grid"
            gridTemplateColumns={columns}
            gap="10px"
            minHeight="34px"
            alignItems="center"
            textAlign="right"
            fontSize="15px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box role="cell" textAlign="left">
              {c.name}
              {result.swapped && ` (B ${c.b_channel === 1 ? "left" : "right"})`}
            </Box>
            <Box role="cell">
              {c.offset_samples === null
                ? c.silent
                  ? "silent"
                  : ""
                : signed(c.offset_samples, Number.isInteger(c.offset_samples) ? 0 : 2)}
            </Box>
            <Box role="cell">{c.gain_db === null ? "" : signed(c.gain_db, 2)}</Box>
            <Box role="cell" color={c.polarity < 0 ? "diff" : undefined}>
              {c.polarity < 0 ? "inverted" : "same"}
            </Box>
            <Box role="cell" fontWeight="650">
              {dB(c.null_depth_db)}
            </Box>
          </Box>
        ))}
      </Box>
    </>
  );
}

function Notes({ result, test }: { result: NullResult; test: NullTestDetail }) {
  return (
    <HowComputed>
      Both were read at full precision. The offset was looked for up to{" "}
      {num(test.options.search_s ?? 2, 2)} s by cross-correlation in loud windows, then fitted
      together with gain and polarity by least squares until the residual stopped falling
      {result.offset_ms === null ? "" : ` (${ms(result.offset_ms)} ms here)`}. What else differs was
      looked for where the residual is loudest: a filter of 2048 taps, a gain every 32 samples and a
      curve of 129 knots, each by least squares, alone and in pairs; the one that leaves least is
      named. The residual is A less the matched B; its depth is its RMS against that of A.{" "}
      {result.rounding_floor_dbfs !== null &&
        `The word lengths leave ${num(result.rounding_floor_dbfs, 1)} dBFS at best. `}
      {result.notes.join(" ")}
    </HowComputed>
  );
}
