/** What plays into each source: where on the song's time it sounds, its clip, level, solo and mute. */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../../api/client";
import { useClip } from "../../clips/queries";
import { type FedSource, type Feed, placed } from "../../playing/feeds";
import type { Listening } from "../../playing/usePlaying";
import { ink } from "../../ui/theme";
import { Hint, Notice, Press, SheetTitle } from "../../ui/controls";
import { clockFine, num } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { PlayLine } from "./PlayLine";
import { useKey } from "../../ui/keys";
import { NumberField } from "../../ui/NumberField";
import { Choice } from "../../ui/QuantityField";
import { soundingOf } from "./sounding";

const BAR = 30;
const WAVE = 60;

interface Props {
  l: Listening;
  chosen: string;
  onChoose: (source: string) => void;
}

export function Sources({ l, chosen, onChoose }: Props) {
  const sources = l.feeds.data?.sources ?? [];
  const here = sources.findIndex((s) => s.source === chosen);
  const { toggles, change } = l.player;
  const step = (by: number) => {
    const next = sources[(Math.max(0, here) + by + sources.length) % sources.length];
    if (next) onChoose(next.source);
  };
  const many = sources.length > 1 && l.idle;
  useKey("listen", "↑", () => step(-1), many);
  useKey("listen", "↓", () => step(1), many);
  const mute = (source: string) =>
    change({
      silent: toggles.silent.includes(source)
        ? toggles.silent.filter((s) => s !== source)
        : [...toggles.silent, source],
    });
  const others = (source: string) =>
    sources.map((s) => s.source).filter((s) => s !== source && soundingOf(l.feeds.data, s));
  const isSolo = (source: string) => {
    const rest = others(source);
    return (
      rest.length > 0 &&
      rest.every((s) => toggles.silent.includes(s)) &&
      !toggles.silent.includes(source)
    );
  };
  const solo = (source: string) => change({ silent: isSolo(source) ? [] : others(source) });
  useKey("listen", "S", () => chosen && solo(chosen), many);
  useKey("listen", "U", () => chosen && mute(chosen), many);
  if (!sources.length) return null;
  const missing = sources.filter((s) => !soundingOf(l.feeds.data, s.source) && !s.feed.silent);
  const together = toggles.silent.filter((s) => !apart(l, s));
  return (
    <Box as="section" aria-label="Sources" marginTop="8px">
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 16px">
        <SheetTitle
          sub
          about={
            sources.length > 1
              ? "each has clips of its own; all play from one clock"
              : "what plays into the rig"
          }
        >
          Sources
        </SheetTitle>
        <Box flex="1" />
        {sources.length > 1 && (
          <>
            <Box display={{ base: "none", lg: "block" }} color="ink2" fontSize="13px">
              <Hint>↑</Hint> <Hint>↓</Hint> source, <Hint>S</Hint> solo, <Hint>U</Hint> mute
            </Box>
            <Press look="quiet" onClick={() => l.feeds.testSet.mutate()}>
              Fill all from the song’s clips
            </Press>
          </>
        )}
      </Box>
      <Box role="group" borderTop="1px solid" borderColor="rule">
        {sources.map((s) => (
          <Row
            key={s.source}
            l={l}
            fed={s}
            chosen={s.source === chosen}
            silent={toggles.silent.includes(s.source)}
            solo={isSolo(s.source)}
            many={sources.length > 1}
            onChoose={() => onChoose(s.source)}
            onMute={() => mute(s.source)}
            onSolo={() => solo(s.source)}
          />
        ))}
      </Box>
      {l.feeds.data!.chosen && missing.length > 0 && missing.length < sources.length && (
        <Notice kind="caution" word="Silent.">
          {missing.map((s) => s.name).join(" and ")} {missing.length > 1 ? "have" : "has"} no clip:
          what {missing.length > 1 ? "they key" : "it keys"} does nothing, and a send or bus that{" "}
          {missing.length > 1 ? "they alone feed" : "it alone feeds"} is empty.
        </Notice>
      )}
      {together.length > 0 && (
        <Notice kind="note" word="Heard together.">
          {together.map((s) => sources.find((one) => one.source === s)?.name).join(" and ")} cannot
          be taken out while it plays: something in the rig bends it together with others. Say
          “silent” as its clip to render without it.
        </Notice>
      )}
    </Box>
  );
}

/** Whether a source has stems of its own in what is heard. */
function apart(l: Listening, source: string): boolean {
  const stems = l.heard?.render?.report?.stems ?? [];
  const carry = stems.filter((s) => s.sources?.includes(source));
  if (!stems.length) return (l.feeds.data?.sources.length ?? 0) < 2;
  return carry.every((s) => s.sources!.length === 1);
}

interface RowProps {
  l: Listening;
  fed: FedSource;
  chosen: boolean;
  silent: boolean;
  solo: boolean;
  many: boolean;
  onChoose: () => void;
  onMute: () => void;
  onSolo: () => void;
}

function Row({ l, fed, chosen, silent, solo, many, onChoose, onMute, onSolo }: RowProps) {
  const { feed } = fed;
  const one = feed.placements?.[0];
  const set = (next: Partial<Feed>) => l.feeds.set.mutate({ ...feed, ...next });
  const place = (next: Partial<Schemas["Placement"]>) =>
    one && set({ placements: [{ ...one, ...next }, ...(feed.placements ?? []).slice(1)] });
  const choose = (id: string) => {
    if (id === "silent") return set({ silent: true });
    if (id === "none") return set({ placements: [], silent: false });
    set({
      silent: false,
      placements: [one ? { ...one, clip: id, from_s: 0, length_s: null } : placed(id)],
    });
  };
  const detail = useClip(chosen && one && !feed.silent ? one.clip : null).data;
  return (
    <Box
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "200px minmax(0, 1fr) 340px" }}
      gap="0 14px"
      alignItems="center"
      borderBottom="1px solid"
      borderColor="rule"
      background={chosen && many ? "well" : undefined}
      paddingBlock="4px"
    >
      <Box
        borderLeft="3px solid"
        borderColor={chosen && many ? "ink" : "transparent"}
        paddingLeft="6px"
        minWidth="0"
      >
        <chakra.button
          type="button"
          aria-pressed={chosen}
          onClick={onChoose}
          background="transparent"
          border="0"
          padding="0"
          cursor="pointer"
          fontWeight="650"
          textAlign="left"
          minHeight={{ base: "44px", sm: "24px" }}
        >
          {fed.name}
        </chakra.button>
        <Choice
          aria-label={`Clip of ${fed.name}`}
          width="100%"
          minHeight={{ base: "44px", sm: "24px" }}
          border="0"
          borderBottom="1px solid"
          background="transparent"
          paddingInline="0"
          fontSize="13px"
          value={feed.silent ? "silent" : fed.gone && one ? "gone" : (one?.clip ?? "none")}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="none">no clip</option>
          <option value="silent">silent</option>
          {fed.gone > 0 && <option value="gone">a deleted clip</option>}
          {l.clips.map((c) => (
            <option key={c.id} value={c.id}>
              {c.name}
            </option>
          ))}
        </Choice>
      </Box>
      <Stretch l={l} feed={feed} wave={detail ?? null} tall={chosen} silent={silent} />
      <Box display="flex" flexWrap="wrap" gap="4px 8px" alignItems="center">
        {one && !feed.silent && (
          <NumberField
            label={`Level of ${fed.name}`}
            unit="dB"
            value={one.gain_db ?? 0}
            least={-60}
            most={24}
            step={0.5}
            onCommit={(gain_db) => place({ gain_db })}
          />
        )}
        {many && (
          <>
            <Flip word="Solo" of={fed.name} on={solo} onTurn={onSolo} />
            <Flip word="Mute" of={fed.name} on={silent} onTurn={onMute} />
          </>
        )}
      </Box>
      {chosen && one && !feed.silent && (
        <Box
          gridColumn={{ md: "2 / 4" }}
          display="flex"
          flexWrap="wrap"
          gap="4px 10px"
          alignItems="center"
          fontSize="13px"
          paddingTop="4px"
        >
          <span>begins at</span>
          <NumberField
            label={`Beginning of ${fed.name}`}
            unit="s"
            value={one.at_s ?? 0}
            least={0}
            most={7200}
            digits={2}
            onCommit={(at_s) => place({ at_s })}
          />
          <span>plays</span>
          <NumberField
            label={`Times that ${fed.name} plays`}
            unit="times"
            value={one.repeats ?? 1}
            least={1}
            most={200}
            digits={0}
            onCommit={(repeats) => place({ repeats: Math.round(repeats) })}
          />
          <Choice
            aria-label={`Sides of ${fed.name}`}
            width="auto"
            value={one.sides ?? "both"}
            onChange={(event) => place({ sides: event.target.value as "both" })}
          >
            <option value="both">as recorded</option>
            <option value="mono">both sides as one</option>
            <option value="left">left alone</option>
            <option value="right">right alone</option>
          </Choice>
          {(feed.placements?.length ?? 0) > 1 && (
            <Press look="quiet" onClick={() => set({ placements: feed.placements!.slice(0, -1) })}>
              Take out the last of {feed.placements!.length}
            </Press>
          )}
          <Press
            look="quiet"
            onClick={() =>
              set({
                placements: [
                  ...feed.placements!,
                  { ...feed.placements!.at(-1)!, at_s: round(endOf(l, feed)), repeats: 1 },
                ],
              })
            }
          >
            One more after it
          </Press>
        </Box>
      )}
    </Box>
  );
}

const round = (seconds: number) => Math.round(seconds * 1000) / 1000;

/** Where the last clip of a source ends, seconds into the song. */
function endOf(l: Listening, feed: Feed): number {
  const spans = soundingOf(l.feeds.data, feed.source, l.clips) || [];
  return Math.max(0, ...spans.map((s) => s.to));
}

interface FlipProps {
  word: string;
  of: string;
  on: boolean;
  onTurn: () => void;
}

function Flip({ word, of, on, onTurn }: FlipProps) {
  return (
    <chakra.button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={`${word} ${of}`}
      onClick={onTurn}
      minHeight={{ base: "44px", sm: "27px" }}
      paddingInline="7px"
      border="1px solid"
      borderColor="ink"
      background={on ? "ink" : "transparent"}
      color={on ? "paper" : "ink"}
      fontSize="13px"
      cursor="pointer"
    >
      <strong>{word}</strong> {on ? "on" : "off"}
    </chakra.button>
  );
}

interface StretchProps {
  l: Listening;
  feed: Feed;
  wave: Schemas["ClipDetail"] | null;
  tall: boolean;
  silent: boolean;
}

/** Where a source sounds in the stretch: its wave where it is in hand, else a bar. */
function Stretch({ l, feed, wave, tall, silent }: StretchProps) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const seconds = l.heard?.render?.report?.seconds ?? Math.max(1, l.stretch.length_s ?? l.whole);
  const x = scaleLinear([0, Math.max(0.1, seconds)], [0, width - 8]).clamp(true);
  const height = tall ? WAVE : BAR;
  const spans = soundingOf(l.feeds.data, feed.source, l.clips) || [];
  const colour = silent ? ink("edge") : ink("ink");
  const from = l.stretch.start_s;
  const words = spans.length
    ? spans.map((s) => `${clockFine(s.from)} to ${clockFine(s.to)}`).join(", ")
    : "silent";
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={height}
        display="block"
        role="img"
        aria-label={`Sounds: ${words}${silent ? ", muted" : ""}`}
      >
        <line x1="0" x2={width - 8} y1={height / 2} y2={height / 2} stroke={ink("edge")} />
        {spans.map((span, i) => {
          const [left, right] = [x(span.from - from), x(span.to - from)];
          if (right <= left) return null;
          const drawn = wave && { low: wave.peaks_low, high: wave.peaks_high };
          return drawn && tall && i < 24 ? (
            <path key={i} d={outlineOf(drawn, span, from, seconds, x, height)} fill={colour} />
          ) : (
            <g key={i}>
              <rect x={left} y={height / 2 - 4} width={right - left} height="8" fill={colour} />
              <line x1={left} x2={left} y1={height / 2 - 8} y2={height / 2 + 8} stroke={colour} />
            </g>
          );
        })}
        {!spans.length && (
          <text x="6" y={height / 2 - 5} fontSize="13" fill={ink("ink2")}>
            {feed.silent ? "silent on purpose" : "no clip"}
          </text>
        )}
        <PlayLine l={l} x={x} y1={0} y2={height} />
        {tall && spans[0] && (
          <text
            x={width - 10}
            y="13"
            textAnchor="end"
            fontSize="13"
            fill={ink("ink2")}
            stroke={ink("paper")}
            strokeWidth="3"
            paintOrder="stroke"
          >
            {num(
              spans.reduce((sum, s) => sum + s.to - s.from, 0),
              1,
            )}{" "}
            s
          </text>
        )}
      </svg>
    </Box>
  );
}

interface Span {
  from: number;
  to: number;
  /** Shares of the clip that are heard. */
  first: number;
  last: number;
}

function outlineOf(
  wave: { low: number[]; high: number[] },
  span: Span,
  start: number,
  seconds: number,
  x: (s: number) => number,
  height: number,
): string {
  const count = wave.high.length;
  const [a, b] = [Math.floor(span.first * count), Math.ceil(span.last * count)];
  const top = Math.max(0.02, ...wave.high, ...wave.low.map((v) => -v));
  const at = (i: number) =>
    span.from -
    start +
    ((i + 0.5 - span.first * count) / ((span.last - span.first) * count)) * (span.to - span.from);
  const y = (v: number) => (height / 2 - (v / top) * (height / 2 - 3)).toFixed(1);
  const inside = (i: number) => at(i) >= 0 && at(i) <= seconds;
  let path = "";
  for (let i = a; i < b; i++)
    if (inside(i)) path += `${path ? "L" : "M"}${x(at(i)).toFixed(1)} ${y(wave.high[i]!)}`;
  for (let i = b - 1; i >= a; i--)
    if (inside(i)) path += `L${x(at(i)).toFixed(1)} ${y(wave.low[i]!)}`;
  return path ? `${path}Z` : "";
}
