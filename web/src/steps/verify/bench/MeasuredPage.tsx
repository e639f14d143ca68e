/** One measurement: under way, failed, or what the device really does beside what was planned. */
import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";

import { api, ask, sentenceOf } from "../../../api/client";
import { MeasuredRepeats, type PlannedRepeats } from "../../../charts/MeasuredRepeats";
import { Pictured } from "../../../charts/Pictured";
import { ReadsDoes } from "../../../charts/ReadsDoes";
import { isBusy } from "../../../clips/queries";
import { useKinds } from "../../../rigs/kinds";
import { timeFields } from "../../../rigs/times";
import { useRoute } from "../../../rigs/variants";
import { useSongContext } from "../../../song/context";
import { announce, HowComputed, Notice, Pennant, Press, SheetTitle } from "../../../ui/controls";
import { num, signed } from "../../../ui/format";
import { useKey } from "../../../ui/keys";
import { Choice } from "../../../ui/QuantityField";
import { UnderWay, useEnded } from "../UnderWay";
import { Ways } from "../Ways";
import { apartOf, rowText } from "./beside";
import { WORDS } from "./form";
import { HaltCourse } from "./HaltCourse";
import { type BenchResult, type MeasurementDetail, useMeasurement } from "./queries";
import { writesOf } from "./writes";

export default function MeasuredPage() {
  const { measurementId = "" } = useParams();
  const row = useMeasurement(measurementId);
  useEnded(row.data !== undefined && !isBusy(row.data.status));
  if (row.isPending) return <Box color="ink2">Loading</Box>;
  if (row.isError)
    return (
      <Notice kind="fault" word="Not opened.">
        {sentenceOf(row.error)}
      </Notice>
    );
  return (
    <Box>
      <Ways here="bench" />
      {row.data.result ? (
        <Measured row={row.data} result={row.data.result} />
      ) : (
        <NotYet row={row.data} />
      )}
    </Box>
  );
}

function NotYet({ row }: { row: MeasurementDetail }) {
  const { song } = useSongContext();
  const back = (
    <Box asChild color="ink" fontWeight="600">
      <Link to={`/songs/${song.id}/verify/bench/${row.kind}`}>Measure again</Link>
    </Box>
  );
  if (!isBusy(row.status))
    return (
      <Notice
        kind={row.status === "cancelled" ? "note" : "fault"}
        word={row.status === "cancelled" ? "Cancelled." : "Not measured."}
        actions={back}
      >
        {row.status === "cancelled" ? "The take is kept." : row.problem}
      </Notice>
    );
  return (
    <UnderWay
      title="Measuring"
      about={row.device || WORDS[row.kind].device}
      stages={["find", "read", "compare"]}
      label="Measurement"
      row={row}
      cancelWord="Cancel"
      note="Keep working: it goes on by itself. Cancelling keeps the take."
      cancel={() =>
        ask(
          api.POST("/api/v1/measurements/{measurement_id}/cancel", {
            params: { path: { measurement_id: row.id } },
          }),
        )
      }
      queryKey={["measurement", row.id]}
    />
  );
}

function Measured({ row, result }: { row: MeasurementDetail; result: BenchResult }) {
  const { song } = useSongContext();
  const two = { base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) minmax(0, 1fr)" };
  const { readings, delay, compared } = result;
  const planned: PlannedRepeats | null =
    row.plan.label_ms != null && row.plan.first_db != null && row.plan.each_db != null
      ? { every_ms: row.plan.label_ms, first_db: row.plan.first_db, each_db: row.plan.each_db }
      : null;
  const repeats = delay !== null && delay !== undefined && delay.repeats.length > 0;
  // The table stands beside the first that is drawn.
  const beside = repeats ? [] : result.pictures.slice(0, 1);
  const below = result.pictures.slice(beside.length);
  const shown = (picture: BenchResult["pictures"][number]) => (
    <Box as="section" key={picture.title} minWidth="0">
      <Pictured picture={picture} tall={170} />
    </Box>
  );
  return (
    <Box>
      <HaltCourse halts={result.halts} label="Halts of the measurement" />
      <Box display="flex" gap="14px" alignItems="flex-start" marginTop="12px">
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
          <Box color="ink2" fontSize="14px" marginTop="2px">
            {result.about}
            {row.stand_in && " Simulated: no device was connected."}
          </Box>
        </Box>
      </Box>
      {result.cautions.map((words) => (
        <Box key={words} display="flex" gap="8px" alignItems="center" marginTop="6px">
          <Pennant kind="caution" small />
          <Box color="caution" fontWeight="650">
            {words}
          </Box>
        </Box>
      ))}
      {readings && (
        <Box as="section" marginTop="12px" minWidth="0">
          <SheetTitle sub about="what it shows, over what it does; the hairline is the plan">
            Reads and does
          </SheetTitle>
          <ReadsDoes
            marks={readings.marks}
            nearest={readings.nearest}
            now={readings.now ?? null}
            wanted={readings.wanted_ms}
          />
          <Box color="ink2" fontSize="13px">
            {readings.steady
              ? `Read at several times: ${signed(readings.offset_percent, 2)} % and ${signed(readings.offset_ms, 2)} ms, within ${num(readings.tolerance_ms, 2)} ms.`
              : "Read at one time only: a share is assumed. Measure at another time to tell it from a constant."}
          </Box>
        </Box>
      )}
      <Box display="grid" gridTemplateColumns={two} gap="14px 32px" marginTop="14px">
        {repeats && (
          <Box as="section" minWidth="0">
            <SheetTitle
              sub
              about={`${planned ? "ring: planned; post: measured; " : ""}dB against dry`}
            >
              Repeats
            </SheetTitle>
            <MeasuredRepeats repeats={delay!.repeats} plan={planned} />
          </Box>
        )}
        {beside.map(shown)}
        <Box as="section" minWidth="0">
          <Table rows={compared} />
          {result.refused.map((one) => (
            <Box key={one.what + one.why} fontSize="13px" color="ink2" marginTop="4px">
              <strong>Not stated</strong> ({one.what.replaceAll("_", " ")}): {one.why}
            </Box>
          ))}
        </Box>
        {below.map(shown)}
      </Box>
      <Actions row={row} result={result} />
      <Box display="flex" flexWrap="wrap" gap="8px 18px" marginTop="10px" alignItems="center">
        <Box flex="1" minWidth="220px">
          <HowComputed>
            The take was found by the marker at its beginning and its end, which are{" "}
            {num(Math.abs(result.take.clock_ppm), 1)} ppm from where one clock would have them. Peak{" "}
            {num(result.take.peak_dbfs, 1)} dBFS
            {result.take.range_db != null && `, ${num(result.take.range_db, 0)} dB over the noise`}.
            Each halt was cut by its own time and read against what was sent. “Holds within” is how
            far two readings of the same take lay apart, or what the method is good for.
          </HowComputed>
        </Box>
        <Box asChild color="ink" fontWeight="600">
          <Link to={`/songs/${song.id}/verify/measured/${row.id}/proof`}>Proof sheet</Link>
        </Box>
        <Box asChild color="ink" fontWeight="600">
          <Link to={`/songs/${song.id}/verify/bench/${row.kind}`}>Measure again</Link>
        </Box>
      </Box>
    </Box>
  );
}

function Table({ rows }: { rows: BenchResult["compared"] }) {
  const columns = "minmax(0, 1.5fr) 1fr 1fr 1fr 0.9fr";
  return (
    <>
      <SheetTitle sub>Measured against planned</SheetTitle>
      <Box role="table" aria-label="Measured against planned" marginTop="2px">
        <Box
          role="row"
          display="grid"
          gridTemplateColumns={columns}
          gap="8px"
          color="ink2"
          fontSize="13px"
          textAlign="right"
          paddingBlock="3px"
          borderBottom="1px solid"
          borderColor="ink"
        >
          <Box role="columnheader" textAlign="left">
            what
          </Box>
          <Box role="columnheader">planned</Box>
          <Box role="columnheader">measured</Box>
          <Box role="columnheader">apart</Box>
          <Box role="columnheader">holds within</Box>
        </Box>
        {rows.map((row, i) => {
          const apart = apartOf(row);
          return (
            <Box
              role="row"
              key={row.name}
              display="grid"
              gridTemplateColumns={columns}
              gap="8px"
              minHeight="33px"
              alignItems="center"
              textAlign="right"
              borderBottom="1px solid"
              borderColor="rule"
              background={i === 0 ? "well" : undefined}
              boxShadow={i === 0 ? "inset 4px 0 0 var(--chakra-colors-ink)" : undefined}
              paddingLeft={i === 0 ? "10px" : "10px"}
            >
              <Box role="cell" textAlign="left" fontWeight="650" fontSize="14px">
                {row.name}
                {row.unit && `, ${row.unit}`}
              </Box>
              <Box role="cell" color="ink2">
                {rowText(row, row.planned, row.planned_words ?? "")}
              </Box>
              <Box role="cell" fontWeight="650">
                {rowText(row, row.measured, row.words ?? "") || "not stated"}
              </Box>
              <Box role="cell" fontWeight="650" color={apart.off ? "diff" : "ok"}>
                {apart.text}
              </Box>
              <Box role="cell" color="ink2" fontSize="13px">
                {row.holds_within == null || row.measured == null
                  ? ""
                  : num(row.holds_within, Math.max(2, row.digits ?? 2))}
              </Box>
            </Box>
          );
        })}
      </Box>
    </>
  );
}

function Actions({ row, result }: { row: MeasurementDetail; result: BenchResult }) {
  const { song, edit, hand } = useSongContext();
  const client = useQueryClient();
  const route = useRoute();
  const kinds = useKinds().data ?? [];
  const { readings, delay } = result;
  const [into, setInto] = useState("");
  const profile = row.plan.profile ?? null;
  const keep = async () => {
    if (!readings || !profile) return;
    const corrected = {
      ...profile,
      name: row.plan.device || profile.name,
      offset_percent: readings.offset_percent,
      offset_ms: readings.offset_ms,
    };
    try {
      const devices = await ask(api.GET("/api/v1/devices"));
      const mine = devices.find((d) => d.id && d.profile.name === corrected.name);
      if (mine?.id)
        await ask(
          api.PUT("/api/v1/devices/{device_id}", {
            params: { path: { device_id: mine.id } },
            body: corrected,
          }),
        );
      else await ask(api.POST("/api/v1/devices", { body: corrected }));
      await client.invalidateQueries({ queryKey: ["devices"] });
      const before = song.device;
      edit({ device: corrected });
      announce(
        `“${corrected.name}” is kept with ${signed(readings.offset_percent, 2)} %: Time says what to set on it.`,
        { kind: "passed", action: { word: "Undo", run: () => edit({ device: before }) } },
      );
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };
  const fields = timeFields(route.variant, kinds);
  const stage = fields.find((f) => f.id === hand.tools?.stage) ?? fields[0];
  useKey("measured", "K", () => void keep(), readings !== null && profile !== null);
  const writes = writesOf(result, route.variant);
  const write = writes.find((w) => w.node === into) ?? writes[0];
  if (!readings && !delay && !write) return null;
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      gap="8px 12px"
      alignItems="center"
      marginTop="14px"
      paddingTop="8px"
      borderTop="1px solid"
      borderColor="ink"
    >
      {readings && profile && (
        <Press look="primary" hint="K" onClick={() => void keep()}>
          Keep {signed(readings.offset_percent, 1)} % with this device: set{" "}
          {num(readings.nearest.label_ms, 2).replace(/\.?0+$/, "")}
        </Press>
      )}
      {delay?.time_ms != null && stage && (
        <Press
          title={`It is ${stage.value} now`}
          onClick={() =>
            route.send(
              [
                {
                  do: "set",
                  node: stage.node,
                  values: { [stage.field]: `${num(delay.time_ms!, 2)} ms` },
                },
              ],
              `${stage.name} of ${route.named} is what the device does.`,
            )
          }
        >
          Write {num(delay.time_ms, 2)} ms into {stage.name} of {route.named}
        </Press>
      )}
      {write && writes.length > 1 && (
        <Choice
          aria-label={`Stage of ${route.named} that it stands for`}
          width="auto"
          maxWidth="220px"
          value={write.node}
          onChange={(event) => setInto(event.target.value)}
        >
          {writes.map((w) => (
            <option key={w.node} value={w.node}>
              {w.name}
            </option>
          ))}
        </Choice>
      )}
      {write && (
        <Press
          onClick={() =>
            route.send(
              [{ do: "set", node: write.node, values: write.values }],
              `${write.name} of ${route.named} is what the device does.`,
            )
          }
        >
          Write {write.words} into {write.name} of {route.named}
        </Press>
      )}
    </Box>
  );
}
