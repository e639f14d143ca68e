/** Space: a reverb's tail over the phrases of a clip, decay and pre-delay by three schools, ducking. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { useKey } from "../../ui/keys";
import { useSongContext } from "../../song/context";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { TailChart } from "../../charts/TailChart";
import {
  announce,
  Figure,
  Hint,
  HowComputed,
  Notice,
  Pennant,
  Press,
  SheetTitle,
} from "../../ui/controls";
import { msShort, num, signed } from "../../ui/format";
import { QuantityField } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import { DuckingSheet, useDucking } from "./DuckingSheet";
import { useRoute, type RouteHandle } from "../../rigs/variants";
import { FitSheet } from "./FitSheet";
import { Octaves } from "./Octaves";
import { PartsSheet } from "./PartsSheet";
import { Behind, Returns } from "./Returns";
import { RoomSheet } from "./RoomSheet";
import { Schools } from "./Schools";

export type Kept = Schemas["KeptSpace"];
const START: Kept = {
  rt60_s: 1.8,
  pre_delay: "20 ms",
  start_db: 0,
  drop_db: 20,
  school: "clears",
  taste: "reed",
  ratios: [1.15, 1.08, 1, 0.96, 0.8, 0.6],
  finder: { below_db: 26, hysteresis_db: 6, shortest_gap_s: 0.12, shortest_phrase_s: 0.08 },
  phrases: null,
  clip: "",
  ducking: null,
  ducking_on: false,
  ducking_said: "",
};

export default function SpaceStep() {
  const { song, frame, edit, clips, clip: inHand } = useSongContext();
  const [gap, setGap] = useState<number | null>(null);
  const stored = { ...START, ...(song.space ?? {}) };
  // Phrases that were set by hand are those of their clip.
  const space = stored.clip === inHand?.name ? stored : { ...stored, phrases: null };
  const clip = inHand?.id ?? "";
  const change = (more: Partial<Kept>) =>
    edit({ space: { ...space, clip: inHand?.name ?? "", ...more } });
  const query = useQuery({
    queryKey: ["space", clip, frame, space],
    enabled: !!clip,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/space", {
          params: { path: { clip_id: clip } },
          body: { frame, space },
          signal,
        }),
      ),
  });
  const data = query.data;
  const route = useRoute();
  const duck = useDucking(clip, data?.space.phrases ?? [], frame, {
    space,
    change,
    pre_delay_s: (data?.space.pre_delay_ms ?? 20) / 1000,
  });
  const worst = data?.space.gaps
    .map((g, i) => ({ ...g, i }))
    .filter((g) => !g.clear)
    .sort((a, b) => b.ducking_db - a.ducking_db)[0];
  const take = (rt60_s: number) =>
    change({ rt60_s: Math.max(0.05, Math.floor(rt60_s * 1000) / 1000), school: "clears" });
  const step = (by: number) =>
    change({ rt60_s: Math.max(0.05, Math.min(60, Number((space.rt60_s * by).toFixed(3)))) });
  useKey("space", "[", () => step(1 / 1.05));
  useKey("space", "]", () => step(1.05));
  useKey("space", "U", () => duck.setOn(!duck.on));
  useKey("space", "F", () => worst && take(worst.longest_rt60_s));
  return (
    <Box>
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 20px">
        <SheetTitle page about="what is left of a reverb when the next phrase enters">
          Reverb tail
        </SheetTitle>
        <Box flex="1" />
        <Box display={{ base: "none", lg: "flex" }} gap="14px" fontSize="13px" color="ink2">
          <span>
            <Hint>,</Hint> <Hint>.</Hint> shorter, longer
          </span>
          <span>
            <Hint>U</Hint> ducking
          </span>
        </Box>
      </Box>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="start" marginTop="4px">
        <Box width="120px">
          <QuantityField
            label="RT60"
            kind="time"
            frame={frame}
            value={`${space.rt60_s} s`}
            onCommit={(read) => {
              const rt60_s = read.value / 1000;
              if (rt60_s > 60 || rt60_s < 0.05)
                announce(
                  `${num(rt60_s, 2)} s is no decay that can be computed: 0.05 to 60 s can. ${num(space.rt60_s, 2)} s is kept.`,
                  { kind: "fault" },
                );
              else change({ rt60_s });
            }}
          />
        </Box>
        <Box width="140px">
          <QuantityField
            label="Pre-delay"
            kind="time"
            frame={frame}
            value={space.pre_delay}
            onCommit={(read) =>
              change({ pre_delay: read.note_value ?? `${Number(read.value.toPrecision(6))} ms` })
            }
          />
        </Box>
        <Box width="150px">
          <ScaleSlider
            label="down at an entry"
            value={space.drop_db}
            low={6}
            high={60}
            step={1}
            ticks={[6, 20, 40, 60]}
            shown={(v) => `${num(v, 0)} dB`}
            onChange={(drop_db) => change({ drop_db })}
          />
        </Box>
        <Box width="150px">
          <ScaleSlider
            label="tail begins at"
            value={space.start_db}
            low={-40}
            high={6}
            step={1}
            ticks={[-40, -20, 0]}
            shown={(v) => `${signed(v, 0)} dB`}
            onChange={(start_db) => change({ start_db })}
          />
        </Box>
        <ToRoute route={route} space={space} data={data?.space ?? null} />
      </Box>
      {!clips.length && (
        <Notice kind="note">
          Bring a clip in under Verify, or record one under Listen: the gaps are its own.
        </Notice>
      )}
      {query.isError && (
        <Notice
          kind="fault"
          word="Not computed."
          actions={
            <Press onClick={() => change({ pre_delay: "20 ms", phrases: null })}>
              Find the phrases again, 20 ms
            </Press>
          }
        >
          {sentenceOf(query.error)}
        </Notice>
      )}
      {data && (
        <>
          <Strip space={data.space} rt60={space.rt60_s} drop={space.drop_db} />
          <TailChart
            data={data}
            drop={space.drop_db}
            start={space.start_db}
            ducking={duck.on ? duck.data : null}
            chosen={gap}
            onChoose={setGap}
            onPhrases={(phrases) => change({ phrases })}
          />
          {data.space.notes.map((note) => (
            <Notice key={note} kind="note">
              {note}
            </Notice>
          ))}
          <Box
            display="grid"
            gridTemplateColumns={{
              base: "minmax(0, 1fr)",
              md: "minmax(0, 400px) minmax(0, 1fr)",
              lg: "minmax(0, 400px) minmax(0, 1fr) 250px",
            }}
            gap="16px 28px"
            marginTop="8px"
          >
            <Box minWidth="0">
              <Gaps space={data.space} chosen={gap} onChoose={setGap} onTake={take} />
              <FitSheet space={space} frame={frame} onTake={change} />
            </Box>
            <Schools space={space} out={data.space} onChange={change} />
            <Octaves
              ratios={space.ratios}
              rt60={space.rt60_s}
              out={data.space.octave_rt60_s}
              onChange={(ratios) => change({ ratios })}
            />
          </Box>
          <Box
            display="grid"
            gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
            gap="16px 28px"
            marginTop="14px"
          >
            <Box display="grid" gap="16px" alignContent="start">
              <DuckingSheet
                duck={duck}
                clips={clips}
                frame={frame}
                asked={worst?.ducking_db ?? 0}
                bar_s={data.space.bar_ms / 1000}
                route={route}
              />
              <Finder space={space} byHand={data.space.by_hand} onChange={change} />
            </Box>
            <Box display="grid" gap="16px" alignContent="start">
              <Behind route={route} gaps={data.space.gaps} drop={space.drop_db!} onTake={take} />
              <RoomSheet onTake={(more) => change({ ...more, school: "taste" })} />
            </Box>
          </Box>
          <Box marginTop="18px">
            <Returns key={route.id} route={route} />
          </Box>
          <Box marginTop="14px">
            <PartsSheet key={route.id} route={route} />
          </Box>
          <HowComputed>{data.space.computed_how}</HowComputed>
          {worst && (
            <Box
              display="flex"
              flexWrap="wrap"
              gap="8px 12px"
              alignItems="center"
              marginTop="12px"
              paddingTop="10px"
              borderTop="1px solid"
              borderColor="rule"
            >
              <Pennant kind="caution" />
              <Box flex="1" minWidth="240px">
                <Box as="strong" color="caution">
                  Caution.
                </Box>{" "}
                When phrase {worst.i + 2} enters, the tail of phrase {worst.i + 1} is{" "}
                {num(-worst.tail_db, 1)} dB down; {num(worst.ducking_db, 1)} dB more is asked.
              </Box>
              <Press
                hint="F"
                onClick={() => take(worst.longest_rt60_s)}
                disabled={worst.longest_rt60_s < 0.05}
              >
                Shorten to {num(Math.floor(worst.longest_rt60_s * 100) / 100, 2)} s
              </Press>
              <Press
                onClick={() => {
                  duck.setOn(true);
                  duck.change({ way: "key", depth_db: Math.ceil(worst.ducking_db * 10) / 10 });
                }}
              >
                Duck {num(worst.ducking_db, 1)} dB under the phrases
              </Press>
            </Box>
          )}
        </>
      )}
    </Box>
  );
}

function Strip({ space, rt60, drop }: { space: Schemas["SpaceOut"]; rt60: number; drop: number }) {
  const items: [string, string][] = [
    ["pre-delay", `${msShort(space.pre_delay_ms)} ms`],
    ["RT60", `${num(rt60, 3)} s`],
    ["falls", `${num(space.falls_db_per_s, 1)} dB/s`],
    ["whole", `${num(space.whole_ms, 1)} ms, ${num(space.whole_ms / space.bar_ms, 2)} bars`],
    [`${num(drop, 0)} dB down after`, `${num(space.drop_after_ms, 0)} ms`],
    ["gaps clear", `${space.clear} of ${space.gaps.length}`],
  ];
  return (
    <Box
      role="status"
      aria-label="The tail"
      background="ink"
      color="paper"
      display="flex"
      flexWrap="wrap"
      marginBlock="8px 4px"
    >
      {items.map(([word, value], i) => (
        <Box
          key={word}
          flex="1 1 auto"
          padding="6px 12px"
          textAlign="center"
          borderLeft={i ? "1px solid" : undefined}
          borderColor="edge"
          whiteSpace="nowrap"
        >
          {word}{" "}
          <Box as="strong" fontWeight="650" fontSize="15px">
            {value}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

interface GapsProps {
  space: Schemas["SpaceOut"];
  chosen: number | null;
  onChoose: (gap: number) => void;
  onTake: (rt60: number) => void;
}

function Gaps({ space, chosen, onChoose, onTake }: GapsProps) {
  return (
    <Box as="section" aria-label="Gaps" minWidth="0">
      <SheetTitle sub about="between phrases; press a decay to take it">
        Gaps
      </SheetTitle>
      <Box maxHeight="300px" overflowY="auto">
        <Table>
          <thead>
            <tr>
              <Th textAlign="left">gap</Th>
              <Th>s</Th>
              <Th>tail at entry, dB</Th>
              <Th>longest RT60, s</Th>
              <Th>ducking needed, dB</Th>
            </tr>
          </thead>
          <tbody>
            {space.gaps.map((g, i) => (
              <Box
                as="tr"
                key={g.start_s}
                background={!g.clear ? "cautionWash" : chosen === i ? "well" : undefined}
                onClick={() => onChoose(i)}
              >
                <Td textAlign="left" fontWeight="650" whiteSpace="nowrap">
                  {i + 1} to {i + 2}
                </Td>
                <Td>{num(g.length_s, 2)}</Td>
                <Td color={g.clear ? undefined : "caution"} fontWeight={g.clear ? 400 : 650}>
                  <Figure
                    label={`Tail at the entry of phrase ${i + 2}`}
                    value={signed(g.tail_db, 1)}
                    strong={!g.clear}
                  />
                </Td>
                <Td>
                  <Press
                    look="quiet"
                    minHeight="22px"
                    aria-label={`Take ${num(g.longest_rt60_s, 2)} s from gap ${i + 1}`}
                    disabled={g.longest_rt60_s < 0.05}
                    onClick={() => onTake(g.longest_rt60_s)}
                  >
                    {num(g.longest_rt60_s, 2)}
                  </Press>
                </Td>
                <Td>{g.ducking_db > 0.05 ? num(g.ducking_db, 1) : "none"}</Td>
              </Box>
            ))}
          </tbody>
        </Table>
      </Box>
      {!space.gaps.length && <Box color="ink2">None.</Box>}
    </Box>
  );
}

function Finder({
  space,
  byHand,
  onChange,
}: {
  space: Kept;
  byHand: boolean;
  onChange: (more: Partial<Kept>) => void;
}) {
  const finder = space.finder!;
  const set = (more: Partial<Schemas["GapFinder"]>) =>
    onChange({ finder: { ...finder, ...more }, phrases: null });
  return (
    <Box as="section" aria-label="Phrases" minWidth="0">
      <SheetTitle
        sub
        about={
          byHand
            ? "set by hand; drag an edge in the picture"
            : "found by level; drag an edge in the picture to correct it"
        }
      >
        Phrases
      </SheetTitle>
      <Box
        display="grid"
        gridTemplateColumns="repeat(auto-fit, minmax(150px, 1fr))"
        gap="4px 16px"
        marginTop="4px"
      >
        <ScaleSlider
          label="louder than the loudest less"
          value={finder.below_db}
          low={6}
          high={60}
          step={1}
          ticks={[6, 26, 60]}
          shown={(v) => `${num(v, 0)} dB`}
          onChange={(below_db) => set({ below_db })}
        />
        <ScaleSlider
          label="shortest gap"
          value={finder.shortest_gap_s}
          low={0.02}
          high={1}
          step={0.01}
          ticks={[0.02, 0.5, 1]}
          shown={(v) => `${num(v, 2)} s`}
          onChange={(shortest_gap_s) => set({ shortest_gap_s })}
        />
        <ScaleSlider
          label="shortest phrase"
          value={finder.shortest_phrase_s}
          low={0.02}
          high={1}
          step={0.01}
          ticks={[0.02, 0.5, 1]}
          shown={(v) => `${num(v, 2)} s`}
          onChange={(shortest_phrase_s) => set({ shortest_phrase_s })}
        />
      </Box>
      {byHand && (
        <Press look="quiet" onClick={() => onChange({ phrases: null })}>
          Find them again
        </Press>
      )}
    </Box>
  );
}

const OCTAVES = [125, 250, 500, 1000, 2000, 4000];

/** Decay by octave as a reverb's settings; none where all are alike. */
function byOctave(rt60: number[], whole: number): Record<string, number | null> {
  const even = rt60.every((v) => Math.abs(v - whole) < 1e-6);
  return Object.fromEntries(
    OCTAVES.map((hz, i) => [
      `rt60_${hz}_s`,
      even || rt60[i] === undefined
        ? null
        : Math.max(0.05, Math.min(60, Number(rt60[i].toFixed(3)))),
    ]),
  );
}

/** Send decay and pre-delay to a reverb of a rig, as one edit that can be undone. */
function ToRoute({
  route,
  space,
  data,
}: {
  route: RouteHandle;
  space: Kept;
  data: Schemas["SpaceOut"] | null;
}) {
  const reverb = Object.values(route.variant?.document.nodes ?? {}).find(
    (n) => n.kind === "reverb",
  );
  if (!route.id) return null;
  return (
    <>
      <Press
        look="primary"
        disabled={!reverb || !data}
        onClick={() =>
          reverb &&
          void route.send(
            [
              {
                do: "set",
                node: reverb.id,
                values: {
                  rt60_s: space.rt60_s!,
                  pre_delay: space.pre_delay!,
                  ...byOctave(data?.octave_rt60_s ?? [], space.rt60_s!),
                },
              },
            ],
            `${reverb.name ?? "The reverb"} is set to it.`,
          )
        }
      >
        {reverb
          ? `Set ${reverb.name || "the reverb"} of ${route.named} to ${num(space.rt60_s, 2)} s and ${data ? msShort(data.pre_delay_ms) : ""} ms`
          : route.variant
            ? `${route.named} has no reverb`
            : "Reading the rig …"}
      </Press>
    </>
  );
}
