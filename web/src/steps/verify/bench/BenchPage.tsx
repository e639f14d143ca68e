/** The bench: what is to be measured, how, and what was measured before. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { api, ask, sentenceOf } from "../../../api/client";
import { ClipChoice } from "../../../clips/ClipChoice";
import { decoded } from "../../../clips/decoded";
import { isBusy, useReadyClips } from "../../../clips/queries";
import { useSongContext } from "../../../song/context";
import { Notice, Pennant, Press, SheetTitle } from "../../../ui/controls";
import { deleteWithUndo } from "../../../ui/deleting";
import { num, timeOfDay } from "../../../ui/format";
import { useKey } from "../../../ui/keys";
import { Choice, Labelled, TextInput } from "../../../ui/QuantityField";
import { DevicePicker } from "../../../devices/DevicePicker";
import { Ways } from "../Ways";
import {
  type Kind,
  KINDS,
  type Law,
  LAWS,
  PLANNED,
  planFor,
  typedFault,
  typedNumber,
  WORDS,
} from "./form";
import { HaltCourse } from "./HaltCourse";
import { PlayRecord } from "./PlayRecord";
import { type Measurement, useBench, useMeasurements } from "./queries";
import { useWanted } from "./useWanted";

const ROOMS = [2, 4, 8, 15];
type How = "stand-in" | "record" | "take";

export default function BenchPage() {
  const { kind: named } = useParams();
  const kind: Kind = KINDS.find((k) => k === named) ?? "delay";
  // Everything that is typed belongs to one kind.
  return <Bench key={kind} kind={kind} />;
}

function Bench({ kind }: { kind: Kind }) {
  const { song, edit } = useSongContext();
  const client = useQueryClient();
  const navigate = useNavigate();
  const clips = useReadyClips(song.id);
  const [roomS, setRoomS] = useState(4);
  const bench = useBench(song.sample_rate_hz, roomS);
  const before = useMeasurements(song.id);
  const wanted = useWanted(kind);
  const [how, setHow] = useState<How>("stand-in");
  const [standIn, setStandIn] = useState("");
  const [take, setTake] = useState("");
  const [playing, setPlaying] = useState(false);
  const [device, setDevice] = useState<string | null>(null);
  const [wetOnly, setWetOnly] = useState(false);
  const [law, setLaw] = useState<Law | "">("");
  const [typed, setTyped] = useState<Record<string, string>>({});

  const known = bench.data?.find((k) => k.kind === kind);
  const fields = PLANNED[kind];
  const textOf = (field: string) => typed[field] ?? wanted.suggested[field] ?? "";
  const faults = fields.map((f) => typedFault(textOf(f.field), f)).filter(Boolean);
  const chosen = known?.stand_ins.find((d) => d.key === standIn) ?? known?.stand_ins[0];
  const name = (device ?? (kind === "delay" ? (song.device?.name ?? "") : "")).trim();

  const run = useMutation({
    mutationFn: async (from: { stand_in?: string; take?: string; together: boolean }) => {
      // What was recorded a moment ago is read first.
      if (from.take) await decoded(from.take);
      const numbers = Object.fromEntries(
        fields.flatMap((f) => {
          const value = typedNumber(textOf(f.field), f);
          return value === null ? [] : [[f.field, value]];
        }),
      );
      return ask(
        api.POST("/api/v1/songs/{song_id}/measurements", {
          params: { path: { song_id: song.id } },
          body: {
            signal: { kind, rate_hz: song.sample_rate_hz, room_s: roomS },
            plan: {
              ...planFor(kind, numbers),
              device: name,
              profile: kind === "delay" ? song.device : null,
              wet_only: wetOnly,
              mix_law: kind === "mix" && law ? law : null,
              earlier: [],
              starts_together: from.together,
            },
            stand_in: from.stand_in ?? "",
            take: from.take ?? null,
          },
        }),
      );
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["measurements", song.id] });
      navigate(`/songs/${song.id}/verify/measured/${made.id}`);
    },
  });
  const ready =
    faults.length === 0 &&
    !run.isPending &&
    (how === "stand-in" ? Boolean(chosen) : how === "take" ? take !== "" : Boolean(known));
  const start = () => {
    if (!ready) return;
    if (how === "record") setPlaying(true);
    else if (how === "take") run.mutate({ take, together: false });
    else if (chosen) run.mutate({ stand_in: chosen.key, together: true });
  };
  useKey("bench", "N", start, ready);
  const words = WORDS[kind];
  const address = (rate: number) =>
    `/api/v1/bench/signals/${kind}.wav?rate_hz=${rate}&room_s=${roomS}`;

  return (
    <Box>
      <Ways here="bench" />
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 18px">
        <SheetTitle page>Bench</SheetTitle>
        <Box as="nav" aria-label="What is measured" display="flex" flexWrap="wrap" gap="0 16px">
          {KINDS.map((k) => (
            <Link
              key={k}
              to={`/songs/${song.id}/verify/bench/${k}`}
              aria-current={k === kind ? "page" : undefined}
              style={{ color: "inherit", textDecoration: "none" }}
            >
              <Box
                minHeight={{ base: "44px", sm: "32px" }}
                display="flex"
                alignItems="center"
                fontWeight={k === kind ? 650 : 400}
                color={k === kind ? "ink" : "ink2"}
                borderBottom="3px solid"
                borderColor={k === kind ? "ink" : "transparent"}
              >
                {WORDS[k].name}
              </Box>
            </Link>
          ))}
        </Box>
        <Box color="ink2" fontSize="13px">
          a test signal goes through the device and comes back: {words.about}
        </Box>
      </Box>
      <Box marginTop="8px">
        {known && <HaltCourse halts={known.halts} label="Halts of the test signal" />}
      </Box>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="14px 32px"
        marginTop="14px"
      >
        <Box as="section" minWidth="0" aria-label="The device">
          <SheetTitle sub about="what is left empty is measured and not compared">
            The device and its plan
          </SheetTitle>
          <Box display="flex" flexWrap="wrap" gap="10px 14px" marginTop="6px" alignItems="flex-end">
            <Labelled label="device, as you call it">
              <TextInput
                value={device ?? name}
                maxLength={80}
                placeholder={words.device}
                onChange={(event) => setDevice(event.target.value)}
              />
            </Labelled>
            {kind === "delay" && (
              <DevicePicker device={song.device} onChoose={(next) => edit({ device: next })} />
            )}
          </Box>
          {wanted.picker && <Box marginTop="8px">{wanted.picker}</Box>}
          <Box display="flex" flexWrap="wrap" gap="8px 14px" marginTop="8px">
            {fields.map((f) => {
              const fault = typedFault(textOf(f.field), f);
              return (
                <Box key={f.field} width={{ base: "calc(50% - 7px)", sm: "140px" }}>
                  <Labelled label={`${f.label}, ${f.unit}`}>
                    <TextInput
                      inputMode="decimal"
                      value={textOf(f.field)}
                      aria-invalid={fault ? true : undefined}
                      onChange={(event) =>
                        setTyped((old) => ({ ...old, [f.field]: event.target.value }))
                      }
                    />
                  </Labelled>
                  <Box color="diff" fontSize="13px" role={fault ? "alert" : undefined}>
                    {fault}
                  </Box>
                </Box>
              );
            })}
          </Box>
          {kind === "mix" && (
            <Box display="flex" flexWrap="wrap" gap="8px 18px" marginTop="8px">
              <Labelled label="law as planned">
                <Choice value={law} onChange={(event) => setLaw(event.target.value as Law | "")}>
                  <option value="">not known</option>
                  {LAWS.map((one) => (
                    <option key={one} value={one}>
                      {one}
                    </option>
                  ))}
                </Choice>
              </Labelled>
              <Box color="ink2" fontSize="13px" flex="1" minWidth="220px">
                Set the device so that its wet is another sound than the dry: a delay of 300 ms, a
                reverb. Modulation off. Before each position it is still for 4 s: turn it then.
              </Box>
            </Box>
          )}
          {(kind === "delay" || kind === "decay") && (
            <Box
              display="flex"
              flexWrap="wrap"
              gap="8px 18px"
              marginTop="8px"
              alignItems="flex-end"
            >
              <Labelled label="room to die away">
                <Choice value={roomS} onChange={(event) => setRoomS(Number(event.target.value))}>
                  {ROOMS.map((s) => (
                    <option key={s} value={s}>
                      {s} s
                    </option>
                  ))}
                </Choice>
              </Labelled>
              {kind === "delay" && (
                <Box asChild display="flex" gap="8px" alignItems="center" minHeight="31px">
                  <label>
                    <input
                      type="checkbox"
                      checked={wetOnly}
                      onChange={(event) => setWetOnly(event.target.checked)}
                    />
                    no dry sound comes back
                  </label>
                </Box>
              )}
            </Box>
          )}
        </Box>
        <Box as="section" minWidth="0" aria-label="How it is measured">
          <SheetTitle sub about={known && `${num(known.seconds, 1)} s of signal`}>
            How it is measured
          </SheetTitle>
          <Box role="radiogroup" aria-label="How it is measured" marginTop="4px">
            {(
              [
                ["stand-in", "Through a simulated device"],
                ["record", "Play and record here, through the interface"],
                ["take", "From a take: the signal played and recorded elsewhere"],
              ] as const
            ).map(([value, label]) => (
              <Box
                key={value}
                asChild
                display="flex"
                gap="8px"
                alignItems="center"
                minHeight={{ base: "44px", sm: "32px" }}
              >
                <label>
                  <input
                    type="radio"
                    name="how"
                    checked={how === value}
                    onChange={() => setHow(value)}
                  />
                  <Box as="span" fontWeight={how === value ? 650 : 400}>
                    {label}
                  </Box>
                </label>
              </Box>
            ))}
          </Box>
          <Box paddingLeft="22px" marginTop="4px" minHeight="56px">
            {how === "stand-in" && known && (
              <Labelled label="simulated device">
                <Choice
                  value={chosen?.key ?? ""}
                  onChange={(event) => setStandIn(event.target.value)}
                >
                  {known.stand_ins.map((d) => (
                    <option key={d.key} value={d.key}>
                      {d.name}: {d.words}
                    </option>
                  ))}
                </Choice>
              </Labelled>
            )}
            {how === "record" && (
              <Box color="ink2" fontSize="13px">
                Output of the interface into the device, device into an input. Monitors down,
                headphones off. Measure the cable alone first: what it takes is the set-up&apos;s.
              </Box>
            )}
            {how === "take" && (
              <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="flex-end">
                <ClipChoice label="take" clips={clips} value={take} onChoose={setTake} />
                <Box asChild color="ink" minHeight="31px" display="flex" alignItems="center">
                  <a href={address(song.sample_rate_hz)} download>
                    Download the signal, WAV
                  </a>
                </Box>
                <Box color="ink2" fontSize="13px" flexBasis="100%">
                  Found by its markers, wherever it lies in the take, at any level and rate.
                </Box>
              </Box>
            )}
          </Box>
          <Box marginTop="10px">
            <Press look="primary" hint="N" disabled={!ready} onClick={start}>
              {how === "record"
                ? "Set the level and record"
                : `Measure ${words.device.toLowerCase()}`}
            </Press>
          </Box>
          {run.isError && (
            <Notice kind="fault" word="Not started.">
              {sentenceOf(run.error)}
            </Notice>
          )}
        </Box>
      </Box>
      <Before rows={before.data ?? []} songId={song.id} />
      {playing && known && (
        <PlayRecord
          songId={song.id}
          kind={known}
          address={address}
          onClose={() => setPlaying(false)}
          onTake={(clip) => {
            setPlaying(false);
            run.mutate({ take: clip, together: true });
          }}
        />
      )}
    </Box>
  );
}

function Before({ rows, songId }: { rows: Measurement[]; songId: string }) {
  const client = useQueryClient();
  const refresh = () => client.invalidateQueries({ queryKey: ["measurements", songId] });
  const remove = (row: Measurement) => {
    const path = { params: { path: { measurement_id: row.id } } };
    return deleteWithUndo(
      "The measurement is deleted.",
      () => ask(api.DELETE("/api/v1/measurements/{measurement_id}", path)),
      () => ask(api.POST("/api/v1/measurements/{measurement_id}/restore", path)),
      refresh,
    );
  };
  return (
    <Box as="section" marginTop="18px">
      <SheetTitle sub about={rows.length ? "newest first" : undefined}>
        Measured so far
      </SheetTitle>
      {rows.length === 0 && <Box color="ink2">Nothing yet.</Box>}
      <Box
        as="ul"
        marginTop="6px"
        borderTop={rows.length ? "1px solid" : undefined}
        borderColor="ink"
      >
        {rows.map((row) => (
          <Box
            as="li"
            key={row.id}
            display="grid"
            gridTemplateColumns={{
              base: "minmax(0, 1fr) auto",
              md: "52px 96px minmax(0, 1fr) auto",
            }}
            gap="2px 14px"
            alignItems="center"
            minHeight="41px"
            paddingBlock="6px"
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box color="ink2" hideBelow="md">
              {timeOfDay(new Date(row.created_at))}
            </Box>
            <Box color="ink2" hideBelow="md">
              {WORDS[row.kind].name}
              {row.stand_in && ", sim."}
            </Box>
            <Box minWidth="0">
              {row.status === "failed" && <Pennant kind="fault" small />}{" "}
              {row.sentence ??
                (row.status === "failed"
                  ? row.problem
                  : isBusy(row.status)
                    ? `${row.stage || "waiting"}, ${num(row.progress * 100, 0)} %`
                    : row.status)}
            </Box>
            <Box display="flex" gap="8px">
              <Box asChild fontWeight="600">
                <Link
                  to={`/songs/${songId}/verify/measured/${row.id}`}
                  aria-label={`Open the measurement of ${row.device || row.kind}`}
                  style={{ color: "inherit", textUnderlineOffset: 3, alignSelf: "center" }}
                >
                  Open
                </Link>
              </Box>
              <Press
                look="quiet"
                named={`the measurement of ${row.device || row.kind}`}
                onClick={() => void remove(row)}
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
