/** The rhythm that a delay makes with what is played: seen, searched, heard and taken away. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, ask, type DelayLine, type Pattern, type Schemas, sentenceOf } from "../../api/client";
import { useKey } from "../../ui/keys";
import { useSongContext } from "../../song/context";
import { Gloss } from "../../ui/Gloss";
import { LatticeChart, pitchName } from "../../charts/LatticeChart";
import { Answer } from "../../ui/Answer";
import { announce, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { msShort, num } from "../../ui/format";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";
import { useStill } from "../../ui/hooks";
import { saveAs, Sounding } from "../../ui/sound";
import { Table, Td, Th } from "../../ui/table";
import type { DelayHandle } from "./useDelay";

type Kept = Schemas["KeptFigure"];

const PLAIN: Kept = {
  pattern: { slots_per_beat: 4, bars: 1, swing_percent: 50, played: [] },
  repeats: 4,
  wraps: true,
};

/** The lattice of the delay in hand over the song's figure. */
export function useLattice(line: DelayLine) {
  const { song, frame } = useSongContext();
  const kept = song.figure ?? PLAIN;
  const pattern = { ...PLAIN.pattern, ...kept.pattern } as Required<Pattern>;
  const repeats = kept.repeats ?? 4;
  const wraps = kept.wraps ?? true;
  const request = { frame, pattern, line, repeats, wraps, threshold_db: 40, tolerance_ms: 12 };
  const found = useQuery({
    queryKey: ["lattice", request],
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/lattice", { body: request, signal })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  return { kept, pattern, repeats, request, found };
}

export function Lattice({ handle }: { handle: DelayHandle }) {
  const { song, frame, edit } = useSongContext();
  const { line, change } = handle;
  const { kept, pattern, repeats, request, found } = useLattice(line);
  const figures = useQuery({
    queryKey: ["figures", frame],
    queryFn: () => ask(api.POST("/api/v1/compute/figures", { body: { frame } })),
    staleTime: Infinity,
  });
  const keep = (values: Partial<Kept>) => edit({ figure: { ...PLAIN, ...kept, ...values } });
  const setPattern = (values: Partial<Pattern>) => keep({ pattern: { ...pattern, ...values } });
  const toggle = (slot: number) => {
    const on = pattern.played.some((n) => n.slot === slot);
    setPattern({
      played: on
        ? pattern.played.filter((n) => n.slot !== slot)
        : [...pattern.played, { slot }].sort((a, b) => a.slot - b.slot),
    });
  };
  const data = found.data;
  return (
    <Box minWidth="0">
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="2px 16px">
        {data && (
          <Box aria-live="polite">
            <Answer>{data.sentence}</Answer>
          </Box>
        )}
        <Box flex="1" />
        {data && (
          <Box fontSize="13px" color="ink2" display="flex" gap="14px">
            <span>
              <Gloss word="slot">slots</Gloss> of {msShort(data.slot_ms)} ms
            </span>
            <Legend kind="fills" /> {data.filled} filled
            <Legend kind="collides" /> {data.collisions} on your notes
          </Box>
        )}
      </Box>
      {found.isError && (
        <Notice
          kind="fault"
          word="Not computed."
          actions={<Press onClick={() => keep(PLAIN)}>Begin the pattern anew</Press>}
        >
          {sentenceOf(found.error)}
        </Notice>
      )}
      {data && <LatticeChart lattice={data} rows={repeats} onToggle={toggle} />}
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="6px">
        <Typed key={JSON.stringify(pattern.played)} pattern={pattern} onRead={setPattern} />
        <Pick
          label="Slots a beat"
          value={pattern.slots_per_beat}
          from={[1, 2, 3, 4, 5, 6, 7, 8, 12]}
          onPick={(slots_per_beat) => setPattern({ slots_per_beat, played: [] })}
        />
        <Pick
          label="Bars"
          value={pattern.bars}
          from={[1, 2, 3, 4]}
          onPick={(bars) =>
            setPattern({
              bars,
              played: pattern.played.filter((n) => !data || n.slot < data.slots_per_bar * bars),
            })
          }
        />
        <Pick
          label="Swing, %"
          value={pattern.swing_percent}
          from={[50, 54, 58, 62, 66, 67, 70, 75]}
          onPick={(swing_percent) => setPattern({ swing_percent })}
        />
        <Pick
          label="Echoes shown"
          value={repeats}
          from={[1, 2, 3, 4, 5, 6, 8]}
          onPick={(n) => keep({ repeats: n })}
        />
        <Labelled label="A ready figure">
          <Choice
            value=""
            onChange={(event) => {
              const one = figures.data?.figures.find((f) => f.id === event.target.value);
              if (!one) return;
              const before = { figure: song.figure, delays: song.delays };
              edit({
                figure: {
                  pattern: one.pattern,
                  repeats: one.line.feedback_percent ? 3 : 1,
                  wraps: true,
                },
                delays: song.delays.map((d, i) =>
                  i === handle.at
                    ? {
                        ...d,
                        value: one.line.value,
                        mode: "single",
                        feedback_percent: one.line.feedback_percent,
                        first_db: one.line.first_db,
                      }
                    : d,
                ),
              });
              announce(`${one.name}. ${one.when}`, {
                action: { word: "Undo", run: () => edit(before) },
              });
            }}
          >
            <option value="">choose one …</option>
            {(figures.data?.figures ?? []).map((f) => (
              <option key={f.id} value={f.id}>
                {f.name}
              </option>
            ))}
          </Choice>
        </Labelled>
      </Box>
      <Listen request={request} />
      {data && pattern.played.length > 0 && (
        <Box
          display="grid"
          gridTemplateColumns={{ base: "minmax(0, 1fr)", sm: "minmax(0, 1fr) minmax(0, 1fr)" }}
          gap="8px 24px"
          marginTop="8px"
        >
          <Best request={request} value={line.value ?? ""} onTake={(value) => change({ value })} />
          <Box>
            <SheetTitle sub about={data.is_figure ? "all met: every slot sounds" : "what it needs"}>
              Eighths heard as sixteenths
            </SheetTitle>
            <Box as="ul" fontSize="14px">
              {data.conditions.map((c) => (
                <li key={c.said}>
                  <Box as="strong" color={c.met ? "ok" : "diff"}>
                    {c.met ? "✓" : "not"}
                  </Box>{" "}
                  {c.said}
                </li>
              ))}
            </Box>
            <HowComputed>{data.computed_how}</HowComputed>
          </Box>
        </Box>
      )}
    </Box>
  );
}

function Legend({ kind }: { kind: "fills" | "collides" }) {
  return (
    <svg width="16" height="16" aria-hidden style={{ verticalAlign: "middle" }}>
      {kind === "fills" ? (
        <circle cx="8" cy="8" r="5" fill="none" stroke="var(--chakra-colors-wet)" strokeWidth="2" />
      ) : (
        <path
          d="M8 1L15 8L8 15L1 8Z"
          fill="var(--chakra-colors-caution-fill)"
          stroke="var(--chakra-colors-ink)"
        />
      )}
    </svg>
  );
}

function Pick({
  label,
  value,
  from,
  onPick,
}: {
  label: string;
  value: number;
  from: number[];
  onPick: (value: number) => void;
}) {
  const choices = from.includes(value) ? from : [...from, value].sort((a, b) => a - b);
  return (
    <Labelled label={label}>
      <Choice width="auto" value={value} onChange={(event) => onPick(Number(event.target.value))}>
        {choices.map((n) => (
          <option key={n} value={n}>
            {n}
          </option>
        ))}
      </Choice>
    </Labelled>
  );
}

/** What is played, as text: slots from 1, with pitches if wanted. */
function Typed({
  pattern,
  onRead,
}: {
  pattern: Required<Pattern>;
  onRead: (p: Partial<Pattern>) => void;
}) {
  const written = pattern.played
    .map(
      (n) =>
        `${n.slot + 1}${n.midi === null || n.midi === undefined ? "" : `:${pitchName(n.midi)}`}`,
    )
    .join(" ");
  const [draft, setDraft] = useState(written);
  const [bad, setBad] = useState("");
  const commit = async () => {
    if (draft === written) return;
    try {
      const read = await ask(api.POST("/api/v1/compute/pattern", { body: { text: draft } }));
      setBad("");
      onRead({ played: read.played });
    } catch (fault) {
      setBad(sentenceOf(fault));
    }
  };
  return (
    <Box minWidth="220px" flex="1 1 220px">
      <Labelled label="Played slots (pitches: 1:E3 3:G3)">
        <TextInput
          value={draft}
          aria-invalid={bad ? true : undefined}
          spellCheck={false}
          onChange={(event) => setDraft(event.target.value)}
          onBlur={() => void commit()}
          onKeyDown={(event) => {
            if (event.key === "Enter") void commit();
            if (event.key === "Escape") setDraft(written);
          }}
        />
      </Labelled>
      {bad && (
        <Box role="alert" color="diff" fontSize="13px" fontWeight="650">
          {bad}
        </Box>
      )}
    </Box>
  );
}

type Request = Schemas["LatticeRequest"];

function Best({
  request,
  value,
  onTake,
}: {
  request: Request;
  value: string;
  onTake: (value: string) => void;
}) {
  // While a value is dragged the search rests: it runs when the hand stops.
  const still = useStill(request, 250);
  const best = useQuery({
    queryKey: ["lattice-search", still],
    queryFn: ({ signal }) =>
      ask(api.POST("/api/v1/compute/lattice-search", { body: { ...still, most: 6 }, signal })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  if (!best.data) return <Box />;
  return (
    <Box minWidth="0">
      <SheetTitle sub about={`best of ${best.data.tried} values up to two bars`}>
        Delays that fill the gaps
      </SheetTitle>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">Delay</Th>
            <Th>ms</Th>
            <Th>filled</Th>
            <Th>on notes</Th>
            <Th>empty</Th>
          </tr>
        </thead>
        <tbody>
          {best.data.best.map((one) => (
            <tr key={one.id}>
              <Td textAlign="left">
                <Press look="quiet" aria-pressed={one.id === value} onClick={() => onTake(one.id)}>
                  {one.id.endsWith("ms") ? one.name : one.id}
                </Press>
              </Td>
              <Td>{msShort(one.ms)}</Td>
              <Td fontWeight="650">{one.filled}</Td>
              <Td>{one.collisions}</Td>
              <Td>{one.empty}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Box>
  );
}

function Listen({ request }: { request: Request }) {
  const { song } = useSongContext();
  const [playing, setPlaying] = useState(false);
  const [player] = useState(() => new Sounding(() => setPlaying(false)));
  const [busy, setBusy] = useState(false);
  const [voice, setVoice] = useState<"pluck" | "click">("pluck");
  const [backing, setBacking] = useState(false);
  useEffect(() => () => player.close(), [player]);
  const body = (echoes: boolean) => ({ ...request, voice, echoes, backing, loops: 4 });
  const path = { params: { path: { song_id: song.id } } };
  const render = async (echoes: boolean): Promise<ArrayBuffer> =>
    (await ask(
      api.POST("/api/v1/songs/{song_id}/figure.wav", {
        ...path,
        body: body(echoes),
        parseAs: "arrayBuffer",
      }),
    )) as unknown as ArrayBuffer;
  const guarded = async (act: () => Promise<void>) => {
    setBusy(true);
    try {
      await act();
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    } finally {
      setBusy(false);
    }
  };
  const hear = (echoes: boolean) =>
    guarded(async () => {
      await player.play(await render(echoes), false);
      setPlaying(true);
    });
  useKey("time", "Space", () => (playing ? player.stop() : void hear(true)));
  return (
    <Box display="flex" flexWrap="wrap" gap="6px 12px" alignItems="center" marginTop="8px">
      {playing ? (
        <Press look="primary" hint="Space" onClick={() => player.stop()}>
          Stop
        </Press>
      ) : (
        <Press look="primary" hint="Space" disabled={busy} onClick={() => void hear(true)}>
          Hear it
        </Press>
      )}
      <Press disabled={busy} onClick={() => void hear(false)}>
        Without echoes
      </Press>
      <Choice
        aria-label="Voice"
        width="auto"
        value={voice}
        onChange={(event) => setVoice(event.target.value as "pluck")}
      >
        <option value="pluck">plucked notes</option>
        <option value="click">clicks</option>
      </Choice>
      <label>
        <input
          type="checkbox"
          checked={backing}
          onChange={(event) => setBacking(event.target.checked)}
        />{" "}
        a click on every slot
      </label>
      <Press
        look="quiet"
        disabled={busy}
        onClick={() =>
          void guarded(async () =>
            saveAs(new Blob([await render(true)], { type: "audio/wav" }), "figure.wav"),
          )
        }
      >
        Save as WAV
      </Press>
      <Press
        look="quiet"
        disabled={busy}
        onClick={() =>
          void guarded(async () => {
            const data = await ask(
              api.POST("/api/v1/songs/{song_id}/figure.mid", {
                ...path,
                body: body(true),
                parseAs: "blob",
              }),
            );
            saveAs(data as unknown as Blob, "figure.mid");
          })
        }
      >
        Save as MIDI click
      </Press>
      <Box fontSize="13px" color="ink2">
        Peaks at most −6 dBFS; {num(request.line.first_db ?? 0, 1)} dB between note and echo as
        computed.
      </Box>
    </Box>
  );
}
