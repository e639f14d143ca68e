/** What to set: each row an instruction, its line the residual; thick is what the step takes away. */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { NullResult } from "../api/client";
import { copyText } from "../ui/controls";
import { num } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { ink } from "../ui/theme";
import { halo } from "./axes";
import { ends, rungs } from "./ladder";

const ROW = 38;
const HEAD = 30;
const FOOT = 26;

interface Props {
  result: NullResult;
  chosen: string | null;
  onChoose: (code: string) => void;
  /** dB down that the device's steps allow at best. */
  reach: number | null;
  /** What the steps of the device allow for a correction, in words. */
  beside: (code: string) => string;
  /** Hear what is left with so many corrections done; null where that was not kept. */
  hear: (after: number) => (() => void) | null;
}

export function SetLadder({ result, chosen, onChoose, reach, beside, hear }: Props) {
  const rows = rungs(result);
  return (
    <Box
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 43%) minmax(0, 57%)" }}
      borderTop="1px solid"
      borderColor="ink"
    >
      <Box as="ol" aria-label="What to set" paddingTop={{ base: 0, lg: `${HEAD}px` }}>
        <Row number="" words="As delivered" value="" beside="" onHear={hear(0)} />
        {result.to_set.map((step, i) => (
          <Row
            key={`${step.code} ${i}`}
            number={String(i + 1)}
            words={step.words}
            value={step.value}
            beside={step.hurts || [step.beside, beside(step.code)].filter(Boolean).join("; ")}
            selected={chosen === step.code}
            onChoose={() => onChoose(step.code)}
            onCopy={() => void copyText(step.value)}
            onHear={hear(i + 1)}
          />
        ))}
      </Box>
      <Rungs result={result} rows={rows} chosen={chosen} reach={reach} />
    </Box>
  );
}

function Row(props: {
  number: string;
  words: string;
  value: string;
  beside: string;
  selected?: boolean;
  onChoose?: () => void;
  onCopy?: () => void;
  onHear: (() => void) | null;
}) {
  return (
    <Box
      as="li"
      display="grid"
      gridTemplateColumns="22px minmax(0, 1fr) auto"
      gap="0 8px"
      alignItems="center"
      minHeight={`${ROW}px`}
      borderBottom="1px solid"
      borderColor="rule"
      background={props.selected ? "well" : undefined}
      onClick={props.onChoose}
    >
      <Box fontFamily="title" fontSize="17px" fontWeight="600" paddingLeft="6px">
        {props.number}
      </Box>
      <Box minWidth="0" lineHeight="17px">
        {props.words} <strong>{props.value}</strong>
        {props.beside && (
          <Box as="span" color="ink2" fontSize="13px">
            {" "}
            {props.beside}
          </Box>
        )}
      </Box>
      <Box display="flex">
        {props.onHear && (
          <Small
            named={`Hear what ${props.number ? `step ${props.number} leaves` : "is left as delivered"}`}
            word="Hear"
            onPress={props.onHear}
          />
        )}
        {props.onCopy && <Small named={`Copy ${props.value}`} word="Copy" onPress={props.onCopy} />}
      </Box>
    </Box>
  );
}

function Small({ named, word, onPress }: { named: string; word: string; onPress: () => void }) {
  return (
    <chakra.button
      type="button"
      aria-label={named}
      onClick={(event) => {
        event.stopPropagation();
        onPress();
      }}
      fontWeight="600"
      fontSize="13px"
      textDecoration="underline"
      textUnderlineOffset="3px"
      background="transparent"
      border="0"
      cursor="pointer"
      minHeight={{ base: "44px", sm: "31px" }}
      paddingInline="8px"
    >
      {word}
    </chakra.button>
  );
}

function Rungs({
  result,
  rows,
  chosen,
  reach,
}: {
  result: NullResult;
  rows: ReturnType<typeof rungs>;
  chosen: string | null;
  reach: number | null;
}) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const limit = result.limit.kind === "relative" ? result.limit.value_db : null;
  const domain = ends(rows, limit);
  const x = scaleLinear(domain, [14, width - 14]);
  const height = HEAD + rows.length * ROW + FOOT;
  const zones = result.scale.filter((zone) => zone.from_db !== null && zone.from_db < domain[1]);
  const ticks = x.ticks(width < 420 ? 4 : 7);
  const said = rows
    .map((r, i) => `${i === 0 ? "as delivered" : result.to_set[i - 1]!.value} ${words(r.to)}`)
    .join(", ");
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={height}
        display="block"
        role="img"
        aria-label={`Residual against A, dB down: ${said}`}
      >
        <rect x="0" y={HEAD} width={width} height={rows.length * ROW} fill={ink("sheet")} />
        {zones.map((zone) => {
          const from = x(Math.max(zone.from_db!, domain[0]));
          const to = x(Math.min(zone.to_db ?? domain[1], domain[1]));
          const fits = to - from > zone.name.length * 6.6;
          return (
            <g key={zone.verdict}>
              {zone.from_db! > 0 && (
                <line
                  x1={from}
                  x2={from}
                  y1="2"
                  y2={HEAD + rows.length * ROW}
                  stroke={ink("rule")}
                />
              )}
              {fits && zone.from_db! > 0 && (
                <text
                  x={(from + to) / 2}
                  y="20"
                  textAnchor="middle"
                  fontSize="13"
                  fill={ink("ink2")}
                >
                  {zone.name}
                </text>
              )}
            </g>
          );
        })}
        <line
          x1={x(0)}
          x2={x(0)}
          y1={HEAD}
          y2={height - FOOT}
          stroke={ink("edge")}
          strokeWidth="1.5"
        />
        {limit !== null && (
          <g>
            <line
              x1={x(limit)}
              x2={x(limit)}
              y1={HEAD}
              y2={height - FOOT}
              stroke={ink("ink")}
              strokeDasharray="2 3"
              strokeWidth="1.5"
            />
            <text x={x(limit) + 5} y={HEAD + 14} fontSize="13" fill={ink("ink")} {...halo()}>
              limit {num(limit, 0)}
            </text>
          </g>
        )}
        {reach !== null && reach > 0 && reach < domain[1] && (
          <g>
            <line
              x1={x(reach)}
              x2={x(reach)}
              y1={HEAD}
              y2={height - FOOT}
              stroke={ink("wet")}
              strokeDasharray="1 3"
              strokeWidth="1.75"
            />
            <text
              x={x(reach) + (x(reach) > width * 0.6 ? -5 : 5)}
              y={HEAD + 14}
              textAnchor={x(reach) > width * 0.6 ? "end" : "start"}
              fontSize="13"
              fill={ink("ink")}
              {...halo()}
            >
              {width > 520
                ? `within reach of its steps ${num(reach, 0)}`
                : `reach ${num(reach, 0)}`}
            </text>
          </g>
        )}
        {rows.map((row, i) => {
          const y = HEAD + i * ROW + ROW / 2;
          const end = row.to === null ? width - 16 : x(row.to);
          const from = row.from === null ? end : x(row.from);
          const before = i === 0 ? null : from;
          const label = words(row.to);
          const right = end + 10 + label.length * 7 < width;
          const strong = i > 0 && chosen === result.to_set[i - 1]!.code;
          return (
            <g key={i}>
              <line x1="0" x2={width} y1={y + ROW / 2} y2={y + ROW / 2} stroke={ink("rule")} />
              {before !== null && (
                <line
                  x1={before}
                  x2={before}
                  y1={y - ROW}
                  y2={y}
                  stroke={ink("diff")}
                  strokeWidth="1.5"
                />
              )}
              <line x1={x(0)} x2={end} y1={y} y2={y} stroke={ink("diff")} strokeWidth="1.25" />
              <line
                x1={from}
                x2={end}
                y1={y}
                y2={y}
                stroke={ink(row.to === null ? "ok" : "diff")}
                strokeWidth={strong ? 9 : 6}
              />
              {i === rows.length - 1 && (
                <line
                  x1={end}
                  x2={end}
                  y1={y - 14}
                  y2={y + 14}
                  stroke={ink("ink")}
                  strokeWidth="4"
                />
              )}
              <text
                x={right ? Math.max(end, from, x(0)) + 10 : end - 10}
                y={right ? y + 5 : y - 8}
                textAnchor={right ? "start" : "end"}
                fontSize="14"
                fontWeight="650"
                fill={ink(row.to !== null && row.to < 0 ? "diff" : "ink")}
                {...halo()}
              >
                {label}
              </text>
            </g>
          );
        })}
        {ticks.map((tick, i) => (
          <g key={tick}>
            <line
              x1={x(tick)}
              x2={x(tick)}
              y1={height - FOOT}
              y2={height - FOOT + 6}
              stroke={ink("ink")}
            />
            <text
              x={x(tick)}
              y={height - 4}
              textAnchor={i === ticks.length - 1 ? "end" : "middle"}
              fontSize="13"
              fill={ink("ink2")}
            >
              {i === ticks.length - 1
                ? `${num(tick, 0)} dB down`
                : i === ticks.length - 2 && x(ticks.at(-1)!) - x(tick) < 96
                  ? ""
                  : num(tick, 0)}
            </text>
          </g>
        ))}
      </svg>
    </Box>
  );
}

function words(down: number | null): string {
  if (down === null) return "nothing left";
  return down < -0.05 ? `${num(-down, 1)} dB over A` : num(down, 1);
}
