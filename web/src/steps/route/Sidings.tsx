/**
 * An insert frame: its sidings as rows named after what stands in them, turns as columns, and the line
 * that calls at them drawn through. Stops are moved by dragging or with arrows.
 */
import { Box } from "@chakra-ui/react";
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";

import type { Kind, RigAction, Variant } from "../../api/client";
import { halo } from "../../charts/axes";
import { besideOf } from "../../rigs/sections";
import { Hint, Press, SheetTitle } from "../../ui/controls";
import { useDrag, useWidth } from "../../ui/hooks";
import { cutTo } from "../../ui/measure";
import { ink } from "../../ui/theme";
import { bent } from "./Plan";
import type { Picking } from "./PickKind";
import { type Frame, lineWords, movedTo, ordinal, stepped, toggled, turnOf } from "./sidings";

interface Props {
  variant: Variant;
  frame: Frame;
  kinds: Kind[];
  stop: number;
  onStop: (place: number) => void;
  onEdit: (action: RigAction) => void;
  pick: (picking: Picking) => void;
}

const ROW = 36;
const HEAD = 40;
const INDEX = 190;

export function Sidings({ frame, kinds, stop, onStop, onEdit, pick }: Props) {
  const [box, width] = useWidth<HTMLDivElement>(260);
  const [dragged, setDragged] = useState<{ place: number; turn: number } | null>(null);
  const list = useRef<HTMLDivElement>(null);
  const places = Array.from({ length: frame.places ?? 8 }, (_, i) => i + 1);
  const standing = new Map((frame.sidings ?? []).map((s) => [s.place, s.stage]));
  const [asked, setAsked] = useState<number[] | null>(null);
  const kept = frame.calls ?? [];
  // What was asked for stands until it is so: the next press goes on from there.
  const stored = asked ?? kept;
  const settled = asked !== null && asked.join() === kept.join();
  useEffect(() => {
    if (asked === null) return;
    const timer = setTimeout(() => setAsked(null), settled ? 0 : 3000);
    return () => clearTimeout(timer);
  }, [asked, settled]);
  const calls = dragged === null ? stored : movedTo(stored, dragged.place, dragged.turn);
  const titleOf = (place: number) => {
    const stage = standing.get(place);
    return stage?.name ?? kinds.find((k) => k.kind === stage?.kind)?.title ?? "";
  };
  const arrange = (more: { calls?: number[]; [field: string]: unknown }) => {
    if (more.calls) setAsked(more.calls);
    onEdit({ do: "arrange", frame: frame.id, values: {}, clear: false, ...more } as RigAction);
  };
  const put = (place: number) =>
    pick({
      title: standing.has(place) ? `Instead of ${titleOf(place)}` : `At siding ${place}`,
      kinds: kinds.filter((k) => k.traits.includes("fits_frame")),
      then: (kind) => {
        onStop(place);
        arrange({ place, kind });
      },
    });
  const lay = (place: number) => {
    const all = frame.beside ?? [];
    const turn = turnOf(stored, place);
    const known = besideOf(frame, place, turn);
    if (known) return arrange({ beside: all.filter((b) => b !== known) });
    arrange({
      beside: [...all, { of: "stop", at: place, mix_percent: 60, level_db: 0 }].slice(-2),
    });
  };
  const turns = Math.max(1, calls.length);
  const column = Math.max(64, (width - 90) / turns);
  const sheet = Math.max(width, 90 + turns * column);
  const x = (turn: number) => 48 + (turn - 0.5) * column;
  const y = (place: number) => HEAD + (place - 0.5) * ROW;
  const middle = HEAD + (places.length * ROW) / 2;
  const points = lineOf(calls, x, y, column, middle, sheet);
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const key = event.key.toLowerCase();
    const set = (next: number[]) => arrange({ calls: next });
    if (key === "arrowdown" || key === "arrowup") {
      const to = stop + (key === "arrowdown" ? 1 : -1);
      if (places.includes(to)) onStop(to);
    } else if (!standing.has(stop)) {
      if (key !== "enter" && key !== "i") return;
      put(stop);
    } else if (key === "arrowleft" || key === "arrowright")
      set(stepped(stored, stop, key === "arrowright" ? 1 : -1));
    else if (key === "x" || key === " ") set(toggled(stored, stop));
    else if (key === "b") lay(stop);
    else if (key === "p")
      arrange({ place: stop, values: { bypassed: !standing.get(stop)!.bypassed } });
    else if (key === "i") put(stop);
    else if (key === "delete" || key === "backspace") arrange({ place: stop, clear: true });
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const held = useRef(0);
  const turnAt = (event: PointerEvent<SVGSVGElement>) => {
    const { left } = event.currentTarget.getBoundingClientRect();
    const turn = Math.round((event.clientX - left - 48) / column + 0.5);
    return Math.min(stored.length, Math.max(1, turn));
  };
  // The sheet is what is dragged along, not the stop: that is drawn elsewhere with each turn it goes on.
  const drag = useDrag<SVGSVGElement>({
    begin: (event) => {
      const mark = (event.target as Element).closest<SVGGElement>("[data-stop]");
      held.current = Number(mark?.dataset.stop ?? 0);
      if (held.current) onStop(held.current);
      return held.current > 0;
    },
    take: (event) => setDragged({ place: held.current, turn: turnAt(event) }),
    drop: (event) => {
      if (event && turnAt(event) !== turnOf(stored, held.current))
        arrange({ calls: movedTo(stored, held.current, turnAt(event)) });
      setDragged(null);
    },
  });
  return (
    <Box as="section" aria-label="Sidings">
      <SheetTitle about={`${places.length} places, one line: it calls at each once, or passes`}>
        {frame.name ?? "Sidings"}
      </SheetTitle>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", sm: `${INDEX}px minmax(0, 1fr)` }}
        borderTop="1.5px solid"
        borderBottom="1.5px solid"
        borderColor="ink"
        marginTop="4px"
      >
        <Box
          ref={list}
          role="listbox"
          aria-label="Places"
          aria-activedescendant={stop ? `siding-${stop}` : undefined}
          tabIndex={0}
          data-sidings
          onKeyDown={onKeyDown}
          paddingTop={{ base: 0, sm: `${HEAD}px` }}
        >
          {places.map((place) => {
            const stage = standing.get(place);
            const turn = turnOf(calls, place);
            return (
              <Box
                key={place}
                id={`siding-${place}`}
                role="option"
                aria-selected={place === stop}
                onClick={() => {
                  onStop(place);
                  list.current?.focus({ preventScroll: true });
                  if (!stage) put(place);
                }}
                height={{ base: "44px", sm: `${ROW}px` }}
                display="flex"
                alignItems="center"
                gap="8px"
                paddingInline="6px"
                cursor="pointer"
                borderBottom="1px solid"
                borderColor="fine"
                background={place === stop ? "well" : undefined}
                boxShadow={place === stop ? "inset 3px 0 0 var(--chakra-colors-ink)" : undefined}
                color={stage && !turn ? "ink2" : undefined}
              >
                <Box
                  as="span"
                  width="24px"
                  border="1px solid"
                  borderColor="edge"
                  textAlign="center"
                  fontSize="13px"
                  lineHeight="18px"
                  aria-hidden
                >
                  {place}
                </Box>
                <Box minWidth="0" lineHeight="16px">
                  <Box
                    fontWeight={stage ? 650 : 400}
                    textDecoration={stage ? undefined : "underline"}
                    overflow="hidden"
                    textOverflow="ellipsis"
                    whiteSpace="nowrap"
                  >
                    {stage ? titleOf(place) : "Put one here"}
                  </Box>
                  {stage && (
                    <Box fontSize="13px" color={stage.bypassed ? "diff" : "ink2"}>
                      {turn ? `calls ${ordinal(turn)}` : "stands by, passed"}
                      {stage.bypassed ? ", off" : ""}
                      {stage.inverted ? ", inverted" : ""}
                    </Box>
                  )}
                </Box>
              </Box>
            );
          })}
        </Box>
        <Box ref={box} minWidth="0" overflowX="auto" background="sheet">
          <svg
            width={sheet}
            height={HEAD + places.length * ROW}
            display="block"
            role="img"
            aria-label={`The line calls at ${lineWords(frame, titleOf)}`}
            {...drag}
          >
            {places.map((place) => (
              <line
                key={place}
                x1="0"
                x2={sheet}
                y1={y(place)}
                y2={y(place)}
                stroke={ink("edge")}
                strokeDasharray="1 5"
              />
            ))}
            {calls.map((place, i) => (
              <text
                key={place}
                x={x(i + 1)}
                y="17"
                textAnchor="middle"
                fontSize="13"
                fontWeight="650"
                fill={ink("ink")}
              >
                {ordinal(i + 1)}
              </text>
            ))}
            <path d={bent(points)} fill="none" stroke={ink("ink")} strokeWidth="2.25" />
            <line
              x1="20"
              x2="20"
              y1={middle - 10}
              y2={middle + 10}
              stroke={ink("ink")}
              strokeWidth="4"
            />
            <text x="12" y={middle - 16} fontSize="13" fontWeight="650" fill={ink("ink")}>
              In
            </text>
            <g stroke={ink("ink")} strokeWidth="1.75">
              <line x1={sheet - 18} x2={sheet - 18} y1={middle - 12} y2={middle + 12} />
              <line x1={sheet - 13} x2={sheet - 13} y1={middle - 12} y2={middle + 12} />
            </g>
            <text
              x={sheet - 12}
              y={middle - 18}
              textAnchor="end"
              fontSize="13"
              fontWeight="650"
              fill={ink("ink")}
            >
              Out
            </text>
            {calls.map((place, i) => {
              const stage = standing.get(place);
              const beside = besideOf({ ...frame, calls }, place, i + 1);
              const mine = place === stop;
              return (
                <g
                  key={place}
                  transform={`translate(${x(i + 1)}, ${y(place)})`}
                  style={{ cursor: "grab", touchAction: "pan-y" }}
                  aria-hidden
                  data-stop={place}
                >
                  <rect x="-30" y="-16" width="60" height="32" fill="transparent" />
                  {beside && (
                    <path
                      d="M-24 0L-16 13H16L24 0"
                      fill="none"
                      stroke={ink("ink")}
                      strokeWidth="1.5"
                    />
                  )}
                  <line x1="-18" x2="18" y1="0" y2="0" stroke={ink("ink")} strokeWidth="4" />
                  {mine && <circle r="13" fill="none" stroke={ink("wet")} strokeWidth="2.5" />}
                  <circle
                    r="7"
                    fill={ink("sheet")}
                    stroke={ink(stage?.bypassed ? "edge" : "ink")}
                    strokeWidth="2"
                    strokeDasharray={stage?.bypassed ? "3 3" : undefined}
                  />
                  <circle r="2" fill={ink("ink")} />
                  <text
                    y="-12"
                    textAnchor="middle"
                    fontSize="13"
                    fontWeight="650"
                    fill={ink("ink")}
                    {...halo("sheet")}
                  >
                    {cutTo(titleOf(place), column - 8, 13, true)}
                    {beside ? ` ${100 - (beside.mix_percent ?? 50)} % dry` : ""}
                  </text>
                </g>
              );
            })}
          </svg>
        </Box>
      </Box>
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="0 10px" paddingTop="3px">
        <Box flex="1 1 260px" minWidth="0">
          <Box as="strong">The line calls at</Box> {lineWords(frame, titleOf)}.
        </Box>
        <Press look="quiet" fontSize="13px" aria-pressed={stop === 0} onClick={() => onStop(0)}>
          The whole
        </Press>
        <Press
          look="quiet"
          fontSize="13px"
          disabled={stored.length < 2}
          onClick={() => arrange({ calls: [...stored].reverse() })}
        >
          Turn it round
        </Press>
        <Press
          look="quiet"
          fontSize="13px"
          disabled={!stored.length}
          onClick={() => arrange({ calls: [] })}
        >
          Stand all by
        </Press>
      </Box>
      <Box
        display={{ base: "none", sm: "flex" }}
        flexWrap="wrap"
        gap="2px 10px"
        fontSize="13px"
        color="ink2"
      >
        <span>
          <Hint>↑</Hint> <Hint>↓</Hint> siding
        </span>
        <span>
          <Hint>←</Hint> <Hint>→</Hint> earlier, later
        </span>
        <span>
          <Hint>X</Hint> call there, or pass
        </span>
        <span>
          <Hint>B</Hint> a dry path beside
        </span>
        <span>
          <Hint>P</Hint> off, on
        </span>
        <span>
          <Hint>I</Hint> put another there
        </span>
        <span>
          <Hint>Del</Hint> take it away
        </span>
      </Box>
    </Box>
  );
}

/** The line from In over every stop to Out, level at each of them. */
function lineOf(
  calls: number[],
  x: (turn: number) => number,
  y: (place: number) => number,
  column: number,
  middle: number,
  sheet: number,
): [number, number][] {
  const points: [number, number][] = [[20, middle]];
  const flat = Math.min(26, column * 0.34);
  if (!calls.length) points.push([sheet - 18, middle]);
  else {
    points.push([34, middle]);
    calls.forEach((place, i) => {
      points.push([x(i + 1) - flat, y(place)], [x(i + 1) + flat, y(place)]);
    });
    points.push([sheet - 34, middle], [sheet - 18, middle]);
  }
  return points;
}
