/** The stretch with its bars, a lane for each sound, and the rail of what was heard. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import type { PointerEvent } from "react";

import { ink } from "../../ui/theme";
import { AxisBottom, halo } from "../../charts/axes";
import { clockFine } from "../../ui/format";
import { useWidth } from "../../ui/hooks";

const WAVE_TOP = 22;
const WAVE = 76;
const LANE = 29;

export interface Lane {
  id: string;
  letter: string;
  waveform: { low: number[]; high: number[] } | null;
}

export interface Step {
  /** Seconds into the sound. */
  at: number;
  lane: string;
}

export interface Props {
  lanes: Lane[];
  heard: string;
  seconds: number;
  /** Where the sound begins in the song. */
  start: number;
  loop: { from: number; to: number } | null;
  bars: { bar: number; at: number }[];
  position: number;
  playing: boolean;
  trail: Step[];
  onSeek: (seconds: number) => void;
}

export function Lanes(props: Props) {
  const { lanes, heard, seconds, start, loop, bars, position, playing, trail, onSeek } = props;
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const x = scaleLinear([0, Math.max(0.1, seconds)], [0, width - 8]);
  const lanesTop = WAVE_TOP + WAVE + 4;
  const foot = lanesTop + lanes.length * LANE;
  const shown = lanes.find((l) => l.id === heard && l.waveform) ?? lanes.find((l) => l.waveform);
  const y = (id: string) =>
    lanesTop +
    LANE / 2 +
    LANE *
      Math.max(
        0,
        lanes.findIndex((l) => l.id === id),
      );
  const seek = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    onSeek(Math.max(0, Math.min(seconds, x.invert(event.clientX - box.left))));
  };
  let rail = "";
  trail.forEach((step, i) => {
    const end = trail[i + 1]?.at ?? position;
    rail += `${i ? "L" : "M"}${x(step.at).toFixed(1)} ${y(step.lane)}L${x(Math.max(step.at, end)).toFixed(1)} ${y(step.lane)}`;
  });
  const wave = shown?.waveform;
  const spaced = bars.filter((b, i) => i === 0 || x(b.at) - x(bars[0]!.at) > 0);
  const every = Math.max(1, Math.ceil((42 * spaced.length) / Math.max(1, width)));
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={foot + 30}
        display="block"
        role="img"
        aria-label={`${clockFine(seconds)} from ${clockFine(start)} of the song; heard: ${heard || "nothing"}, at ${clockFine(start + position)}`}
        style={{ cursor: "pointer", touchAction: "pan-y" }}
        onPointerDown={seek}
      >
        <rect y={WAVE_TOP} width={width - 8} height={foot - WAVE_TOP} fill={ink("sheet")} />
        {spaced.map((b, i) => (
          <g key={b.bar}>
            <line x1={x(b.at)} x2={x(b.at)} y1={WAVE_TOP} y2={foot} stroke={ink("fine")} />
            {i % every === 0 && x(b.at) < width - 30 && (
              <text x={x(b.at) + 3} y="14" fontSize="13" fill={ink("ink2")}>
                {b.bar}
              </text>
            )}
          </g>
        ))}
        {wave && (
          <>
            <path d={outline(wave, x(seconds))} fill={ink("edge")} />
            {loop && (
              <>
                <clipPath id="listen-loop">
                  <rect
                    x={x(loop.from)}
                    y="0"
                    width={Math.max(1, x(loop.to) - x(loop.from))}
                    height={foot}
                  />
                </clipPath>
                <path
                  d={outline(wave, x(seconds))}
                  fill={ink("ink")}
                  clipPath="url(#listen-loop)"
                />
              </>
            )}
          </>
        )}
        {lanes.map((lane, i) => (
          <g key={lane.id}>
            <line
              x1="0"
              x2={width - 8}
              y1={lanesTop + i * LANE}
              y2={lanesTop + i * LANE}
              stroke={ink("rule")}
            />
            <line x1="0" x2={width - 8} y1={y(lane.id)} y2={y(lane.id)} stroke={ink("edge")} />
          </g>
        ))}
        {loop && (
          <g stroke={ink("ink")}>
            <line
              x1={x(loop.from)}
              x2={x(loop.from)}
              y1={WAVE_TOP - 6}
              y2={foot}
              strokeWidth="1.75"
            />
            <line x1={x(loop.to)} x2={x(loop.to)} y1={WAVE_TOP - 6} y2={foot} strokeWidth="1.75" />
            <line
              x1={x(loop.to) + 5}
              x2={x(loop.to) + 5}
              y1={WAVE_TOP - 6}
              y2={foot}
              strokeWidth="1.75"
            />
          </g>
        )}
        {rail && <path d={rail} fill="none" stroke={ink("ink")} strokeWidth="3.5" />}
        {trail.length > 0 && x(position) < width - 190 && playing && (
          <text x={x(position) + 10} y={y(heard) - 5} fontSize="13" fill={ink("ink2")} {...halo()}>
            thick: what you heard
          </text>
        )}
        <AxisBottom
          scale={x}
          at={foot}
          ticks={x.ticks(Math.max(3, Math.floor(width / 110)))}
          format={(v) => clockFine(start + v)}
        />
        <line
          x1={x(position)}
          x2={x(position)}
          y1={WAVE_TOP}
          y2={foot}
          stroke={ink("ink")}
          strokeWidth="1.25"
        />
        <path d={`M${x(position) - 6} ${foot + 11}h12l-6 -10z`} fill={ink("ink")} />
      </svg>
    </Box>
  );
}

function outline(wave: { low: number[]; high: number[] }, width: number): string {
  const count = wave.high.length;
  const middle = WAVE_TOP + WAVE / 2;
  const top = Math.max(0.02, ...wave.high, ...wave.low.map((v) => -v));
  const px = (i: number) => ((i + 0.5) / count) * width;
  const py = (v: number) => (middle - (v / top) * (WAVE / 2 - 3)).toFixed(1);
  let path = "";
  for (let i = 0; i < count; i++)
    path += `${i ? "L" : "M"}${px(i).toFixed(1)} ${py(wave.high[i]!)}`;
  for (let i = count - 1; i >= 0; i--) path += `L${px(i).toFixed(1)} ${py(wave.low[i]!)}`;
  return `${path}Z`;
}
