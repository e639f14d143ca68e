/** What reaches an output: every path's level, time, polarity and wet share on one board. */
import { memo, useMemo } from "react";
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import type { Board, RigView } from "../../api/client";
import { Gloss } from "../../ui/Gloss";
import { ink } from "../../ui/theme";
import { AxisLeft, Gridlines, linePath } from "../../charts/axes";
import { Figure, SheetTitle, Unseen } from "../../ui/controls";
import { num } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { textWidth } from "../../ui/measure";
import { rangeOf, readingsOf, wasOf } from "./readings";

type Arrival = Board["arrivals"][number];

const SHOWN = 8;
const REGIONS = [
  { name: "colours", from: 1, to: 12 },
  { name: "thickens", from: 12, to: 80 },
  { name: "echoes", from: 80, to: 4000 },
];
const Cell = chakra("td", {
  base: { padding: "3px 5px", textAlign: "right", whiteSpace: "nowrap", fontWeight: 650 },
});
const Head = chakra("th", {
  base: {
    padding: "0 5px 4px",
    whiteSpace: "nowrap",
    textAlign: "right",
    color: "ink2",
    fontWeight: 400,
    fontSize: "13px",
    verticalAlign: "bottom",
  },
});

interface Props {
  board: Board;
  /** As it was before the change that is being made. */
  before?: Board;
  cautions: Set<string>;
  lit: string;
  onLight: (id: string) => void;
  pinned: string;
  /** Keep a path lit, to look at its way and mark it. */
  onPin: (id: string) => void;
}

export const Arrivals = memo(function Arrivals({
  board,
  before,
  cautions,
  lit,
  pinned,
  onLight,
  onPin,
}: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(56);
  // The strongest, in the order in which they arrive.
  const rows = board.arrivals.slice(0, SHOWN).sort((a, b) => a.time_ms - b.time_ms);
  const latest = Math.max(100, ...rows.map((a) => a.time_ms)) * 1.3;
  const x = useMemo(() => scaleLog([0.8, latest], [2, width - 6]).clamp(true), [latest, width]);
  return (
    <Box as="section" aria-label="Arrivals" minWidth="0">
      <chakra.table width="100%" tableLayout="fixed" borderCollapse="collapse" fontSize="15px">
        <thead>
          <chakra.tr borderBottom="1.5px solid" borderColor="ink">
            <Head textAlign="left">Path</Head>
            <Head width="58px">dB</Head>
            <Head width="70px">ms</Head>
            <Head width="26px" title="polarity">
              ±
            </Head>
            <Head width="52px" display={{ base: "none", sm: "table-cell" }}>
              wet %
            </Head>
            <Head width="36%" padding="0" textAlign="left">
              <Box as="span" srOnly>
                on a log time axis
              </Box>
              <Box ref={frame} position="relative" height="18px">
                {width > 190 &&
                  REGIONS.filter((r) => roomOf(r, x, width) > textWidth(r.name, 13) + 6).map(
                    (region) => (
                      <Box
                        key={region.name}
                        as="span"
                        position="absolute"
                        left={`${x(Math.max(region.from, 0.8))}px`}
                        paddingLeft="3px"
                        borderLeft={region.from > 1 ? "1.5px dotted" : "0"}
                        borderColor="edge"
                      >
                        {region.name}
                      </Box>
                    ),
                  )}
              </Box>
            </Head>
          </chakra.tr>
        </thead>
        <tbody>
          {rows.map((arrival) => (
            <Row
              key={arrival.id}
              arrival={arrival}
              was={before && wasOf(arrival, board.arrivals, before.arrivals)}
              caution={arrival.leak || arrival.through.some((t) => cautions.has(t) && arrival.leak)}
              lit={lit === arrival.id}
              onLight={onLight}
              pinned={pinned === arrival.id}
              onPin={onPin}
              x={x}
              width={width}
            />
          ))}
          <tr>
            <chakra.td colSpan={4} fontSize="13px" color="ink2" paddingInline="6px">
              {board.arrivals.length > SHOWN
                ? `and ${board.arrivals.length - SHOWN} more, the next at ${num(board.arrivals[SHOWN]!.level_db, 1)} dB`
                : "Time since the source, ms, log"}
            </chakra.td>
            <chakra.td display={{ base: "none", sm: "table-cell" }} />
            <chakra.td padding="0">
              <svg width={width} height="26" display="block" aria-hidden>
                <line x1="2" x2={width - 6} y1="3" y2="3" stroke={ink("ink")} strokeWidth="1.5" />
                {[1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000]
                  .filter((t) => t < latest)
                  .map((t) => (
                    <g key={t}>
                      <line
                        x1={x(t)}
                        x2={x(t)}
                        y1="3"
                        y2={/^10*$/.test(String(t)) ? 10 : 7}
                        stroke={ink("ink")}
                      />
                      {/^10*$/.test(String(t)) && (width > 170 || t === 10 || t === 1000) && (
                        <text
                          x={x(t)}
                          y="23"
                          fontSize="13"
                          textAnchor={x(t) > width - 26 ? "end" : "middle"}
                          fill={ink("ink2")}
                        >
                          {t}
                        </text>
                      )}
                    </g>
                  ))}
              </svg>
            </chakra.td>
          </tr>
        </tbody>
      </chakra.table>
    </Box>
  );
});

interface RowProps {
  arrival: Arrival;
  was: Arrival | undefined;
  caution: boolean;
  lit: boolean;
  pinned: boolean;
  onLight: (id: string) => void;
  onPin: (id: string) => void;
  x: (value: number) => number;
  width: number;
}

/** A row is drawn anew where it says something else; arrivals themselves come anew with each answer. */
function alike(a: RowProps, b: RowProps): boolean {
  return (
    a.lit === b.lit &&
    a.pinned === b.pinned &&
    a.caution === b.caution &&
    a.width === b.width &&
    a.x === b.x &&
    said(a.arrival) === said(b.arrival) &&
    said(a.was) === said(b.was)
  );
}
const said = (one: Arrival | undefined) => (one ? JSON.stringify(one) : "");

const Row = memo(function Row({
  arrival,
  was,
  caution,
  lit,
  pinned,
  onLight,
  onPin,
  x,
  width,
}: RowProps) {
  const wet = arrival.wet_percent > 0;
  // Repeats and laps carry the device's name; which one it is stands below it.
  const [name, ...which] = arrival.name.split(", ");
  const pan = Math.abs(arrival.pan_percent) > 5 ? panned(arrival.pan_percent) : "";
  const detail = [which.join(", ") || arrival.detail, pan].filter(Boolean).join(", ");
  const height = heightOf(arrival);
  const moved = was !== undefined && Math.abs(was.level_db - arrival.level_db) >= 0.05;
  const down = arrival.polarity < 0;
  const base = down ? 8 : 30;
  const tip = down ? base + height : base - height;
  const post = x(arrival.time_ms);
  const range = rangeOf(arrival);
  return (
    <chakra.tr
      onMouseEnter={() => onLight(arrival.id)}
      onMouseLeave={() => onLight("")}
      background={caution ? "cautionWash" : lit ? "well" : "transparent"}
      borderBottom="1px solid"
      borderColor="rule"
      height="39px"
    >
      <chakra.td padding="2px 5px" lineHeight="17px" whiteSpace="nowrap">
        <chakra.button
          type="button"
          aria-pressed={pinned}
          title="Its way, and what it counts as"
          maxWidth="100%"
          textAlign="left"
          padding="0"
          border="none"
          background="none"
          textDecoration={pinned ? "underline" : "none"}
          _hover={{ textDecoration: "underline" }}
          cursor="pointer"
          onClick={() => onPin(arrival.id)}
          fontWeight="650"
          fontSize="14px"
          fontStyle={wet ? "italic" : undefined}
          color={wet ? "wet" : "ink"}
          display="block"
          overflow="hidden"
          textOverflow="ellipsis"
        >
          {name}
        </chakra.button>
        <Box
          color="ink2"
          fontSize="13px"
          overflow="hidden"
          textOverflow="ellipsis"

          title={`${arrival.name}: ${arrival.detail}`}
        >
          {detail}
        </Box>
      </chakra.td>
      <Cell>
        <Box as="span" title={range || undefined}>
          <Figure label={`${arrival.name} level`} value={num(arrival.level_db, 1)} />
          {range && (
            <Box as="span" aria-label={range} color="ink2" fontSize="13px" marginLeft="1px">
              ↕
            </Box>
          )}
          {was && moved && (
            <Box fontSize="13px" lineHeight="15px" fontWeight="400" color="diff">
              <Unseen>before </Unseen>
              {num(was.level_db, 1)}
            </Box>
          )}
        </Box>
      </Cell>
      <Cell>
        <Figure
          label={`${arrival.name} time`}
          value={num(arrival.time_ms, arrival.time_ms < 1000 ? 2 : 1)}
        />
      </Cell>
      <Cell color={down ? "diff" : "ink"} title={down ? "inverted" : "upright"}>
        {down ? "−" : "+"}
      </Cell>
      <Cell fontWeight="400" display={{ base: "none", sm: "table-cell" }}>
        {num(arrival.wet_percent, 0)}
      </Cell>
      <chakra.td padding="0" background="sheet">
        <svg
          width={width}
          height="38"
          display="block"
          role="img"
          aria-label={`${arrival.name} at ${num(arrival.time_ms, 2)} ms, ${num(arrival.level_db, 1)} dB${down ? ", inverted" : ""}`}
        >
          {REGIONS.slice(1).map((r) => (
            <line
              key={r.name}
              x1={x(r.from)}
              x2={x(r.from)}
              y1="0"
              y2="38"
              stroke={ink("edge")}
              strokeDasharray="1 3"
            />
          ))}
          <line
            x1="2"
            x2={post}
            y1={base}
            y2={base}
            stroke={ink(wet ? "wet" : "ink")}
            strokeWidth="1.75"
            strokeDasharray={wet ? "9 4" : undefined}
          />
          {was && (Math.abs(was.time_ms - arrival.time_ms) > 0.005 || moved) && (
            <circle
              cx={x(was.time_ms)}
              cy={was.polarity < 0 ? 8 + heightOf(was) : 30 - heightOf(was)}
              r="3.5"
              fill={ink("sheet")}
              stroke={ink("diff")}
              strokeWidth="1.5"
            />
          )}
          <line
            x1={post}
            x2={post}
            y1={base + (down ? -1 : 1)}
            y2={tip}
            stroke={ink(wet ? "wet" : "ink")}
            strokeWidth="4.5"
          />
        </svg>
      </chakra.td>
    </chakra.tr>
  );
}, alike);

/** From where a region begins to the next one, or to the edge. */
function roomOf(region: (typeof REGIONS)[number], x: (ms: number) => number, width: number) {
  const next = REGIONS[REGIONS.indexOf(region) + 1];
  return (next ? x(next.from) : width) - x(Math.max(region.from, 0.8));
}

const heightOf = (arrival: Arrival) => Math.max(3, Math.min(20, 20 + arrival.level_db * 0.55));

function panned(percent: number): string {
  return `${percent < 0 ? "L" : "R"}${num(Math.abs(percent), 0)}`;
}

/** The sums at the output, and the comb that the near arrivals make. */
export const Sum = memo(function Sum({
  board,
  before,
  hz,
}: {
  board: Board;
  /** Its old curve is drawn thin. */
  before?: Board;
  hz: RigView["report"]["hz"];
}) {
  const [frame, width] = useWidth<HTMLDivElement>(220);
  const sums = board.sums;
  if (!sums || !sums.near_db.length) return null;
  const height = 118;
  const left = 54;
  const top = Math.max(6, Math.ceil(Math.max(...sums.near_db) / 6) * 6);
  const low = Math.max(-36, Math.min(-6, Math.floor(Math.min(...sums.near_db) / 6) * 6));
  const x = scaleLog([30, 5000], [left, width - 4]);
  const y = scaleLinear([low, top], [height - 22, 8]).clamp(true);
  const notch = sums.notches[0];
  const ticks = y.ticks(4);
  return (
    <Box
      as="section"
      aria-label="Sum"
      display="grid"
      gridTemplateColumns={{ base: "1fr", sm: "170px minmax(0, 1fr)" }}
      gap="4px 14px"
      marginTop="6px"
      paddingTop="6px"
      borderTop="1px solid"
      borderColor="ink"
    >
      <Box gridColumn="1 / -1">
        <SheetTitle about="dB against the reference; drawn: what arrives within 10 ms, by Hz">
          Sum
        </SheetTitle>
      </Box>
      <Box fontSize="14px" display="grid" gap="3px" alignContent="start">
        {readingsOf(sums).map((reading) => (
          <Box key={reading.label || reading.value} title={reading.about}>
            {reading.label && (
              <Box as="span" color="ink2" fontSize="13px">
                {reading.label === "In step" ? (
                  <Gloss word="in step">{reading.label}</Gloss>
                ) : (
                  reading.label
                )}{" "}
              </Box>
            )}
            {reading.label ? (
              <Figure
                label={reading.label}
                value={reading.value}
                unit={reading.unit}
                colour={reading.colour}
              />
            ) : (
              <Box as="span" color={reading.colour} fontWeight="650">
                {reading.value}
              </Box>
            )}
          </Box>
        ))}
      </Box>
      <Box ref={frame} minWidth="0">
        <svg
          width={width}
          height={height}
          display="block"
          role="img"
          aria-label={`Response within 10 ms${sums.comb ? `: ${sums.comb}` : ""}`}
        >
          <rect x={left} y="8" width={width - left - 4} height={height - 30} fill={ink("sheet")} />
          <Gridlines scale={y} ticks={ticks} x1={left} x2={width - 4} />
          <AxisLeft scale={y} at={left} ticks={ticks} unit="dB" />
          {before?.sums && before.sums.near_db.length === hz.length && (
            <path
              d={linePath(
                hz.map((f) => x(f)),
                before.sums.near_db.map((v, i) => (hz[i]! < 30 || hz[i]! > 5000 ? null : y(v))),
              )}
              fill="none"
              stroke={ink("edge")}
              strokeWidth="1"
            />
          )}
          <path
            d={linePath(
              hz.map((f) => x(f)),
              sums.near_db.map((v, i) => (hz[i]! < 30 || hz[i]! > 5000 ? null : y(v))),
            )}
            fill="none"
            stroke={ink("diff")}
            strokeWidth="1.75"
          />
          {notch && notch.hz >= 30 && notch.hz <= 5000 && (
            <circle
              cx={x(notch.hz)}
              cy={y(notch.depth_db ?? low)}
              r="4.5"
              fill={ink("sheet")}
              stroke={ink("diff")}
              strokeWidth="2"
            />
          )}
          <line
            x1={left}
            x2={width - 4}
            y1={height - 22}
            y2={height - 22}
            stroke={ink("ink")}
            strokeWidth="1.5"
          />
          {[50, 200, 500, 1000, 2000, 4000].map((f) => (
            <text
              key={f}
              x={x(f)}
              y={height - 6}
              textAnchor="middle"
              fontSize="13"
              fill={ink("ink2")}
            >
              {f === 4000 ? "4 kHz" : f >= 1000 ? `${f / 1000} k` : f}
            </text>
          ))}
        </svg>
      </Box>
    </Box>
  );
});
