/** The song's tempo map: sections over time, from and to MIDI files, suggested by a clip. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Section, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { TempoStrip } from "../../charts/TempoStrip";
import { useDraft } from "../../ui/drafts";
import { announce, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { clockFine, msShort, num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField, TextInput } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import { lengthText, placeWords, readLength, splitAt, TYPE_A_LENGTH } from "../../ui/length";
import { FromClip, FromMidi } from "./TempoSources";
import type { DelayHandle } from "./useDelay";

const UNITS = [2, 4, 8, 16] as const;
const BEATS = ["1/4", "1/4.", "1/8", "1/8.", "1/2", "1/2.", "1/16"];

export function TempoMapSheet({ handle }: { handle: DelayHandle }) {
  const { song, edit } = useSongContext();
  const { line } = handle;
  const [selected, setSelected] = useState(0);
  const [position, setPosition] = useState<{ at_bar?: number; at_beat?: number; at_s?: number }>({
    at_bar: 1,
  });
  const sections = song.tempo_map;
  const at = Math.min(selected, sections.length - 1);
  const found = useQuery({
    queryKey: ["tempo-map", sections, line.value, line.device, position, song.sample_rate_hz],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/compute/tempo-map", {
          body: {
            sections,
            sample_rate_hz: song.sample_rate_hz,
            delay: line.value,
            device: line.device,
            at_beat: 1,
            ...position,
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const data = found.data;
  const store = (next: Section[]) => edit({ tempo_map: next });
  const change = (index: number, values: Partial<Section>) =>
    store(sections.map((s, i) => (i === index ? { ...s, ...values } : s)));
  const own = sections[at]!;
  const barsOf = (index: number) => sections[index]!.bars ?? data?.sections[index]?.bars ?? 8;
  const add = () => {
    const closed = sections.map((s, i) => (i === at ? { ...s, bars: s.bars ?? 8 } : s));
    const after = {
      ...own,
      name: "",
      bars: own.bars ?? null,
      beats: own.beats ?? 0,
      tempo_bpm: own.ramp_to_bpm ?? own.tempo_bpm,
      ramp_to_bpm: null,
    };
    store([...closed.slice(0, at + 1), after, ...closed.slice(at + 1)]);
    setSelected(at + 1);
  };
  const drop = () => {
    const before = sections;
    const rest = sections.filter((_, i) => i !== at);
    store(rest);
    setSelected(Math.max(0, at - 1));
    announce("Section taken out.", { action: { word: "Undo", run: () => store(before) } });
  };
  return (
    <Box minWidth="0">
      <Box color="ink2" fontSize="13px">
        Drag a line for its tempo, a section\'s end for its length (with Shift by beats). Keys: ← →
        section, ↑ ↓ tempo, [ ] bars, {"{ }"} beats.
      </Box>
      {found.isError && (
        <Notice kind="fault" word="Not computed.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      {data && data.sections.length === sections.length && (
        <TempoStrip
          map={data}
          sections={sections}
          selected={at}
          at={data.position?.seconds ?? null}
          onSelect={setSelected}
          onTempo={(i, tempo_bpm) =>
            change(i, { tempo_bpm: Math.min(999, Math.max(1, tempo_bpm)) })
          }
          onLength={(i, length) => change(i, length)}
          onPosition={(at_s) => setPosition({ at_s: Number(at_s.toFixed(3)) })}
        />
      )}
      <Box
        key={at}
        role="group"
        aria-label="Section"
        display="flex"
        flexWrap="wrap"
        gap="8px 12px"
        alignItems="flex-start"
        marginTop="6px"
      >
        <Labelled label="Section">
          <Plain
            value={own.name ?? ""}
            width="130px"
            onSet={(name) => change(at, { name: name.slice(0, 40) })}
          />
        </Labelled>
        <Labelled label="Bars + beats">
          <Plain
            value={lengthText({ bars: own.bars ?? null, beats: own.beats ?? 0 })}
            width="96px"
            placeholder="open"
            onSet={(text) => {
              const length = readLength(text, own.metre_count ?? 4);
              if (!length) return TYPE_A_LENGTH;
              if (length.bars === null && at < sections.length - 1)
                return "Only the last section can be open: say how long it is.";
              change(at, length);
            }}
          />
        </Labelled>
        <QuantityField
          label="Tempo"
          kind="tempo"
          unit="BPM"
          width="110px"
          value={String(own.tempo_bpm)}
          onCommit={(read) => change(at, { tempo_bpm: read.value })}
        />
        <Labelled label="Ramp to, BPM">
          <Plain
            value={own.ramp_to_bpm ? String(own.ramp_to_bpm) : ""}
            width="84px"
            placeholder="none"
            onSet={(text) => {
              const bpm = Number.parseFloat(text.replace(",", "."));
              change(at, {
                ramp_to_bpm: text.trim() === "" || Number.isNaN(bpm) ? null : bpm,
                bars: own.bars ?? barsOf(at),
              });
            }}
          />
        </Labelled>
        <Labelled label="Beat">
          <Choice
            value={own.beat_unit}
            onChange={(event) => change(at, { beat_unit: event.target.value })}
          >
            {[...new Set([...BEATS, own.beat_unit ?? "1/4"])].map((b) => (
              <option key={b}>{b}</option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="Metre">
          <Box display="flex" gap="4px" alignItems="center">
            <Plain
              label="Beats in a bar"
              value={String(own.metre_count)}
              width="48px"
              onSet={(text) => {
                const count = Number.parseInt(text, 10);
                if (count >= 1 && count <= 64) change(at, { metre_count: count });
              }}
            />
            /
            <Choice
              aria-label="Metre unit"
              width="auto"
              value={own.metre_unit}
              onChange={(event) =>
                change(at, { metre_unit: Number(event.target.value) as Section["metre_unit"] })
              }
            >
              {UNITS.map((u) => (
                <option key={u}>{u}</option>
              ))}
            </Choice>
          </Box>
        </Labelled>
        <Press marginTop={{ sm: "21px" }} onClick={add}>
          A section after it
        </Press>
        <Press
          look="quiet"
          marginTop={{ sm: "21px" }}
          disabled={sections.length < 2}
          onClick={drop}
        >
          Take it out
        </Press>
      </Box>
      {data && (
        <Box
          display="grid"
          gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1.4fr) minmax(0, 1fr)" }}
          gap="10px 24px"
          marginTop="10px"
        >
          <Box overflowX="auto">
            <SheetTitle
              sub
              about={
                data.follows
                  ? `${line.value} in each section; one time kept for all: ${msShort(data.kept_ms)} ms, at worst ${signed(data.worst_error_ms, 1)} ms`
                  : "typed in ms: it stays while the tempo changes"
              }
            >
              {line.name} along the song
            </SheetTitle>
            <Table>
              <thead>
                <tr>
                  <Th textAlign="left">Section</Th>
                  <Th>from bar</Th>
                  <Th>at</Th>
                  <Th>delay, ms</Th>
                  <Th>set</Th>
                  <Th>if kept</Th>
                </tr>
              </thead>
              <tbody>
                {data.sections.map((s, i) => (
                  <tr key={i}>
                    <Td textAlign="left" fontWeight={i === at ? 650 : 400}>
                      {sections[i]?.name || `Section ${i + 1}`}
                    </Td>
                    <Td>{placeWords(s.first_bar, s.first_beat)}</Td>
                    <Td>{clockFine(s.start_s)}</Td>
                    <Td fontWeight="650">
                      {msShort(s.delay_ms)}
                      {Math.abs(s.end_delay_ms - s.delay_ms) > 0.005 &&
                        ` to ${msShort(s.end_delay_ms)}`}
                    </Td>
                    <Td>{s.setting ? `${Number(s.setting.set_ms.toFixed(3))} ms` : "no device"}</Td>
                    <Td
                      color={
                        i === data.worst_section && Math.abs(s.kept_error_ms) > 0.005
                          ? "diff"
                          : "ink"
                      }
                    >
                      {signed(s.kept_error_ms, 1)} ms
                    </Td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Box>
          <Box>
            <SheetTitle sub about="either way">
              Where and when
            </SheetTitle>
            <Box
              key={`${data.position?.bar} ${data.position?.beat}`}
              display="flex"
              flexWrap="wrap"
              gap="8px 12px"
              alignItems="flex-start"
              marginTop="4px"
            >
              <Labelled label="Bar">
                <Plain
                  value={String(data.position?.bar ?? 1)}
                  width="70px"
                  onSet={(text) => {
                    const bar = Number.parseInt(text, 10);
                    if (bar >= 1) setPosition({ at_bar: bar, at_beat: data.position?.beat ?? 1 });
                  }}
                />
              </Labelled>
              <Labelled label="Beat of the metre">
                <Plain
                  value={num(
                    data.position?.beat ?? 1,
                    (data.position?.beat ?? 1) % 1 > 0.001 ? 2 : 0,
                  )}
                  width="84px"
                  onSet={(text) => {
                    const beat = Number.parseFloat(text.replace(",", "."));
                    if (beat >= 1) setPosition({ at_bar: data.position?.bar ?? 1, at_beat: beat });
                  }}
                />
              </Labelled>
              <QuantityField
                label="Time"
                kind="time"
                width="130px"
                value={`${(data.position?.seconds ?? 0).toFixed(3)} s`}
                onCommit={(read) => setPosition({ at_s: read.value / 1000 })}
              />
              <Box fontSize="14px" marginTop={{ sm: "27px" }}>
                {data.position && `${num(data.position.bpm, 2)} BPM there`}
              </Box>
            </Box>
            <Press
              marginTop="8px"
              disabled={!data.position || !splitAt(sections, data, data.position)}
              onClick={() => {
                const next = data.position && splitAt(sections, data, data.position);
                if (!next || !data.position) return;
                store(next);
                setSelected(data.position.section + 1);
                announce(
                  `A section begins at bar ${placeWords(data.position.bar, data.position.beat)}.`,
                );
              }}
            >
              A section from here
            </Press>
            <FromMidi
              onTake={(next) => {
                const before = sections;
                store(next);
                setSelected(0);
                announce("Tempo map taken from the file.", {
                  action: { word: "Undo", run: () => store(before) },
                });
              }}
            />
            <FromClip onTake={(bpm) => change(at, { tempo_bpm: Number(bpm.toFixed(2)) })} />
          </Box>
        </Box>
      )}
      {data && <HowComputed>{data.computed_how}</HowComputed>}
    </Box>
  );
}

function Plain({
  value,
  width,
  label,
  placeholder,
  onSet,
}: {
  value: string;
  width: string;
  label?: string;
  placeholder?: string;
  /** Takes what was typed, or says in a sentence why not; then nothing moves. */
  onSet: (text: string) => string | void;
}) {
  const [draft, setDraft] = useDraft(`${label ?? placeholder ?? ""} ${value}`, value);
  const [problem, setProblem] = useState("");
  const commit = () => {
    const said = draft !== null && draft !== value ? onSet(draft) : undefined;
    setProblem(said ?? "");
    if (!said) setDraft(null);
  };
  return (
    <>
      <TextInput
        aria-label={label}
        aria-invalid={problem !== ""}
        width={width}
        placeholder={placeholder}
        value={draft ?? value}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") {
            setDraft(null);
            setProblem("");
          }
        }}
      />
      {problem && (
        <Box role="alert" fontSize="13px" color="diff" maxWidth="220px">
          {problem}
        </Box>
      )}
    </>
  );
}
