/** A rule with two sides: what a device shows over what it does; the hairline is what is wanted. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { textWidth } from "../ui/measure";
import { ink } from "../ui/theme";
import { halo } from "./axes";
import { besideOf, digitsOf, labelled, type ReadMark, stretchOf } from "./reads";

const TOP = 30;
const DEEP = 48;
const HEIGHT = TOP + DEEP + 52;

interface Props {
  marks: ReadMark[];
  nearest: ReadMark;
  now: ReadMark | null;
  wanted: number;
}

export function ReadsDoes({ marks, nearest, now, wanted }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const narrow = width < 560;
  const left = narrow ? 4 : 118;
  const x = scaleLinear(stretchOf(marks, wanted, now), [left, width - 4]);
  const apart = now && Math.abs(now.label_ms - nearest.label_ms) > 1e-6 ? now : null;
  const shown = (m: ReadMark) => num(m.label_ms, digitsOf(m.label_ms));
  const order = [nearest, ...(apart ? [apart] : []), ...marks];
  const named = labelled(order, (m) => x(m.does_ms), narrow ? 40 : 34);
  const ticks = x.ticks(Math.max(3, Math.floor((width - left) / 80)));
  const base = TOP + DEEP;
  // Last of all, so that no line goes through them.
  const said = [
    { key: "nearest", of: nearest, word: "nearest", y: TOP + 20, colour: "ink" as const },
    ...(apart
      ? [{ key: "now", of: apart, word: "as set now", y: TOP + 40, colour: "diff" as const }]
      : []),
  ].map((one) => ({
    ...one,
    at: x(one.of.does_ms),
    text: `${signed(one.of.error_ms, 2)} ms, ${one.word}`,
  }));
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={HEIGHT}
        display="block"
        role="img"
        aria-label={`Set to ${shown(nearest)} it does ${num(nearest.does_ms, 2)} ms, ${signed(nearest.error_ms, 2)} ms from the ${num(wanted, 3)} ms wanted${apart ? `; set to ${shown(apart)} as now it does ${num(apart.does_ms, 2)} ms` : ""}`}
      >
        <rect x={left} y={TOP} width={width - 4 - left} height={DEEP} fill={ink("sheet")} />
        {!narrow && (
          <>
            <text x="0" y={TOP + 4} fontSize="13" fontWeight="650" fill={ink("ink")}>
              It shows
            </text>
            <text x="0" y={base + 4} fontSize="13" fontWeight="650" fill={ink("ink")}>
              It does, ms
            </text>
          </>
        )}
        <line x1={left} x2={width - 4} y1={TOP} y2={TOP} stroke={ink("ink")} strokeWidth="1.5" />
        <line x1={left} x2={width - 4} y1={base} y2={base} stroke={ink("ink")} strokeWidth="1.5" />
        {marks.map((m) => (
          <g key={m.label_ms}>
            <line x1={x(m.does_ms)} x2={x(m.does_ms)} y1={TOP - 7} y2={TOP} stroke={ink("ink")} />
            {named.has(m) && (
              <text
                x={x(m.does_ms)}
                y={TOP - 11}
                textAnchor="middle"
                fontSize="13"
                fill={ink("ink2")}
              >
                {shown(m)}
              </text>
            )}
          </g>
        ))}
        {apart && (
          <g fill={ink("diff")}>
            <line
              x1={x(apart.does_ms)}
              x2={x(apart.does_ms)}
              y1={TOP - 7}
              y2={base}
              stroke={ink("diff")}
              strokeWidth="3"
            />
            <text
              x={x(apart.does_ms)}
              y={TOP - 11}
              textAnchor="middle"
              fontSize="14"
              fontWeight="650"
            >
              {shown(apart)}
            </text>
          </g>
        )}
        <line
          x1={x(nearest.does_ms)}
          x2={x(nearest.does_ms)}
          y1={TOP - 7}
          y2={base}
          stroke={ink("ink")}
          strokeWidth="4.5"
        />
        <rect x={x(nearest.does_ms) - 20} y={TOP - 26} width="40" height="19" fill={ink("ink")} />
        <text
          x={x(nearest.does_ms)}
          y={TOP - 11.5}
          textAnchor="middle"
          fontSize="14"
          fontWeight="650"
          fill={ink("paper")}
        >
          {shown(nearest)}
        </text>
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1={base} y2={base + 6} stroke={ink("ink")} />
            <text x={x(tick)} y={base + 20} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
              {num(tick, digitsOf(tick))}
            </text>
          </g>
        ))}
        <line
          x1={x(wanted)}
          x2={x(wanted)}
          y1={TOP - 4}
          y2={base + 30}
          stroke={ink("ink")}
          strokeWidth="1.25"
        />
        <text
          x={Math.max(left + 52, Math.min(width - 60, x(wanted)))}
          y={base + 44}
          textAnchor="middle"
          fontSize="13"
          fontWeight="650"
          fill={ink("ink")}
        >
          {num(wanted, 3)} ms wanted
        </text>
        {said.map(({ key, text, at, y, colour }) => {
          const beside = besideOf(at, textWidth(text, 13, true), left, width);
          return (
            <text
              key={key}
              x={beside.x}
              y={y}
              textAnchor={beside.anchor}
              fontSize="13"
              fontWeight="650"
              fill={ink(colour)}
              {...halo()}
            >
              {text}
            </text>
          );
        })}
      </svg>
    </Box>
  );
}
