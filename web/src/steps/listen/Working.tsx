/** What works by level, seen working: its gain over time, how often it acts, how much, what keys it. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { usePlayhead } from "../../playing/playhead";
import type { Listening } from "../../playing/usePlaying";
import { ink } from "../../ui/theme";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { PlayLine } from "./PlayLine";

const LANE = 56;
const FRAME_S = 0.05;

type Gauge = Schemas["StageGauge"];

export function Working({ l }: { l: Listening }) {
  const stages = (l.curves?.stages ?? []).filter((s) => s.gain_db.some((g) => g !== null));
  const { variant } = l;
  if (!stages.length || !variant || l.inTrial || l.heard?.id === "bare") return null;
  return (
    <Box as="section" aria-label="Seen working" borderTop="1px solid" borderColor="rule">
      {stages.map((stage) => (
        <Box
          key={stage.node}
          display="grid"
          gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "200px minmax(0, 1fr) 340px" }}
          gap="0 14px"
          alignItems="center"
          borderBottom="1px solid"
          borderColor="rule"
          paddingBlock="3px"
        >
          <Box paddingLeft="9px" minWidth="0">
            <Box fontWeight="650">{nameOf(variant, stage.node)}</Box>
            <Box color="ink2" fontSize="13px">
              its gain against quiet, dB
            </Box>
          </Box>
          <Trace l={l} stage={stage} name={nameOf(variant, stage.node)} />
          <Box fontSize="14px">
            <Words l={l} stage={stage} />
          </Box>
        </Box>
      ))}
    </Box>
  );
}

function Words({ l, stage }: { l: Listening; stage: Gauge }) {
  const { position } = usePlayhead(l.player.head);
  return <>{wordsOf(stage, l.player.playing ? nowOf(stage, position) : null)}</>;
}

/** Its gain just now, dB against what it gives quiet sounds; null where nothing comes. */
export function nowOf(stage: Gauge, seconds: number): number | null {
  const gain = stage.gain_db[Math.floor(seconds / FRAME_S)] ?? null;
  return gain === null ? null : gain - (stage.resting_db ?? 0);
}

export function wordsOf(stage: Gauge, now: number | null): string {
  const parts = [];
  if (now !== null) parts.push(`now ${signed(Math.min(0, now), 1)} dB`);
  if (stage.most_db == null) parts.push("never acts on this");
  else
    parts.push(
      `acts ${num(100 * (stage.acting ?? 0), 0)} % of the time`,
      `most ${signed(-stage.most_db, 1)}`,
      `mostly ${signed(-(stage.typical_db ?? 0), 1)} dB`,
    );
  if (stage.key_dbfs != null) parts.push(`its key at ${signed(stage.key_dbfs, 1)} dBFS`);
  return parts.join(", ");
}

function Trace({ l, stage, name }: { l: Listening; stage: Gauge; name: string }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const seconds = l.heard?.render?.report?.seconds ?? 1;
  const x = scaleLinear([0, Math.max(0.1, seconds)], [0, width - 8]);
  const reach = Math.max(6, Math.ceil((stage.most_db ?? 0) / 6) * 6);
  const inside = width < 500;
  const y = scaleLinear([0, -reach], [5, LANE - 5]).clamp(true);
  const rest = stage.resting_db ?? 0;
  let line = "";
  let area = "";
  let open = false;
  const step = Math.max(1, Math.floor(stage.gain_db.length / 1200));
  for (let i = 0; i < stage.gain_db.length; i += step) {
    // Of several frames in one pixel the most that it turns down.
    const some = stage.gain_db.slice(i, i + step).filter((g): g is number => g !== null);
    if (!some.length) {
      if (open) area += `L${x(i * FRAME_S).toFixed(1)} ${y(0)}Z`;
      open = false;
      continue;
    }
    const [px, py] = [x(i * FRAME_S).toFixed(1), y(Math.min(...some) - rest).toFixed(1)];
    line += `${open ? "L" : "M"}${px} ${py}`;
    area += open ? `L${px} ${py}` : `M${px} ${y(0)}L${px} ${py}`;
    open = true;
  }
  if (open) area += `L${x(stage.gain_db.length * FRAME_S).toFixed(1)} ${y(0)}Z`;
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={LANE}
        display="block"
        overflow="visible"
        role="img"
        aria-label={`Gain of ${name} over time: ${wordsOf(stage, null)}`}
      >
        <rect width={width - 8} height={LANE} fill={ink("sheet")} />
        <path d={area} fill={ink("well")} />
        {[0, -reach / 2, -reach].map((db) => (
          <g key={db}>
            <line x1="0" x2={width - 8} y1={y(db)} y2={y(db)} stroke={ink("fine")} />
            <text
              x={inside ? 3 : -5}
              y={y(db) + (inside ? (db === 0 ? 11 : -2) : 4)}
              textAnchor={inside ? "start" : "end"}
              fontSize="12"
              fill={ink("ink2")}
            >
              {signed(db, 0)}
            </text>
          </g>
        ))}
        <path d={line} fill="none" stroke={ink("ink")} strokeWidth="1.5" />
        <PlayLine l={l} x={x} y1={0} y2={LANE} />
      </svg>
    </Box>
  );
}
