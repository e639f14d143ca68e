/** The spectrum of what is heard: before and after the rig, a path alone, or one sound less another. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas } from "../../api/client";
import type { Listening } from "../../playing/usePlaying";
import { SheetTitle } from "../../ui/controls";
import { clockFine, num, signed } from "../../ui/format";
import { Spectrum } from "./Spectrum";

export function SpectrumPart({ l }: { l: Listening }) {
  const { curves, heard, inTrial, heldMatch } = l;
  const { toggles } = l.player;
  const beside = l.done.find((s) => s.id === toggles.difference && s.id !== heard?.id);
  const part = usePart(l, beside);
  if (inTrial || !heard || !curves)
    return (
      <Framed about="dBFS by third-octave">
        <Box color="ink2">
          {inTrial ? "Hidden while a test by ear runs." : "Nothing is rendered yet."}
        </Box>
      </Framed>
    );
  const after = curves.band_dbfs.map((v) => v + heldMatch(heard));
  if (part)
    return (
      <Framed about={`${part.words}: ${levelWords(part.heard)}`}>
        <Spectrum
          hz={curves.band_hz}
          before={after}
          after={part.heard.band_dbfs}
          words={[`${heard.letter} as heard`, part.words]}
        />
      </Framed>
    );
  return (
    <Framed about="dBFS by third-octave, over the whole stretch">
      <Spectrum
        hz={curves.band_hz}
        before={curves.before_dbfs}
        after={after}
        words={["before", "after"]}
      />
    </Framed>
  );
}

function Framed({ about, children }: { about: string; children: React.ReactNode }) {
  return (
    <Box minWidth="0">
      <SheetTitle sub about={about}>
        Spectrum
      </SheetTitle>
      {children}
    </Box>
  );
}

/** Level, low end and tail of what is heard alone. */
export function levelWords(heard: Schemas["HeardOut"]): string {
  if (heard.rms_dbfs === null) return "silence, sample for sample";
  const loud =
    heard.loudness_lufs === null
      ? `${signed(heard.rms_dbfs, 1)} dBFS RMS`
      : `${signed(heard.loudness_lufs, 1)} LUFS`;
  const low =
    heard.low_dbfs === null
      ? ""
      : `, below 150 Hz ${signed(heard.low_dbfs, 1)} dBFS (${num(100 * 10 ** ((heard.low_dbfs - heard.rms_dbfs) / 10), 0)} % of it)`;
  const until = heard.until_s === null ? "" : `, down by 60 dB at ${clockFine(heard.until_s)}`;
  return `${loud}${low}${until}`;
}

/** What is heard where it is not the whole: a difference, a path alone, wet or dry alone. */
function usePart(l: Listening, beside: Listening["done"][number] | undefined) {
  const { heard, move, gainsOf } = l;
  const { toggles } = l.player;
  const stems = heard?.render?.report?.stems ?? [];
  const alone = toggles.solo !== null && toggles.solo < stems.length ? toggles.solo : null;
  const ends = !Number.isFinite(move);
  const wanted = !!heard?.render && (!!beside || alone !== null || ends) && !l.inTrial;
  const gains = (sound: Listening["done"][number]) =>
    sound.render!.report!.stems.length
      ? gainsOf(sound, move).map((g, i) => (alone === null || alone === i ? g : 0))
      : [];
  const linear = (sound: Listening["done"][number]) => 10 ** (l.heldMatch(sound) / 20);
  const body = wanted
    ? {
        gains: gains(heard),
        match: linear(heard),
        minus: beside
          ? { render: beside.render!.id, gains: gains(beside), match: linear(beside) }
          : null,
      }
    : null;
  const found = useQuery({
    queryKey: ["heard", heard?.render?.id, JSON.stringify(body)],
    enabled: body !== null,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: () =>
      ask(
        api.POST("/api/v1/renders/{render_id}/heard", {
          params: { path: { render_id: heard!.render!.id } },
          body: body!,
        }),
      ),
  }).data;
  if (!body || !found) return null;
  const words = beside
    ? `${heard!.letter} − ${beside.letter}`
    : alone !== null
      ? `${stems[alone]!.name} alone`
      : move === Infinity
        ? "what moves alone"
        : "without what moves";
  return { heard: found, words };
}
