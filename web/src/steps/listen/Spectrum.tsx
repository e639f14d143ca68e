/** Third-octave levels before and after a rig, and their difference below. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import type { Schemas } from "../../api/client";
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

const short = (hz: number) => (hz >= 1000 ? `${hz / 1000} k` : String(Math.round(hz)));

export function Spectrum({ detail, gainDb }: { detail: Schemas["RenderDetail"]; gainDb: number }) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const hz = detail.band_hz;
  if (!hz.length || !detail.before_dbfs.length) return null;
  const x = scaleLog([hz[0]! * 10 ** -0.05, hz.at(-1)! * 10 ** 0.05], [LEFT, width - 6]);
  const edges = [...hz.map((f) => x(f * 10 ** -0.05)), x(hz.at(-1)! * 10 ** 0.05)];
  const after = detail.band_dbfs.map((v) => v + gainDb);
  const before = detail.before_dbfs;
  const top = Math.ceil((Math.max(...after, ...before) + 2) / 10) * 10;
  const y = scaleLinear([top, Math.max(QUIET, top - 60)], [4, TOP]).clamp(true);
  const apart = after.map((v, i) => {
    const quiet = Math.max(v, before[i]!) < QUIET + 5;
    return quiet ? null : v - before[i]!;
  });
  const reach = Math.max(3, Math.ceil(Math.max(...apart.map((v) => Math.abs(v ?? 0))) / 3) * 3);
  const d = scaleLinear([reach, -reach], [TOP + GAP, TOP + GAP + FOOT]).clamp(true);
  const most = apart.reduce<number>(
    (best, v, i) => (Math.abs(v ?? 0) > Math.abs(apart[best] ?? 0) ? i : best),
    0,
  );
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
          before
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
          after
        </span>
      </Box>
      <svg
        width={width}
        height={bottom + 26}
        display="block"
        role="img"
        aria-label={`Third-octave levels before and after; the largest difference is ${signed(apart[most] ?? 0, 1)} dB at ${short(hz[most]!)} Hz`}
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
          y={TOP + GAP + 8}
          textAnchor="end"
          fontSize="13"
          fill={ink("diff")}
          stroke={ink("sheet")}
          strokeWidth="3"
          paintOrder="stroke"
        >
          difference, dB; most {signed(apart[most] ?? 0, 1)} at {short(hz[most]!)} Hz
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
