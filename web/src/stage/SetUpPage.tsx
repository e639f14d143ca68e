/** Set it up: cables, then stages, one at a time in large type, each ticked off; made for a phone. */
import { Box, chakra } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";

import { sentenceOf } from "../api/client";
import { Notice, Press, Waiting } from "../ui/controls";
import { useKey } from "../ui/keys";
import { exact } from "../ui/format";
import { Choice } from "../ui/QuantityField";
import { ink } from "../ui/theme";
import { useSheet } from "./queries";
import {
  afar,
  type Done,
  end,
  largest,
  nextOpen,
  progressWords,
  type Row,
  type Sheet,
  stateOf,
  type Stop,
  stopsOf,
} from "./sheet";

const keyOf = (variantId: string, scene: string) => `fonodrome:set-up:${variantId}:${scene}`;

function stored(key: string): Done {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(key) ?? "{}");
    const plain = typeof found === "object" && found !== null && !Array.isArray(found);
    return plain ? (found as Done) : {};
  } catch {
    return {};
  }
}

export default function SetUpPage() {
  const { songId = "", variantId = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const scene = search.get("scene") ?? "";
  const sheet = useSheet(variantId, scene);
  const whole = useSheet(variantId, "");
  if (sheet.isPending) return <Waiting />;
  if (sheet.isError)
    return (
      <Box padding="20px" maxWidth="640px">
        <Notice
          kind="fault"
          word="Not opened."
          actions={<Link to={`/songs/${songId}`}>Back to the song</Link>}
        >
          {sentenceOf(sheet.error)}
        </Notice>
      </Box>
    );
  return (
    <Walk
      key={scene}
      sheet={sheet.data}
      scenes={whole.data?.scenes.map((s) => s.name) ?? []}
      scene={scene}
      onScene={(name) => setSearch(name ? { scene: name } : {}, { replace: true })}
      leave={`/songs/${songId}/variants/${variantId}/sheet`}
      kept={keyOf(variantId, scene)}
    />
  );
}

interface WalkProps {
  sheet: Sheet;
  scenes: string[];
  scene: string;
  onScene: (name: string) => void;
  leave: string;
  kept: string;
}

/** As far as a finger goes before it is a swipe. */
const SWIPE = 60;

function Walk({ sheet, scenes, scene, onScene, leave, kept }: WalkProps) {
  const stops = stopsOf(sheet);
  const [done, setDone] = useState<Done>(() => stored(kept));
  const [at, setAt] = useState(() => Math.max(0, nextOpen(stops, stored(kept), stops.length - 1)));
  const from = useRef<{ x: number; y: number } | null>(null);
  const stop = stops[Math.min(at, stops.length - 1)];
  const keep = (next: Done) => {
    setDone(next);
    try {
      localStorage.setItem(kept, JSON.stringify(next));
    } catch {
      // Full or forbidden: the ticks last as long as the page.
    }
  };
  const go = (by: number) => setAt(Math.min(Math.max(at + by, 0), Math.max(stops.length - 1, 0)));
  const tick = () => {
    if (!stop) return;
    if (stateOf(stop, done) === "done") {
      const rest = { ...done };
      delete rest[stop.key];
      keep(rest);
      return;
    }
    const next = { ...done, [stop.key]: stop.content };
    keep(next);
    const open = nextOpen(stops, next, at);
    if (open >= 0) setAt(open);
  };
  useKey("set-up", "→", () => go(1));
  useKey("set-up", "←", () => go(-1));
  useKey("set-up", "X", tick);
  const set = stop && stateOf(stop, done) === "done";
  return (
    <Box
      maxWidth="640px"
      marginInline="auto"
      minHeight="100vh"
      display="flex"
      flexDirection="column"
      onTouchStart={(event) => {
        const finger = event.touches[0]!;
        from.current = event.touches.length === 1 ? { x: finger.clientX, y: finger.clientY } : null;
      }}
      onTouchEnd={(event) => {
        const [start, finger] = [from.current, event.changedTouches[0]];
        from.current = null;
        if (!start || !finger) return;
        const [dx, dy] = [finger.clientX - start.x, finger.clientY - start.y];
        if (Math.abs(dx) > SWIPE && Math.abs(dx) > 2 * Math.abs(dy)) go(dx < 0 ? 1 : -1);
      }}
    >
      <Box
        as="header"
        display="flex"
        gap="12px"
        alignItems="center"
        padding="8px 16px"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <Box flex="1" minWidth="0">
          <Box
            as="h1"
            fontFamily="title"
            fontSize="19px"
            lineHeight="24px"
            fontWeight="600"
            overflowWrap="anywhere"
          >
            {sheet.facts.song}
          </Box>
          <Box color="ink2" fontSize="13px" overflowWrap="anywhere">
            {sheet.facts.rig}, {sheet.facts.variant}; {exact(sheet.tempo.bpm)} a minute
          </Box>
        </Box>
        {scenes.length > 0 && (
          <Choice
            aria-label="Scene"
            width="120px"
            value={scene}
            onChange={(e) => onScene(e.target.value)}
          >
            <option value="">no scene</option>
            {scenes.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </Choice>
        )}
        <Box asChild color="ink" fontWeight="600" textDecoration="underline">
          <Link to={leave}>Leave</Link>
        </Box>
      </Box>
      {!stop && (
        <Box as="main" padding="16px">
          There is nothing to plug or to set in this rig.
        </Box>
      )}
      {stop && (
        <Box as="main" flex="1" display="flex" flexDirection="column">
          <Box flex="1" padding="14px 16px">
            <Head stop={stop} state={stateOf(stop, done)} />
            {stop.sort === "cable" ? (
              <CableStop sheet={sheet} stop={stop} />
            ) : (
              <StageStop
                row={sheet.rows.find((r) => `${r.number}` === stop.number)!}
                sheet={sheet}
              />
            )}
          </Box>
          <Box
            padding="8px 16px 14px"
            position="sticky"
            bottom="0"
            background="paper"
            borderTop="1px solid"
            borderColor="rule"
          >
            <Ticks stops={stops} done={done} at={at} onGo={setAt} />
            <Box role="status" fontSize="13px" color="ink2" marginBottom="8px">
              {progressWords(stops, done, at)}
            </Box>
            <Box display="grid" gridTemplateColumns="1fr 2fr 1fr" gap="10px">
              <Press disabled={at === 0} onClick={() => go(-1)} style={{ minHeight: 52 }}>
                Back
              </Press>
              <Press look={set ? "plain" : "primary"} onClick={tick} style={{ minHeight: 52 }}>
                {set
                  ? "Not done after all"
                  : stop.sort === "cable"
                    ? `Cable ${stop.number} is in`
                    : `Stage ${stop.number} is set`}
              </Press>
              <Press
                disabled={at === stops.length - 1}
                onClick={() => go(1)}
                style={{ minHeight: 52 }}
              >
                Next
              </Press>
            </Box>
          </Box>
        </Box>
      )}
    </Box>
  );
}

function Head({ stop, state }: { stop: Stop; state: "done" | "changed" | "open" }) {
  return (
    <Box display="flex" gap="12px" alignItems="center" marginBottom="10px">
      <Box
        as="span"
        minWidth="40px"
        height="40px"
        paddingInline="6px"
        display="inline-flex"
        alignItems="center"
        justifyContent="center"
        border="2px solid"
        borderColor="ink"
        borderRadius={stop.sort === "stage" ? "20px" : "0"}
        fontSize="19px"
        fontWeight="650"
      >
        {stop.number}
      </Box>
      <Box minWidth="0">
        <Box as="h2" fontSize="21px" lineHeight="26px" fontWeight="650" overflowWrap="anywhere">
          {stop.name}
        </Box>
        {state === "changed" && (
          <Box color="caution" fontWeight="650">
            Changed since you did it
          </Box>
        )}
      </Box>
    </Box>
  );
}

function CableStop({ sheet, stop }: { sheet: Sheet; stop: Stop }) {
  const c = sheet.patch.cables.find((one) => `${one.number}` === stop.number)!;
  const ends = [
    ["From", end(c.from_number, c.source), c.from_jack],
    ["To", end(c.to_number, c.target), c.to_jack],
  ] as const;
  return (
    <>
      {ends.map(([word, where, jack]) => (
        <Box key={word} borderTop="1px solid" borderColor="rule" paddingBlock="10px">
          <Box color="ink2">{word}</Box>
          <Box fontSize="30px" lineHeight="36px" fontWeight="650" overflowWrap="anywhere">
            {where}
          </Box>
          {jack && (
            <Box fontSize="21px" lineHeight="26px">
              {jack}
            </Box>
          )}
        </Box>
      ))}
      <Line label="Connector" value={c.plug} />
      <Line label="Carries" value={`${c.level} level, ${c.carries}`} />
      {c.length_m !== null && <Line label="Length" value={`${exact(c.length_m)} m`} />}
      {c.adaptor && <Line label="With" value={c.adaptor} />}
      {c.level === "speaker" && (
        <Notice kind="caution">
          Amplifier off before this is touched; never a valve amplifier without its load.
        </Notice>
      )}
    </>
  );
}

function StageStop({ row, sheet }: { row: Row; sheet: Sheet }) {
  const first = largest(row);
  const { figure, of } = afar(first?.shown ?? "");
  const rest = row.settings.filter((s) => s !== first);
  const scenes = sheet.scenes
    .map((s, i) => [s.name, row.scenes[i]!] as const)
    .filter(([, c]) => c.changed);
  return (
    <>
      {!row.on && (
        <Box fontSize="26px" lineHeight="32px" fontWeight="650" paddingBlock="6px">
          Off
        </Box>
      )}
      {first && (
        <Box borderTop="1px solid" borderColor="rule" paddingBlock="8px">
          <Box color="ink2">{first.label}</Box>
          <Box
            fontSize={`clamp(34px, ${Math.min(20, 130 / Math.max(6, figure.length))}vw, 96px)`}
            lineHeight="1.1"
            fontWeight="700"
            overflowWrap="anywhere"
          >
            {figure || "on"}
          </Box>
          {of && <Box fontSize="19px">{of}</Box>}
          {first.beside && <Box color="ink2">{first.beside}</Box>}
          {!first.beside && first.by_panel && <Box color="ink2">planned {first.planned}</Box>}
        </Box>
      )}
      {rest.map((s) => (
        <Line key={s.field} label={s.label} value={s.shown || "on"} beside={s.beside} />
      ))}
      {row.inner.map((one) => (
        <Line
          key={one.place}
          label={`Siding ${one.place}, ${one.name}`}
          value={one.called ? one.said : "passed by"}
        />
      ))}
      {!row.settings.length && !row.inner.length && row.on && (
        <Box>Nothing to set: leave it on.</Box>
      )}
      {scenes.map(([name, cell]) => (
        <Box key={name} marginTop="8px">
          <strong>{name}</strong>: {cell.on ? cell.values.join(", ") || "on" : "off"}
        </Box>
      ))}
    </>
  );
}

function Line({ label, value, beside }: { label: string; value: string; beside?: string }) {
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      justifyContent="space-between"
      gap="2px 12px"
      borderTop="1px solid"
      borderColor="rule"
      paddingBlock="9px"
      alignItems="baseline"
    >
      <Box fontSize="16px">{label}</Box>
      <Box fontSize="21px" lineHeight="26px" fontWeight="650" overflowWrap="anywhere">
        {value}
      </Box>
      {beside && (
        <Box width="100%" color="ink2" fontSize="13px">
          {beside}
        </Box>
      )}
    </Box>
  );
}

const Dot = chakra("button");

/** What is done, what is open, where one is: each can be gone to. */
function Ticks({
  stops,
  done,
  at,
  onGo,
}: {
  stops: Stop[];
  done: Done;
  at: number;
  onGo: (at: number) => void;
}) {
  return (
    <Box
      display="flex"
      flexWrap="wrap"
      gap="2px"
      marginBottom="6px"
      role="group"
      aria-label="Set so far"
    >
      {stops.map((stop, n) => {
        const state = stateOf(stop, done);
        const here = n === at;
        return (
          <Dot
            key={stop.key}
            type="button"
            aria-label={`${stop.sort} ${stop.number} ${stop.name}, ${state}`}
            aria-current={here ? "step" : undefined}
            onClick={() => onGo(n)}
            minWidth="26px"
            height="28px"
            padding="0 3px"
            background="transparent"
            border="0"
            cursor="pointer"
          >
            <Box
              as="span"
              display="inline-flex"
              alignItems="center"
              justifyContent="center"
              minWidth="22px"
              height="22px"
              fontSize="13px"
              borderRadius={stop.sort === "stage" ? "11px" : "0"}
              border="1.5px solid"
              borderColor={state === "changed" ? "caution" : "ink"}
              background={here ? "ink" : state === "done" ? "well" : "transparent"}
              color={here ? "paper" : "ink"}
              fontWeight={here ? 700 : 400}
            >
              {state === "done" ? (
                <svg width="12" height="10" viewBox="0 0 24 20" aria-hidden>
                  <path
                    d="M3 10l6 6L21 3"
                    fill="none"
                    stroke={here ? ink("paper") : ink("ok")}
                    strokeWidth="4"
                  />
                </svg>
              ) : (
                stop.number
              )}
            </Box>
          </Dot>
        );
      })}
    </Box>
  );
}
