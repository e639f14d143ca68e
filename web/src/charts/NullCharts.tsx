/** The evidence of a null test: steps, overlay, levels over time, and third-octave bands. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import type { NullResult } from "../api/client";
import { ink } from "../ui/theme";
import { clock, clockFine, num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath, stepPath } from "./axes";

const LEFT = 48;

/** A few milliseconds: A as a thin line, B as a broad one under it; matched means A runs inside B. */
export function OverlayChart({ result }: { result: NullResult }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const { overlay } = result;
  const panel = 88;
  const height = 2 * panel + 42;
  const most =
    Math.max(1e-6, ...overlay.a.map(Math.abs), ...overlay.b_matched.map(Math.abs)) * 1.12;
  const span = overlay.a.length * overlay.step_ms;
  const x = scaleLinear([0, span], [LEFT, width]);
  const xs = overlay.a.map((_, i) => x(i * overlay.step_ms));
  const tick = Number((most * 0.7).toPrecision(1));
  const panels = [
    { top: 4, b: overlay.b_delivered, words: "as delivered", residual: null },
    { top: panel + 12, b: overlay.b_matched, words: "after matching", residual: overlay.residual },
  ];
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`Overlay of A and B, ${overlay.channel}, from ${clockFine(overlay.start_s)}: as delivered and after matching`}
        display="block"
      >
        {panels.map((p) => {
          const y = scaleLinear([most, -most], [p.top, p.top + panel]);
          const cut = (v: number) => y(Math.max(-most, Math.min(most, v)));
          return (
            <g key={p.words}>
              <rect x={LEFT} y={p.top} width={width - LEFT} height={panel} fill={ink("sheet")} />
              <Gridlines scale={y} ticks={[tick, -tick]} x1={LEFT} x2={width} />
              <line x1={LEFT} x2={width} y1={y(0)} y2={y(0)} stroke={ink("rule")} />
              <AxisLeft
                scale={y}
                at={LEFT}
                ticks={[tick, 0, -tick]}
                format={(v) => (v ? signed(v, tick < 0.1 ? 2 : 1) : "0")}
              />
              <path
                d={linePath(xs, p.b.map(cut))}
                fill="none"
                stroke={ink("band")}
                strokeWidth="6.5"
                strokeLinejoin="round"
              />
              <path
                d={linePath(xs, overlay.a.map(cut))}
                fill="none"
                stroke={ink("ink")}
                strokeWidth="1.5"
                strokeLinejoin="round"
              />
              {p.residual && (
                <path
                  d={linePath(xs, p.residual.map(cut))}
                  fill="none"
                  stroke={ink("diff")}
                  strokeWidth="1.5"
                />
              )}
              <text
                x={width - 6}
                y={p.top + 16}
                textAnchor="end"
                fontSize="13"
                fill={ink("ink2")}
                {...halo()}
              >
                {p.words}
              </text>
              {p.residual && (
                <text
                  x={width - 6}
                  y={p.top + panel - 6}
                  textAnchor="end"
                  fontSize="13"
                  fill={ink("diff")}
                  {...halo()}
                >
                  {result.null_depth_db === null
                    ? "residual: nothing left"
                    : `residual${overlay.raised_db > 0 ? `, raised ${num(overlay.raised_db, 0)} dB` : ""}`}
                </text>
              )}
            </g>
          );
        })}
        <AxisBottom scale={x} at={2 * panel + 14} ticks={x.ticks(6)} unit="ms" />
      </svg>
    </Box>
  );
}

function levelScale(values: (number | null)[], top: number, bottom: number) {
  const there = values.filter((v): v is number => v !== null);
  const low = there.length ? Math.max(-200, Math.min(...there)) : -120;
  return scaleLinear([0, Math.min(-60, Math.floor((low - 6) / 20) * 20)], [top, bottom]);
}

const floorAt = (values: (number | null)[], y: (v: number) => number) =>
  values.map((v) => (v === null ? null : y(Math.max(-200, v))));

export function LevelsOverTime({ result }: { result: NullResult }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const height = 190;
  const bottom = height - 28;
  const { timeline } = result;
  const y = levelScale([...timeline.a_dbfs, ...timeline.residual_dbfs], 6, bottom);
  const end = timeline.start_s + timeline.step_s * timeline.a_dbfs.length;
  const x = scaleLinear([timeline.start_s, end], [LEFT, width]);
  const xs = timeline.a_dbfs.map((_, i) => x(timeline.start_s + (i + 0.5) * timeline.step_s));
  const ticks = y.ticks(6);
  const worst = timeline.worst_at_s;
  const right = worst !== null && x(worst) > (LEFT + width) / 2;
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={`Level of A and of the residual over time, dBFS${worst === null ? "" : `; loudest residual ${num(timeline.worst_dbfs!, 1)} at ${clockFine(worst)}`}`}
        display="block"
      >
        <rect x={LEFT} y="6" width={width - LEFT} height={bottom - 6} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => num(v, 0)} />
        <path
          d={linePath(xs, floorAt(timeline.a_dbfs, y))}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        <path
          d={linePath(xs, floorAt(timeline.residual_dbfs, y))}
          fill="none"
          stroke={ink("diff")}
          strokeWidth="1.75"
        />
        <text
          x={LEFT + 6}
          y={Math.min(...floorAt(timeline.a_dbfs, y).map((v) => v ?? 999)) + 32}
          fontSize="14"
          fontWeight="650"
          fill={ink("ink")}
          {...halo()}
        >
          A
        </text>
        {worst !== null ? (
          <g>
            <circle
              cx={x(worst)}
              cy={y(Math.max(-200, timeline.worst_dbfs!))}
              r="4.5"
              fill={ink("sheet")}
              stroke={ink("diff")}
              strokeWidth="2"
            />
            <text
              x={x(worst) + (right ? -10 : 10)}
              y={y(Math.max(-200, timeline.worst_dbfs!)) - 9}
              textAnchor={right ? "end" : "start"}
              fontSize="13"
              fill={ink("diff")}
              {...halo()}
            >
              residual, loudest {num(timeline.worst_dbfs!, 1)} at {clockFine(worst)}
            </text>
          </g>
        ) : (
          <text x={LEFT + 6} y={bottom - 8} fontSize="13" fill={ink("ok")} {...halo()}>
            residual: nothing left
          </text>
        )}
        <AxisBottom
          scale={x}
          at={bottom}
          ticks={x.ticks(Math.max(3, Math.floor(width / 120)))}
          format={end < 20 ? clockFine : clock}
        />
      </svg>
    </Box>
  );
}

const OCTAVES = [31.5, 63, 125, 250, 500, 1000, 2000, 4000, 8000, 16000];

export function BandLevels({ result }: { result: NullResult }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const height = 190;
  const bottom = height - 28;
  const { centre_hz: centres, a_dbfs: a, residual_dbfs: rest } = result.bands;
  const y = levelScale([...a, ...rest], 6, bottom);
  const half = 10 ** 0.05;
  const low = (centres[0] ?? 25) / half;
  const high = (centres.at(-1) ?? 20000) * half;
  const x = scaleLog([low, high], [LEFT, width]);
  const edges = [...centres.map((f) => x(f / half)), x(high)];
  const ticks = y.ticks(6);
  const marks = OCTAVES.filter((f) => f > low && f < high && (width > 420 || f !== 16000));
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label="Third-octave levels of A and of the residual, dBFS against hertz"
        display="block"
      >
        <rect x={LEFT} y="6" width={width - LEFT} height={bottom - 6} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => num(v, 0)} />
        <path
          d={stepPath(edges, floorAt(a, y))}
          fill="none"
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        <path
          d={stepPath(edges, floorAt(rest, y))}
          fill="none"
          stroke={ink("diff")}
          strokeWidth="1.75"
        />
        <text
          x={x(120)}
          y={(y(a[Math.floor(a.length / 4)] ?? -40) ?? 0) - 8}
          fontSize="14"
          fontWeight="650"
          fill={ink("ink")}
          {...halo()}
        >
          A
        </text>
        {rest.some((v) => v !== null) && (
          <text
            x={x(1000)}
            y={y(Math.max(-200, rest[Math.floor(rest.length / 2)] ?? -100)) - 9}
            textAnchor="middle"
            fontSize="13"
            fill={ink("diff")}
            {...halo()}
          >
            residual
          </text>
        )}
        <AxisBottom
          scale={x}
          at={bottom}
          ticks={marks}
          format={(f) => (f >= 1000 ? `${f / 1000} k` : String(f === 31.5 ? 31 : f))}
          unit="Hz"
        />
      </svg>
    </Box>
  );
}
