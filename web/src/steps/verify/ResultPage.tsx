/** A null test: under way, failed, or its verdict with all the evidence. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useNavigate, useParams } from "react-router";

import { api, ask, type NullResult, type NullTestDetail, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { BandLevels, LevelsOverTime, OverlayChart, StepsChart } from "../../charts/NullCharts";
import { NullScale } from "../../charts/NullScale";
import {
  announce,
  Figure,
  HowComputed,
  Notice,
  Pennant,
  Press,
  SheetTitle,
} from "../../ui/controls";
import { Course } from "../../ui/Course";
import { clockFine, dB, ms, num, signed, timeOfDay } from "../../ui/format";
import { Audition } from "./Audition";
import { type Limit, LimitField } from "./LimitField";
import { isBusy } from "../../clips/queries";
import { useNullTest } from "./queries";

export default function ResultPage() {
  const { testId = "" } = useParams();
  const test = useNullTest(testId);
  if (test.isPending) return <Box color="ink2">Loading</Box>;
  if (test.isError) {
    return (
      <Notice kind="fault" word="Not opened.">
        {sentenceOf(test.error)}
      </Notice>
    );
  }
  const data = test.data;
  if (isBusy(data.status)) return <UnderWay test={data} />;
  if (data.result) return <Result test={data} result={data.result} />;
  return <NoResult test={data} />;
}

function useAnotherPair(test: NullTestDetail) {
  const navigate = useNavigate();
  const { song } = useSongContext();
  return (again: boolean) =>
    navigate(`/songs/${song.id}/verify`, {
      state: again ? { a: test.clip_a, b: test.clip_b } : null,
    });
}

function UnderWay({ test }: { test: NullTestDetail }) {
  const client = useQueryClient();
  const cancel = async () => {
    try {
      await ask(
        api.POST("/api/v1/null-tests/{test_id}/cancel", { params: { path: { test_id: test.id } } }),
      );
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
    await client.invalidateQueries({ queryKey: ["null-test", test.id] });
  };
  return (
    <Box maxWidth="760px">
      <SheetTitle page about={`${test.a_name} against ${test.b_name}`}>
        Null test under way
      </SheetTitle>
      <Box marginBlock="14px">
        <Course share={test.progress} stages={["align", "match", "subtract"]} label="Null test" />
      </Box>
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="12px">
        <Box flex="1" role="status">
          <strong>{num(test.progress * 100, 0)} %</strong>,{" "}
          {test.status === "queued" ? "waiting its turn" : test.stage || "starting"}
          {test.attempt > 1 && `; attempt ${test.attempt}, taken up again after an interruption`}
        </Box>
        <Press onClick={() => void cancel()}>Cancel the test</Press>
      </Box>
      <Box as="p" color="ink2" fontSize="13px" marginTop="6px">
        Keep working: the test goes on by itself. Cancelling keeps both clips.
      </Box>
    </Box>
  );
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
            <span>
              {clockFine(result.compared_s)}, {num(result.compared_samples, 0)} samples
              {test.finished_at && `, tested ${timeOfDay(new Date(test.finished_at))}`}
            </span>
          </Box>
        </Box>
      </Box>
      <Box marginTop="12px">
        <NullScale result={result} />
      </Box>
      <Figures result={result} />
      <Box display="grid" gridTemplateColumns={two} gap="14px 28px" marginTop="10px">
        <Box as="section" minWidth="0">
          <Heading
            title="Overlay"
            about={`${num(result.overlay.a.length * result.overlay.step_ms, 0)} ms of the ${result.overlay.channel} channel from ${clockFine(result.overlay.start_s)}`}
          >
            <Legend />
          </Heading>
          <OverlayChart result={result} />
        </Box>
        <Box as="section" minWidth="0">
          <Causes result={result} />
        </Box>
        <Box as="section" minWidth="0">
          <Heading
            title="What each step bought"
            about="residual against A in dB, after matching one thing more"
          />
          <StepsChart steps={result.steps} />
        </Box>
        <Box as="section" minWidth="0">
          <Channels result={result} />
        </Box>
        <Box as="section" minWidth="0">
          <Heading title="Over time" about="dBFS, loudest 50 ms in each step" />
          <LevelsOverTime result={result} />
        </Box>
        <Box as="section" minWidth="0">
          <Heading title="By third-octave" about="dBFS, over all that was compared" />
          <BandLevels result={result} />
        </Box>
      </Box>
      <Audition test={test} />
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

function Legend() {
  return (
    <Box display="flex" gap="12px" fontSize="13px" whiteSpace="nowrap" alignItems="center">
      <Box
        as="span"
        display="inline-block"
        width="26px"
        borderTop="1.5px solid"
        borderColor="ink"
      />
      A
      <Box as="span" display="inline-block" width="26px" borderTop="6px solid" borderColor="band" />
      B
    </Box>
  );
}

function Figures({ result }: { result: NullResult }) {
  const rows: [string, string, string][] = [
    [
      "Offset of B",
      signed(result.offset_samples, Number.isInteger(result.offset_samples) ? 0 : 2),
      "samples",
    ],
    ["", signed(result.offset_ms, 4), "ms"],
    ["Gain of B", signed(result.gain_db, 2), "dB"],
    ["Polarity", polarityWord(result), ""],
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

const WORDS: Record<string, string> = {
  level: "the level",
  offset: "the offset",
  polarity: "the polarity",
  channels: "the channels",
  residual: "the residual",
  all: "everything",
};

function Causes({ result }: { result: NullResult }) {
  return (
    <>
      <Heading title="Causes" about="what each explains, and the evidence" />
      <Box as="ol" borderTop="1px solid" borderColor="ink">
        {result.causes.map((cause, i) => (
          <Box
            as="li"
            key={cause.code}
            display="grid"
            gridTemplateColumns="26px minmax(0, 1fr) auto"
            gap="2px 8px"
            paddingBlock="6px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box fontFamily="title" fontSize="17px" fontWeight="600">
              {i + 1}
            </Box>
            <Box>
              <Box fontWeight="600">{cause.title}</Box>
              <Box fontSize="13px">{cause.evidence}</Box>
            </Box>
            <Box color="ink2" fontSize="13px" textAlign="right">
              explains{" "}
              <Box as="strong" color="ink">
                {WORDS[cause.explains]}
              </Box>
            </Box>
          </Box>
        ))}
      </Box>
      {result.causes.length === 0 && <Box color="ink2">Nothing differs enough to name.</Box>}
    </>
  );
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
                ? "silent"
                : signed(c.offset_samples, Number.isInteger(c.offset_samples) ? 0 : 3)}
            </Box>
            <Box role="cell">{c.gain_db === null ? "" : signed(c.gain_db, 3)}</Box>
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
      together with gain and polarity by least squares until the residual stopped falling (
      {ms(result.offset_ms)} ms here). The residual is A less the matched B; its depth is its RMS
      against that of A.{" "}
      {result.rounding_floor_dbfs !== null &&
        `The word lengths leave ${num(result.rounding_floor_dbfs, 1)} dBFS at best. `}
      {result.notes.join(" ")}
    </HowComputed>
  );
}
