/** Parallel compression: the curve that stays, and a tool for each question about it. */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import { type Schemas, sentenceOf } from "../../api/client";
import { NoClip } from "../../clips/NoClip";
import { limits } from "../../api/defaults.gen";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "../../charts/axes";
import { BurstChart } from "../../charts/BurstChart";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { TransferChart } from "../../charts/TransferChart";
import { Worked } from "../../song/Worked";
import { Answer } from "../../ui/Answer";
import { Figure, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Table, Td, Th } from "../../ui/table";
import { ink } from "../../ui/theme";
import { START } from "./kept";
import type { ParallelHandle, Settings } from "./useParallel";

const OF_CURVE: SliderOf<Settings>[] = [
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
    shown: (v) => (v >= 1000 ? "limiter" : `${num(v, 1)}:1`),
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

const OF_KNEE: SliderOf<Settings>[] = [
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
    field: "detector_db",
    label: "into the detector",
    low: 0,
    high: 30,
    step: 1,
    ticks: [0, 15, 30],
    shown: (v) => `${signed(v, 0)} dB`,
  },
];

const OF_TIME: SliderOf<Settings>[] = [
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
];

interface Props {
  p: ParallelHandle;
}

export function CurvePicture({ p }: Props) {
  return (
    <Box as="section" aria-label="Out against in" minWidth="0">
      <SheetTitle about="dBFS; the thickest line is what is heard">Out against in</SheetTitle>
      {p.fault && (
        <Notice
          kind="fault"
          actions={<Press onClick={() => p.change(START.parallel!)}>Begin again</Press>}
        >
          {sentenceOf(p.fault)}
        </Notice>
      )}
      {p.view && <TransferChart view={p.view} settings={p.s} histogram={p.measured ?? null} />}
      <Sliders
        of={OF_CURVE}
        values={p.s}
        onChange={p.change}
        rests={START.parallel}
        limits={limits.ParallelSettings}
      />
    </Box>
  );
}

export function Lift({ p }: Props) {
  const { view } = p;
  return (
    <>
      {view && <Answer>{view.sentence}</Answer>}
      {view?.instead && (
        <Box fontSize="13px">
          <Box as="span" color="diff" fontWeight="650">
            Lower ratio or blend?
          </Box>{" "}
          {view.instead.sentence}
        </Box>
      )}
      <Sliders
        of={p.s.follow ? OF_KNEE.filter((k) => k.field !== "makeup_db") : OF_KNEE}
        values={p.s}
        onChange={p.change}
        rests={START.parallel}
        limits={limits.ParallelSettings}
      />
      {view && (
        <chakra.label display="block" fontSize="13px">
          <input
            type="checkbox"
            checked={p.s.follow ?? false}
            onChange={(event) => p.change({ follow: event.target.checked })}
          />{" "}
          make-up follows threshold and ratio: {signed(view.follow_db, 1)} dB give a sound at full
          scale its level back
        </chakra.label>
      )}
      {[...(view?.cautions ?? []), ...(p.measured?.cautions ?? [])].map((text) => (
        <Notice key={text} kind="caution">
          {text}
        </Notice>
      ))}
      <Schools p={p} />
      <HowComputed>
        The static curve is Giannoulis, Massberg and Reiss 2012, eq. 4. The sum is coherent: 20
        log(d 10^(x/20) + w 10^(y/20)). Its slope is that of both paths weighted by what each
        brings; the local ratio is one over it. Before and after run the compressor on the clip,
        sample by sample.
      </HowComputed>
    </>
  );
}

function Schools({ p }: Props) {
  const { s, school: begun } = p;
  return (
    <Box marginTop="12px">
      <SheetTitle sub about="starting points, each with its reason">
        Start from
      </SheetTitle>
      {p.schools.map((school) => {
        const here = Object.entries(school.settings).every(
          ([field, value]) => s[field as keyof Settings] === value,
        );
        const from = begun === school.id;
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
                {num(school.settings.ratio!, 1)}:1 from {signed(school.settings.threshold_db!, 0)},
                attack {num(school.settings.attack_ms!, 0)} ms
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
                <Press look="quiet" onClick={() => p.begin(school.settings, school.id)}>
                  Start here
                </Press>
              </>
            )}
          </Box>
        );
      })}
    </Box>
  );
}

export function Hit({ p }: Props) {
  const { view } = p;
  return (
    <>
      {view && (
        <Answer>
          A hit starts {num(view.burst.sum_overshoot_db, 1)} dB above where it settles; the
          compressor alone: {num(view.burst.overshoot_db, 1)} dB.
        </Answer>
      )}
      {view && <BurstChart burst={view.burst} />}
      <Sliders
        of={OF_TIME}
        values={p.s}
        onChange={p.change}
        rests={START.parallel}
        limits={limits.ParallelSettings}
      />
      <Box fontSize="13px" color="ink2" marginTop="4px">
        Attack works the other way round under a quiet lift: the faster it is, the more of a hit is
        left to the dry path, because the copy ducks out of its way.
      </Box>
    </>
  );
}

export function OverClip({ p }: Props) {
  const m = p.measured;
  return (
    <>
      {!p.clip && <NoClip>Over a clip it is drawn here what is taken from it.</NoClip>}
      {p.measuredFault && <Notice kind="fault">{sentenceOf(p.measuredFault)}</Notice>}
      {m && (
        <>
          <Answer>
            Up to {num(m.most_reduction_db, 1)} dB are taken; {num(m.reduced_percent, 0)} % of the
            time has more than 1 dB.
          </Answer>
          <Worked seconds={m.seconds} />
          <Reduction measured={m} />
          <Sliders
            of={OF_TIME}
            values={p.s}
            onChange={p.change}
            rests={START.parallel}
            limits={limits.ParallelSettings}
          />
        </>
      )}
      {p.school === "whole" && m && m.most_reduction_db > 2 && (
        <Notice kind="caution">
          {num(m.most_reduction_db, 1)} dB are taken at most: for a whole mix 1 to 2 dB leave the
          rest to mastering.
        </Notice>
      )}
    </>
  );
}

export function Match({ p }: Props) {
  const m = p.measured;
  if (!p.clip) return <NoClip>Before and after are measured on a clip.</NoClip>;
  if (p.measuredFault) return <Notice kind="fault">{sentenceOf(p.measuredFault)}</Notice>;
  if (!m) return null;
  return (
    <>
      <Answer>
        {signed(m.match_db, 1)} dB make it as loud after as before; the quiet floor comes up by{" "}
        {m.floor_lift_db === null ? "nothing" : `${num(m.floor_lift_db, 1)} dB`}.
      </Answer>
      <BeforeAfter measured={m} />
    </>
  );
}

/** The compressor beside its dry path, in the notation. */
export function asRig(s: Settings): string {
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
  const y = scaleLinear([0, low], [6, 124]);
  const level = scaleLinear([0, -60], [6, 124]).clamp(true);
  return (
    <Box marginTop="12px" ref={frame} minWidth="0">
      <Box color="ink2" fontSize="13px">
        {m.release_said}
      </Box>
      <svg
        width={width}
        height="152"
        display="block"
        role="img"
        aria-label={`Gain reduction, up to ${num(m.most_reduction_db, 1)} dB. ${m.release_said}`}
      >
        <rect x="42" y="2" width={width - 50} height="124" fill={ink("sheet")} />
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
          at={126}
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
