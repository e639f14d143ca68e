/** Third-octave levels before and after a rig, and their difference below. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import { ink } from "../../ui/theme";
import { AxisBottom, AxisLeft, Gridlines, stepPath } from "../../charts/axes";
import { signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";

const LEFT = 52;
const TOP = 104;
const GAP = 20;
const FOOT = 66;
const OCTAVES = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];
const QUIET = -90;

/** Bands further below the loudest one than this say nothing of a difference. */
const FAINT_DB = 50;

/** A frequency on the axis, whose unit stands at its end. */
export const short = (hz: number) =>
  hz >= 1000 ? `${Number((hz / 1000).toPrecision(2))} k` : String(Number(hz.toPrecision(2)));
/** A frequency in a sentence. */
export const hertz = (hz: number) =>
  hz >= 1000
    ? `${Number((hz / 1000).toPrecision(2))} kHz`
    : `${Number(hz.toPrecision(hz < 100 ? 2 : 3))} Hz`;

/** Band by band, what is after less what was before, dB; null where both are too faint to say. */
export function differencesOf(after: number[], before: number[]): (number | null)[] {
  const top = Math.max(...after, ...before);
  return after.map((v, i) =>
    Math.max(v, before[i]!) < Math.max(QUIET + 5, top - FAINT_DB) ? null : v - before[i]!,
  );
}

/** Where a difference is largest, either way; null where there is none. */
export function mostOf(apart: (number | null)[]): number | null {
  let best: number | null = null;
  apart.forEach((v, i) => {
    if (v !== null && (best === null || Math.abs(v) > Math.abs(apart[best]!))) best = i;
  });
  return best;
}

interface SpectrumProps {
  hz: number[];
  before: number[];
  after: number[];
  /** What the two are called. */
  words: [string, string];
}

export function Spectrum({ hz, before, after, words }: SpectrumProps) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  if (!hz.length || before.length !== hz.length || after.length !== hz.length) return null;
  const x = scaleLog([hz[0]! * 10 ** -0.05, hz.at(-1)! * 10 ** 0.05], [LEFT, width - 6]);
  const edges = [...hz.map((f) => x(f * 10 ** -0.05)), x(hz.at(-1)! * 10 ** 0.05)];
  const top = Math.ceil((Math.max(...after, ...before) + 2) / 10) * 10;
  const y = scaleLinear([top, Math.max(QUIET, top - 60)], [4, TOP]).clamp(true);
  const apart = differencesOf(after, before);
  const reach = Math.max(3, Math.ceil(Math.max(...apart.map((v) => Math.abs(v ?? 0))) / 3) * 3);
  const d = scaleLinear([reach, -reach], [TOP + GAP, TOP + GAP + FOOT]).clamp(true);
  const most = mostOf(apart);
  const mostWords =
    most === null ? "none" : `most ${signed(apart[most]!, 1)} at ${hertz(hz[most]!)}`;
  const levels = y.ticks(4);
  const bottom = TOP + GAP + FOOT;
  return (
    <Box ref={frame} minWidth="0">
      <Box
        display="flex"
        justifyContent="flex-end"
        gap="16px"
        fontSize="13px"
        fontWeight="650"
        marginBottom="2px"
      >
        <span>
          <Box
            as="span"
            display="inline-block"
            width="26px"
            borderTop="1.5px solid"
            borderColor="ink"
            verticalAlign="middle"
            marginRight="6px"
          />
          {words[0]}
        </span>
        <span>
          <Box
            as="span"
            display="inline-block"
            width="26px"
            borderTop="6.5px solid"
            borderColor="band"
            verticalAlign="middle"
            marginRight="6px"
          />
          {words[1]}
        </span>
      </Box>
      <svg
        width={width}
        height={bottom + 26}
        display="block"
        role="img"
        aria-label={`Third-octave levels, ${words[0]} and ${words[1]}; difference in dB: ${mostWords}`}
      >
        <rect x={LEFT} y="0" width={width - LEFT - 6} height={TOP + 4} fill={ink("sheet")} />
        <rect
          x={LEFT}
          y={TOP + GAP - 6}
          width={width - LEFT - 6}
          height={FOOT + 6}
          fill={ink("sheet")}
        />
        <Gridlines scale={y} ticks={levels} x1={LEFT} x2={width - 6} />
        <AxisLeft scale={y} at={LEFT} ticks={levels} format={(v) => signed(v, 0)} />
        <path
          d={stepPath(
            edges,
            after.map((v) => y(v)),
          )}
          fill="none"
          stroke={ink("band")}
          strokeWidth="6.5"
        />
        <path
          d={stepPath(
            edges,
            before.map((v) => y(v)),
          )}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        <line x1={LEFT} x2={width - 6} y1={d(0)} y2={d(0)} stroke={ink("rule")} />
        <AxisLeft scale={d} at={LEFT} ticks={[reach, 0, -reach]} format={(v) => signed(v, 0)} />
        <path
          d={stepPath(
            edges,
            apart.map((v) => (v === null ? null : d(v))),
          )}
          fill="none"
          stroke={ink("diff")}
          strokeWidth="1.75"
        />
        <text
          x={width - 10}
          y={TOP + GAP - 4}
          textAnchor="end"
          fontSize="13"
          fill={ink("diff")}
          stroke={ink("sheet")}
          strokeWidth="3"
          paintOrder="stroke"
        >
          {words[1]} less {words[0]}, dB; {mostWords}
        </text>
        <AxisBottom
          scale={x}
          at={bottom}
          ticks={OCTAVES.filter(
            (f) => f > hz[0]! && f < hz.at(-1)! && (width > 420 || OCTAVES.indexOf(f) % 2 === 0),
          )}
          format={short}
          unit="Hz"
        />
      </svg>
    </Box>
  );
}
