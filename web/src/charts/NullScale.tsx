/** The verdict scale as a course: from Unrelated to the Bit-identical finish line. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { NullResult } from "../api/client";
import { ink } from "../ui/theme";
import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";

const HEIGHT = 78;
const AXIS = 44;

export function NullScale({ result }: { result: NullResult }) {
  const [frame, width] = useWidth<HTMLDivElement>(340);
  const narrow = width < 640;
  const depth = result.null_depth_db === null ? null : Math.max(0, -result.null_depth_db);
  const top = depth !== null && depth > 118 ? Math.ceil((depth + 8) / 10) * 10 : 120;
  const finish = width - (narrow ? 26 : 50);
  const x = scaleLinear([0, top], [0, finish - (narrow ? 26 : 90)]);
  const at = depth === null ? finish : x(depth);
  const ticks = Array.from({ length: Math.floor(top / 10) + 1 }, (_, i) => i * 10);
  const limit = result.limit.kind === "relative" ? result.limit.value_db : null;
  const colour = ink(result.passed ? "ok" : "diff");
  const zones = result.scale.filter((mark) => mark.from_db !== null);
  return (
    <Box ref={frame}>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Verdict scale, dB down against A: ${result.verdict_name}${depth === null ? "" : `, ${num(depth, 1)} dB down`}`}
        display="block"
      >
        {zones.map((zone) => {
          const from = x(zone.from_db!);
          const to = zone.to_db ? x(zone.to_db) : x(top);
          const mine = zone.verdict === result.verdict;
          const wide = to - from;
          const words =
            mine && depth !== null ? `${zone.name}: ${num(depth, 1)} dB down` : zone.name;
          const fits =
            wide > words.length * 6.6 ? words : wide > zone.name.length * 6.6 ? zone.name : "";
          return (
            <g key={zone.verdict}>
              {mine && <rect x={from} y="6" width={wide} height="24" fill={colour} />}
              {zone.from_db! > 0 && (
                <line
                  x1={from}
                  x2={from}
                  y1="6"
                  y2={AXIS}
                  stroke={ink("edge")}
                  strokeDasharray="1 3"
                />
              )}
              <text
                x={from + wide / 2}
                y="22.500"
                textAnchor="middle"
                fontSize="14"
                fontWeight={mine ? 650 : 400}
                fill={ink(mine ? "paper" : "ink2")}
              >
                {fits}
              </text>
            </g>
          );
        })}
        <line x1="0" x2={x(top)} y1={AXIS} y2={AXIS} stroke={ink("ink")} strokeWidth="1.5" />
        <line
          x1={x(top)}
          x2={finish}
          y1={AXIS}
          y2={AXIS}
          stroke={ink("edge")}
          strokeDasharray="1 4"
          strokeWidth="1.5"
        />
        <line x1="0" x2={at} y1={AXIS - 4} y2={AXIS - 4} stroke={colour} strokeWidth="5" />
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1={AXIS} y2={AXIS + 7} stroke={ink("ink")} />
            {(!narrow || tick % 30 === 0) && (
              <text
                x={x(tick)}
                y={AXIS + 23}
                textAnchor={tick === 0 ? "start" : "middle"}
                fontSize="14"
                fill={ink("ink2")}
              >
                {tick === 0 ? "0 dB" : tick}
              </text>
            )}
          </g>
        ))}
        {limit !== null && limit <= top && (
          <g>
            <line
              x1={x(limit)}
              x2={x(limit)}
              y1="30"
              y2={AXIS + 12}
              stroke={ink("ink")}
              strokeWidth="1.75"
            />
            <line
              x1={x(limit) + 4}
              x2={x(limit) + 4}
              y1="30"
              y2={AXIS + 12}
              stroke={ink("ink")}
              strokeWidth="1.75"
            />
            <title>{`Limit ${num(limit, 0)} dB down`}</title>
          </g>
        )}
        {depth !== null && (
          <g>
            <line x1={at} x2={at} y1="30" y2={AXIS + 8} stroke={ink("ink")} strokeWidth="4" />
            <path d={`M${at} ${AXIS + 6}l7 10h-14z`} fill={ink("ink")} />
          </g>
        )}
        <line
          x1={finish}
          x2={finish}
          y1={AXIS - 10}
          y2={AXIS + 10}
          stroke={ink("ink")}
          strokeWidth="1.75"
        />
        <line
          x1={finish + 5}
          x2={finish + 5}
          y1={AXIS - 10}
          y2={AXIS + 10}
          stroke={ink("ink")}
          strokeWidth="1.75"
        />
        <text
          x={width}
          y="22.500"
          textAnchor="end"
          fontSize="14"
          fontWeight={depth === null ? 650 : 400}
          fill={ink(depth === null ? "ok" : "ink2")}
        >
          {narrow ? "" : "Bit-identical"}
        </text>
        <text x={width} y={AXIS + 23} textAnchor="end" fontSize="13" fill={ink("ink2")}>
          {narrow ? "" : "nothing left"}
        </text>
      </svg>
    </Box>
  );
}
