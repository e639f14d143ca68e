/** A clip's waveform with a time axis, and a region that can be dragged out over it. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type PointerEvent, useMemo, useState } from "react";

import type { ClipDetail } from "../api/client";
import { ink } from "../ui/theme";
import { clock, clockFine } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom } from "./axes";

const HEIGHT = 124;
const WAVE = 96;

export interface Stretch {
  start_s: number;
  length_s: number | null;
}

interface Props {
  clip: ClipDetail;
  label: string;
  region: Stretch;
  onRegion: (region: Stretch) => void;
}

export function Wave({ clip, label, region, onRegion }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const [drag, setDrag] = useState<[number, number] | null>(null);
  const seconds = clip.facts?.seconds ?? 1;
  const x = scaleLinear([0, seconds], [0, width]);
  const path = useMemo(() => outline(clip.peaks_low, clip.peaks_high, width), [clip, width]);
  const from = drag ? Math.min(...drag) : region.start_s;
  const to = drag
    ? Math.max(...drag)
    : Math.min(seconds, region.length_s === null ? seconds : region.start_s + region.length_s);
  const whole = from <= 0 && to >= seconds;
  const at = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.min(seconds, Math.max(0, x.invert(event.clientX - box.left)));
  };
  const end = () => {
    if (!drag) return;
    const length = Math.abs(drag[1] - drag[0]);
    if (length > seconds * 0.005) onRegion({ start_s: Math.min(...drag), length_s: length });
    else onRegion({ start_s: 0, length_s: null });
    setDrag(null);
  };
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`${label}: ${clip.name}, ${clockFine(seconds)}; tested from ${clockFine(from)} to ${clockFine(to)}`}
        display="block"
        style={{ touchAction: "pan-y", cursor: "crosshair" }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag([at(event), at(event)]);
        }}
        onPointerMove={(event) => drag && setDrag([drag[0], at(event)])}
        onPointerUp={end}
        onPointerCancel={() => setDrag(null)}
      >
        <rect width={width} height={WAVE} fill={ink("sheet")} />
        <line x1="0" x2={width} y1={WAVE / 2} y2={WAVE / 2} stroke={ink("rule")} />
        <path
          d={path}
          fill={ink(whole ? "ink" : "edge")}
          stroke={ink(whole ? "ink" : "edge")}
          strokeWidth="0.7"
        />
        {!whole && (
          <g>
            <clipPath id={`cut-${clip.id}-${label}`}>
              <rect x={x(from)} width={Math.max(0.5, x(to) - x(from))} y="0" height={WAVE} />
            </clipPath>
            <path
              d={path}
              fill={ink("ink")}
              stroke={ink("ink")}
              strokeWidth="0.7"
              clipPath={`url(#cut-${clip.id}-${label})`}
            />
            <line x1={x(from)} x2={x(from)} y1="0" y2={WAVE} stroke={ink("ink")} strokeWidth="3" />
            <line x1={x(to)} x2={x(to)} y1="0" y2={WAVE} stroke={ink("ink")} strokeWidth="1.75" />
            <line
              x1={x(to) + 5}
              x2={x(to) + 5}
              y1="0"
              y2={WAVE}
              stroke={ink("ink")}
              strokeWidth="1.75"
            />
          </g>
        )}
        <AxisBottom
          scale={x}
          at={WAVE}
          ticks={x.ticks(Math.max(3, Math.floor(width / 110)))}
          format={seconds < 20 ? clockFine : clock}
        />
      </svg>
    </Box>
  );
}

function outline(low: number[], high: number[], width: number): string {
  const count = high.length;
  if (!count) return "";
  const middle = WAVE / 2;
  const reach = middle - 3;
  const top = Math.max(0.05, ...high, ...low.map((v) => -v));
  const px = (i: number) => ((i + 0.5) / count) * width;
  let path = "";
  for (let i = 0; i < count; i++)
    path += `${i ? "L" : "M"}${px(i).toFixed(1)} ${(middle - (high[i]! / top) * reach).toFixed(1)}`;
  for (let i = count - 1; i >= 0; i--)
    path += `L${px(i).toFixed(1)} ${(middle - (low[i]! / top) * reach).toFixed(1)}`;
  return `${path}Z`;
}
