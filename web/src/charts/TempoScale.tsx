/** Tempos that make a delay a note value, on a true BPM axis. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom } from "./axes";

type Candidate = Schemas["TempoCandidate"];
const HEIGHT = 112;
const AXIS = 84;

interface Props {
  candidates: Candidate[];
  songBpm: number;
  onChoose: (candidate: Candidate) => void;
}

export function TempoScale({ candidates, songBpm, onChoose }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const x = scaleLinear([36, 244], [8, width - 8]);
  const sorted = [...candidates].sort((a, b) => a.bpm - b.bpm);
  const ends = [-Infinity, -Infinity, -Infinity];
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={HEIGHT}
        role="group"
        aria-label="Tempos for this delay"
        display="block"
      >
        <rect x="8" y="4" width={width - 16} height={AXIS - 4} fill={ink("sheet")} />
        {songBpm >= 36 && songBpm <= 244 && (
          <line
            x1={x(songBpm)}
            x2={x(songBpm)}
            y1="4"
            y2={AXIS}
            stroke={ink("ink")}
            strokeWidth="1.5"
          />
        )}
        {sorted.map((candidate) => {
          const place = x(candidate.bpm);
          const room = candidate.note_value.length * 7.5 + 12;
          let lane = ends.findIndex((end) => end < place - 4);
          if (lane < 0) lane = ends.indexOf(Math.min(...ends));
          ends[lane] = place + room;
          const flip = place + room > width;
          const y = 24 + lane * 22;
          return (
            <g
              key={candidate.note_value}
              role="button"
              tabIndex={0}
              aria-label={`${candidate.note_value}: set the tempo to ${num(candidate.bpm, 2)} BPM, the delay is a ${candidate.name}`}
              onClick={() => onChoose(candidate)}
              onKeyDown={(e) =>
                (e.key === "Enter" || e.key === " ") && (e.preventDefault(), onChoose(candidate))
              }
              style={{ cursor: "pointer" }}
            >
              <title>{`${candidate.name}: ${num(candidate.bpm, 2)} BPM`}</title>
              <rect
                x={flip ? place - room : place}
                y={y - 15}
                width={room}
                height={AXIS - y + 15}
                fill="transparent"
              />
              <line
                x1={place}
                x2={place}
                y1={y - 12}
                y2={AXIS}
                stroke={ink("wet")}
                strokeWidth="2"
                strokeDasharray="7 3"
              />
              <text
                x={flip ? place - 5 : place + 5}
                y={y}
                textAnchor={flip ? "end" : "start"}
                fontSize="14"
                fontWeight="650"
                fill={ink("ink")}
              >
                {candidate.note_value}
              </text>
            </g>
          );
        })}
        <AxisBottom
          scale={x}
          at={AXIS}
          ticks={width < 420 ? [40, 100, 160, 240] : [40, 80, 120, 160, 200, 240]}
          unit="BPM"
        />
      </svg>
    </Box>
  );
}
