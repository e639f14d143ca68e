/** Level out over level in: dry, compressor and their sum; the clip's levels and the local ratio below. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

const LEFT = 48;
const RIGHT = 118;
const TOP = 8;
const TALL = 258;
const HIST = 44;
const RATIO = 44;

interface Props {
  view: Schemas["ParallelOut"];
  settings: Schemas["ParallelSettings"];
  histogram: Schemas["ParallelMeasured"] | null;
}

export function TransferChart({ view, settings, histogram }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(340);
  const { curve } = view;
  const right = width > 480 ? RIGHT : 10;
  const x = scaleLinear([-72, 0], [LEFT, width - right]);
  const high = Math.max(6, Math.ceil(Math.max(...curve.sum_db) / 6) * 6);
  const y = scaleLinear([high, -72], [TOP, TOP + TALL]).clamp(true);
  const histTop = TOP + TALL + 10;
  const ratioTop = histTop + HIST + 12;
  const most = Math.max(2, view.most_ratio);
  const r = scaleLinear([most, 1], [ratioTop + 6, ratioTop + RATIO]);
  const xs = curve.in_db.map((v) => x(v));
  const path = (values: number[]) =>
    linePath(
      xs,
      values.map((v) => y(v)),
    );
  const share = Math.max(0.02, ...(histogram?.histogram ?? []));
  const ticks = [0, -12, -24, -36, -48, -60];
  const end = (v: number) => Math.max(TOP + 10, Math.min(TOP + TALL - 6, y(v) + 4));
  const equal = view.equal_at_db;
  const labels: [string, number, "ink" | "wet"][] = [
    ["sum", curve.sum_db.at(-1)!, "ink"],
    ["dry", curve.dry_db.at(-1)!, "ink"],
    ["compressor", curve.wet_db.at(-1)!, "wet"],
  ];
  let last = -99;
  const placed = [...labels]
    .sort((a, b) => b[1] - a[1])
    .map(([name, v, colour]) => {
      last = Math.max(end(v), last + 16);
      return { name, v, colour, at: last };
    });
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={ratioTop + RATIO + 30}
        display="block"
        role="img"
        aria-label={view.sentence}
      >
        <rect x={LEFT} y={TOP} width={width - right - LEFT} height={TALL} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - right} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
        <line
          x1={x(-72)}
          y1={y(-72)}
          x2={x(0)}
          y2={y(0)}
          stroke={ink("edge")}
          strokeDasharray="1 3"
        />
        <line
          x1={x(view.reaches_db)}
          x2={x(view.reaches_db)}
          y1={TOP}
          y2={TOP + TALL}
          stroke={ink("edge")}
          strokeDasharray="1 3"
        />
        <text
          x={x(view.reaches_db) - 5}
          y={TOP + TALL - 8}
          textAnchor="end"
          fontSize="13"
          fill={ink("ink2")}
          {...halo()}
        >
          {settings.detector_db ? "works from" : "threshold"} {signed(view.reaches_db, 1)}
        </text>
        <path d={path(curve.dry_db)} fill="none" stroke={ink("ink")} strokeWidth="1.75" />
        <path
          d={path(curve.wet_db)}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="2.25"
          strokeDasharray="9 4"
        />
        {view.instead && (
          <path d={path(view.instead.out_db)} fill="none" stroke={ink("diff")} strokeWidth="1.25" />
        )}
        <path d={path(curve.sum_db)} fill="none" stroke={ink("ink")} strokeWidth="4" />
        {width > 480 &&
          placed.map(({ name, v, colour, at }) => (
            <text
              key={name}
              x={width - right + 8}
              y={at}
              fontSize="13"
              fontWeight="650"
              fontStyle={colour === "wet" ? "italic" : undefined}
              fill={ink(colour)}
            >
              {name} {signed(v, 1)}
            </text>
          ))}
        <text x={LEFT + 8} y={TOP + 18} fontSize="13" fill={ink("ink2")} {...halo()}>
          quiet boost
        </text>
        <text
          x={LEFT + 8}
          y={TOP + 36}
          fontSize="15"
          fontWeight="650"
          fill={ink("ink")}
          {...halo()}
        >
          {signed(view.quiet_boost_db, 1)} dB
        </text>
        <rect x={LEFT} y={histTop} width={width - right - LEFT} height={HIST} fill={ink("sheet")} />
        {histogram?.histogram.map((v, i) =>
          v > 0 ? (
            <rect
              key={i}
              x={x(histogram.histogram_db[i]!) + 0.5}
              y={histTop + HIST - (v / share) * (HIST - 4)}
              width={Math.max(1, x(2) - x(0) - 1)}
              height={(v / share) * (HIST - 4)}
              fill={ink("ink")}
            />
          ) : null,
        )}
        {width > 480 && (
          <text x={width - right + 8} y={histTop + 16} fontSize="13" fill={ink("ink2")}>
            clip, share of time
          </text>
        )}
        <rect
          x={LEFT}
          y={ratioTop}
          width={width - right - LEFT}
          height={RATIO}
          fill={ink("sheet")}
        />
        <AxisLeft scale={r} at={LEFT} ticks={[1, most]} format={(v) => `${num(v, 1)}:1`} />
        <path
          d={linePath(
            xs,
            curve.ratio.map((v) => r(v)),
          )}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="1.75"
        />
        {width > 480 && (
          <text x={width - right + 8} y={ratioTop + 16} fontSize="13" fill={ink("ink2")}>
            local ratio of sum
          </text>
        )}
        {equal !== null && equal > -72 && equal < 0 && (
          <g>
            <line
              x1={x(equal)}
              x2={x(equal)}
              y1={y(curve.dry_db[Math.round((equal + 72) * 2)]!)}
              y2={ratioTop + RATIO}
              stroke={ink("ink")}
            />
            <circle
              cx={x(equal)}
              cy={y(curve.dry_db[Math.round((equal + 72) * 2)]!)}
              r="5"
              fill={ink("sheet")}
              stroke={ink("ink")}
              strokeWidth="1.75"
            />
            <text
              x={x(equal) + (equal > -20 ? -8 : 8)}
              y={TOP + TALL - 26}
              textAnchor={equal > -20 ? "end" : "start"}
              fontSize="13"
              fontWeight="650"
              fill={ink("ink")}
              {...halo()}
            >
              equal shares at {signed(equal, 1)}
            </text>
          </g>
        )}
        <AxisBottom
          scale={x}
          at={ratioTop + RATIO}
          ticks={[-72, -60, -48, -36, -24, -12, 0]}
          format={(v) => signed(v, 0)}
          unit="dBFS in"
        />
      </svg>
    </Box>
  );
}
