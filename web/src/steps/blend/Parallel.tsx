/** Parallel compression on the song's own clip: curve, burst, before and after, release, schools. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../app/Shell";
import { ink } from "../../app/theme";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "../../charts/axes";
import { BurstChart } from "../../charts/BurstChart";
import { TransferChart } from "../../charts/TransferChart";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { ClipChoice, useReadyClips } from "../../ui/clips";
import { Figure, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useStill, useWidth } from "../../ui/hooks";
import { Table, Td, Th } from "../../ui/table";
import type { VariantChoice } from "../../ui/variants";
import { START, useKeptBlend } from "./kept";

type Settings = Schemas["ParallelSettings"];

const COMPRESSOR: SliderOf<Settings>[] = [
  {
    field: "threshold_db",
    label: "threshold",
    low: -72,
    high: 0,
    step: 0.5,
    ticks: [-72, -48, -24, 0],
    shown: (v) => `${signed(v, 1)} dBFS`,
  },
  {
    field: "ratio",
    label: "ratio",
    low: 1,
    high: 20,
    step: 0.1,
    ticks: [1, 5, 10, 20],
    shown: (v) => `${num(v, 1)}:1`,
  },
  {
    field: "knee_db",
    label: "knee",
    low: 0,
    high: 24,
    step: 0.5,
    ticks: [0, 12, 24],
    shown: (v) => `${num(v, 1)} dB`,
  },
  {
    field: "makeup_db",
    label: "make-up",
    low: 0,
    high: 30,
    step: 0.5,
    ticks: [0, 15, 30],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "attack_ms",
    label: "attack",
    low: 0.1,
    high: 100,
    step: 0.5,
    ticks: [0.1, 50, 100],
    shown: (v) => `${num(v, 1)} ms`,
  },
  {
    field: "release_ms",
    label: "release",
    low: 10,
    high: 1000,
    step: 10,
    ticks: [10, 500, 1000],
    shown: (v) => `${num(v, 0)} ms`,
  },
  {
    field: "detector_db",
    label: "into the detector",
    low: 0,
    high: 30,
    step: 1,
    ticks: [0, 15, 30],
    shown: (v) => `${signed(v, 0)} dB`,
  },
  {
    field: "dry_db",
    label: "dry",
    low: -40,
    high: 6,
    step: 0.5,
    ticks: [-40, -20, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "wet_db",
    label: "return",
    low: -40,
    high: 12,
    step: 0.5,
    ticks: [-40, -20, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
];

export function Parallel({ route }: { route: VariantChoice }) {
  const { song } = useSongContext();
  const { kept, keep } = useKeptBlend();
  const clips = useReadyClips(song.id);
  const [chosen, setClip] = useState("");
  const clip = chosen || clips[0]?.id || "";
  const s: Settings = kept.parallel!;
  const change = (more: Partial<Settings>) => keep({ parallel: { ...s, ...more } });
  const curve = useQuery({
    queryKey: ["parallel", s],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(api.POST("/api/v1/compute/parallel-compression", { body: s, signal })),
  });
  const still = useStill(s, 250);
  const measured = useQuery({
    queryKey: ["parallel-clip", clip, still],
    enabled: !!clip,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/parallel", {
          params: { path: { clip_id: clip } },
          body: still,
          signal,
        }),
      ),
  });
  const view = curve.data?.view;
  const m = measured.data;
  return (
    <Box as="section" aria-label="Parallel compression" minWidth="0">
      <SheetTitle page about="output up, input across, dBFS">
        Parallel compression
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        <ClipChoice label="clip" clips={clips} value={clip} onChoose={setClip} />
        <Press onClick={() => void route.make("Parallel compression", asRig(s))}>
          Make a rig of it and listen
        </Press>
      </Box>
      {curve.isError && (
        <Notice
          kind="fault"
          actions={<Press onClick={() => change(START.parallel!)}>Begin again</Press>}
        >
          {sentenceOf(curve.error)}
        </Notice>
      )}
      {view && <TransferChart view={view} settings={s} histogram={m ?? null} />}
      {view && (
        <Box
          as="p"
          fontFamily="title"
          fontWeight="600"
          fontSize="17px"
          lineHeight="23px"
          marginTop="4px"
        >
          {view.sentence}
        </Box>
      )}
      {view?.instead && (
        <Box fontSize="13px">
          <Box as="span" color="diff" fontWeight="650">
            Lower ratio or blend?
          </Box>{" "}
          {view.instead.sentence}
        </Box>
      )}
      <Sliders of={COMPRESSOR} values={s} onChange={change} />
      <Box fontSize="13px" color="ink2" marginTop="4px">
        Attack works the other way round under a quiet lift: the faster it is, the more of a hit is
        left to the dry path, because the copy ducks out of its way.
      </Box>
      {[...(view?.cautions ?? []), ...(m?.cautions ?? [])].map((text) => (
        <Notice key={text} kind="caution">
          {text}
        </Notice>
      ))}
      {view && <BurstChart burst={view.burst} />}
      {kept.school === "whole" && m && m.most_reduction_db > 2 && (
        <Notice kind="caution">
          {num(m.most_reduction_db, 1)} dB are taken at most: for a whole mix 1 to 2 dB leave the
          rest to mastering.
        </Notice>
      )}
      {m && <BeforeAfter measured={m} />}
      {measured.isError && <Notice kind="fault">{sentenceOf(measured.error)}</Notice>}
      {m && <Reduction measured={m} />}
      <Box marginTop="12px">
        <SheetTitle sub about="starting points, each with its reason">
          Three schools
        </SheetTitle>
        {(curve.data?.schools ?? []).map((school) => {
          const here = Object.entries(school.settings).every(
            ([field, value]) => s[field as keyof Settings] === value,
          );
          const from = kept.school === school.id;
          return (
            <Box
              key={school.id}
              display="flex"
              flexWrap="wrap"
              gap="2px 14px"
              alignItems="center"
              paddingBlock="6px"
              borderTop="1px solid"
              borderColor="rule"
              background={here ? "well" : undefined}
            >
              <Box flex="1" minWidth="220px">
                <Box as="strong" fontWeight="650">
                  {school.name}
                </Box>{" "}
                <Box as="span" color="ink2">
                  {num(school.settings.ratio!, 1)}:1 from {signed(school.settings.threshold_db!, 0)}
                  , attack {num(school.settings.attack_ms!, 0)} ms
                </Box>
                <Box fontSize="13px" color="ink2">
                  {school.why}
                </Box>
              </Box>
              {here ? (
                <strong>in force</strong>
              ) : (
                <>
                  {from && (
                    <Box as="span" fontSize="13px" color="ink2">
                      begun here
                    </Box>
                  )}
                  <Press
                    look="quiet"
                    onClick={() => keep({ parallel: school.settings, school: school.id })}
                  >
                    Start here
                  </Press>
                </>
              )}
            </Box>
          );
        })}
      </Box>
      <HowComputed>
        The static curve is Giannoulis, Massberg and Reiss 2012, eq. 4. The sum is coherent: 20
        log(d 10^(x/20) + w 10^(y/20)). Its slope is that of both paths weighted by what each
        brings; the local ratio is one over it. Before and after run the compressor on the clip,
        sample by sample.
      </HowComputed>
    </Box>
  );
}

/** The compressor beside its dry path, in the notation. */
function asRig(s: Settings): string {
  const set = [
    `threshold ${s.threshold_db! - s.detector_db!} dB`,
    `ratio ${s.ratio}`,
    `knee ${s.knee_db} dB`,
    `make-up ${s.makeup_db} dB`,
    `attack ${s.attack_ms} ms`,
    `release ${s.release_ms} ms`,
    `output ${s.wet_db} dB`,
  ].join(", ");
  return (
    `in: source "Source" (stereo) > ways: split > squash: compressor "Squash" (${set}) > ` +
    `sum: merge "Sum" > main: output "Main" (stereo)\nways > sum [level ${s.dry_db} dB]`
  );
}

/** Gain reduction over the clip. */
function Reduction({ measured: m }: { measured: Schemas["ParallelMeasured"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const seconds = m.reduction_db.length * 0.02;
  const x = scaleLinear([0, Math.max(0.1, seconds)], [42, width - 8]);
  const low = Math.min(-6, -Math.ceil(m.most_reduction_db / 6) * 6);
  const y = scaleLinear([0, low], [6, 84]);
  const level = scaleLinear([0, -60], [6, 84]).clamp(true);
  return (
    <Box marginTop="12px" ref={frame} minWidth="0">
      <SheetTitle sub about={m.release_said}>
        Gain over time
      </SheetTitle>
      <svg
        width={width}
        height="112"
        display="block"
        role="img"
        aria-label={`Gain reduction, up to ${num(m.most_reduction_db, 1)} dB. ${m.release_said}`}
      >
        <rect x="42" y="2" width={width - 50} height="84" fill={ink("sheet")} />
        <Gridlines scale={y} ticks={[0, low / 2, low]} x1={42} x2={width - 8} />
        <AxisLeft scale={y} at={42} ticks={[0, low / 2, low]} format={(v) => signed(v, 0)} />
        <path
          d={linePath(
            m.level_dbfs.map((_, i) => x(i * 0.02)),
            m.level_dbfs.map((v) => level(v)),
          )}
          fill="none"
          stroke={ink("band")}
          strokeWidth="1.25"
        />
        <path
          d={linePath(
            m.reduction_db.map((_, i) => x(i * 0.02)),
            m.reduction_db.map((v) => y(v)),
          )}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="1.5"
        />
        <text x={width - 12} y="20" fontSize="13" textAnchor="end" fill={ink("ink2")} {...halo()}>
          light: the clip's level, 0 to −60 dBFS
        </text>
        <AxisBottom
          scale={x}
          at={86}
          ticks={x.ticks(Math.max(3, Math.floor(width / 90)))}
          unit="s"
        />
      </svg>
    </Box>
  );
}

function BeforeAfter({ measured: m }: { measured: Schemas["ParallelMeasured"] }) {
  const rows: [string, keyof Schemas["SideLevels"], boolean][] = [
    ["Loudness, LUFS", "loudness_lufs", true],
    ["True peak, dBTP", "true_peak_dbtp", true],
    ["Crest, dB", "crest_db", false],
    ["Loudness range, LU", "range_lu", false],
  ];
  const cell = (v: number | null | undefined) => (v == null ? "-" : num(v, 1));
  return (
    <Box marginTop="12px">
      <SheetTitle
        sub
        about={`the whole clip; up to ${num(m.most_reduction_db, 1)} dB of reduction`}
      >
        Before and after
      </SheetTitle>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">of the clip</Th>
            <Th>before</Th>
            <Th>after</Th>
            <Th>matched, {signed(m.match_db, 1)} dB</Th>
            <Th>change</Th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, key, shifts]) => {
            const before = m.before[key];
            const after = m.after[key];
            const matched = after === null ? null : shifts ? after + m.match_db : after;
            return (
              <tr key={key}>
                <Td textAlign="left" fontWeight="650">
                  {name}
                </Td>
                <Td>{cell(before)}</Td>
                <Td>{cell(after)}</Td>
                <Td fontWeight="650">
                  {matched === null ? (
                    "-"
                  ) : (
                    <Figure label={`${name}, matched`} value={num(matched, 1)} />
                  )}
                </Td>
                <Td>{before === null || matched === null ? "-" : signed(matched - before, 1)}</Td>
              </tr>
            );
          })}
        </tbody>
      </Table>
      {m.floor_dbfs !== null && m.floor_lift_db !== null && (
        <Box fontSize="13px" color="ink2" marginTop="2px">
          The floor, {signed(m.floor_dbfs, 0)} dBFS, comes up by{" "}
          <Figure label="Lift of the floor" value={num(m.floor_lift_db, 1)} unit="dB" />;{" "}
          {num(m.reduced_percent, 0)} % of the time has more than 1 dB of reduction.
        </Box>
      )}
    </Box>
  );
}
