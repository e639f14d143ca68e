/** What works by level, seen working: its gain over time, how often it acts, how much; loops by level. */
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

/** A lane: what is drawn of a stage over time. */
interface Row {
  key: string;
  stage: Gauge;
  loop: boolean;
}

/** What works by level, and what goes round in loops, where any of it is heard. */
export function rowsOf(stages: Gauge[]): Row[] {
  const some = (values: (number | null)[] | undefined) => !!values?.some((v) => v !== null);
  return stages.flatMap((stage) => [
    ...(some(stage.gain_db) ? [{ key: stage.node, stage, loop: false }] : []),
    ...(some(stage.loop_dbfs) ? [{ key: `${stage.node} loop`, stage, loop: true }] : []),
  ]);
}

export function Working({ l }: { l: Listening }) {
  const rows = rowsOf(l.curves?.stages ?? []);
  const { variant } = l;
  if (!rows.length || !variant || l.inTrial || l.heard?.id === "bare") return null;
  return (
    <Box as="section" aria-label="Seen working" borderTop="1px solid" borderColor="rule">
      {rows.map(({ key, stage, loop }) => (
        <Box
          key={key}
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
              {loop ? "what goes round in it, dBFS" : "its gain against quiet, dB"}
            </Box>
          </Box>
          {loop ? (
            <Trace
              l={l}
              values={stage.loop_dbfs!}
              top={0}
              low={-60}
              said={`Level in the loop of ${nameOf(variant, stage.node)} over time: ${loopWordsOf(stage, null)}`}
            />
          ) : (
            <Trace
              l={l}
              values={stage.gain_db}
              rest={stage.resting_db ?? 0}
              hanging
              top={0}
              low={-Math.max(6, Math.ceil((stage.most_db ?? 0) / 6) * 6)}
              said={`Gain of ${nameOf(variant, stage.node)} over time: ${wordsOf(stage, null)}`}
            />
          )}
          <Box fontSize="14px">
            <Words l={l} stage={stage} loop={loop} />
          </Box>
        </Box>
      ))}
    </Box>
  );
}

function Words({ l, stage, loop }: { l: Listening; stage: Gauge; loop: boolean }) {
  const { position } = usePlayhead(l.player.head);
  if (loop) {
    const level = stage.loop_dbfs?.[Math.floor(position / FRAME_S)] ?? null;
    return <>{loopWordsOf(stage, l.player.playing ? level : null)}</>;
  }
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

/** Of a loop: how loud it comes to be, how long it is heard after the last thing that went in. */
export function loopWordsOf(stage: Gauge, now: number | null): string {
  const heard = (stage.loop_dbfs ?? []).filter((v): v is number => v !== null);
  if (!heard.length) return "nothing goes round";
  const loudest = Math.max(...heard);
  const parts = now === null ? [] : [`now ${signed(now, 1)}`];
  parts.push(`at most ${signed(loudest, 1)} dBFS`);
  const last = stage.loop_dbfs!.reduce<number>((n, v, i) => (v !== null && v > -60 ? i : n), -1);
  if (last >= 0) parts.push(`under −60 dBFS from ${num((last + 1) * FRAME_S, 1)} s on`);
  return parts.join(", ");
}

interface TraceProps {
  l: Listening;
  values: (number | null)[];
  /** Taken off each value. */
  rest?: number;
  top: number;
  low: number;
  /** A gain hangs from what it does to quiet sounds; a level stands on its floor. */
  hanging?: boolean;
  said: string;
}

function Trace({ l, values, rest = 0, top, low, hanging = false, said }: TraceProps) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const seconds = l.heard?.render?.report?.seconds ?? 1;
  const x = scaleLinear([0, Math.max(0.1, seconds)], [0, width - 8]).clamp(true);
  const inside = width < 500;
  const y = scaleLinear([top, low], [5, LANE - 5]).clamp(true);
  const ground = hanging ? y(top) : y(low);
  const most = (some: number[]) => (hanging ? Math.min(...some) : Math.max(...some));
  let line = "";
  let area = "";
  let open = false;
  const step = Math.max(1, Math.floor(values.length / 1200));
  for (let i = 0; i < values.length; i += step) {
    // Of several frames in one pixel the most that it turns down, or the loudest.
    const some = values.slice(i, i + step).filter((g): g is number => g !== null);
    if (!some.length) {
      if (open) area += `L${x(i * FRAME_S).toFixed(1)} ${ground}Z`;
      open = false;
      continue;
    }
    const [px, py] = [x(i * FRAME_S).toFixed(1), y(most(some) - rest).toFixed(1)];
    line += `${open ? "L" : "M"}${px} ${py}`;
    area += open ? `L${px} ${py}` : `M${px} ${ground}L${px} ${py}`;
    open = true;
  }
  if (open) area += `L${x(values.length * FRAME_S).toFixed(1)} ${ground}Z`;
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={LANE}
        display="block"
        overflow="visible"
        role="img"
        aria-label={said}
      >
        <rect width={width - 8} height={LANE} fill={ink("sheet")} />
        <path d={area} fill={ink("well")} />
        {[top, (top + low) / 2, low].map((db) => (
          <g key={db}>
            <line x1="0" x2={width - 8} y1={y(db)} y2={y(db)} stroke={ink("fine")} />
            <text
              x={inside ? 3 : -5}
              y={y(db) + (inside ? (db === top ? 11 : -2) : 4)}
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
