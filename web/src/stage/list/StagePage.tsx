/** The set list on stage: one song at a time in large type, gone through by any key or foot switch. */
import { Box, chakra } from "@chakra-ui/react";
import { type ReactNode, useCallback, useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { useKeptWords } from "../../api/kept";
import { sentenceOf } from "../../api/client";
import { Notice, Press, Unseen, Waiting } from "../../ui/controls";
import { exact, num } from "../../ui/format";
import { useSteady } from "../../ui/hooks";
import {
  ahead,
  BOUNCE_MS,
  type Card,
  countedAt,
  type CountIn,
  figuresAt,
  type Meaning,
  litWords,
  meaningOf,
  type OnStage,
  placeAfter,
  readable,
  tapped,
  tempoOf,
} from "./cards";
import { programWords } from "./midi";
import { useOnStage } from "./queries";
import { type Awake, type Midi, useAwake, useKeptCopy, useMidi, useMidiIn } from "./useStage";

export default function StagePage() {
  const { listId = "" } = useParams();
  const stage = useOnStage(listId);
  const kept = useKeptCopy(`/api/v1/set-lists/${listId}/stage`, () => stage.refetch());
  const back = <Link to="/set-lists">All set lists</Link>;
  if (stage.isPending) return <Waiting />;
  if (stage.isError)
    return (
      <Box padding="20px" maxWidth="640px">
        <Notice kind="fault" word="Not opened." actions={back}>
          {sentenceOf(stage.error)}
        </Notice>
      </Box>
    );
  if (!readable(stage.data))
    return (
      <Box padding="20px" maxWidth="640px">
        <Notice
          kind="fault"
          word="Cannot be read."
          actions={<Press onClick={() => void stage.refetch()}>Ask again</Press>}
        >
          This copy of the set list was kept by another release of Fonodrome. Open it once with the
          network, and it is kept anew. Nothing of the list itself is lost.
        </Notice>
      </Box>
    );
  if (!stage.data.cards.length)
    return (
      <Box padding="20px" maxWidth="640px">
        <Notice
          kind="caution"
          word="Empty."
          actions={<Link to={`/set-lists/${listId}`}>Put songs in</Link>}
        >
          There is no song in “{stage.data.name}” yet.
        </Notice>
      </Box>
    );
  return <Walk key={listId} stage={stage.data} kept={kept} />;
}

const placeKey = (id: string) => `fonodrome:on-stage:${id}`;

/** The card one was at; by its own key, as the order may have changed. */
function placeKept(stage: OnStage): number {
  try {
    const key = sessionStorage.getItem(placeKey(stage.id));
    return Math.max(
      0,
      stage.cards.findIndex((c) => c.key === key),
    );
  } catch {
    return 0;
  }
}

function Walk({ stage, kept }: { stage: OnStage; kept: boolean }) {
  const navigate = useNavigate();
  const [place, setPlace] = useState(() => placeKept(stage));
  const at = placeAfter(place, 0, stage.cards.length);
  const card = stage.cards[at]!;
  const awake = useAwake();
  const keptAt = useKeptWords();
  const [counting, setCounting] = useState<{ from: number; turn: number } | null>(null);
  const [taps, setTaps] = useState<number[]>([]);
  const [sent, setSent] = useState<readonly Card["programs"][number][]>(() => card.programs);
  const midi = useMidi(stage.send_clock && card.quarter_bpm ? card.quarter_bpm : null);
  const pressed = useRef(-BOUNCE_MS);
  const bpm = tempoOf(taps);
  const leave = `/set-lists/${stage.id}`;

  const go = (by: number) => {
    const next = placeAfter(at, by, stage.cards.length);
    if (next === at) return;
    setPlace(next);
    setCounting(null);
    setTaps([]);
    const to = stage.cards[next]!;
    sessionStorage.setItem(placeKey(stage.id), to.key);
    if (to.programs.length) {
      midi.send(to.programs);
      setSent(to.programs);
    }
    window.scrollTo(0, 0);
  };
  const count = () => {
    if (!card.count?.bars) return;
    setCounting((now) => (now ? null : { from: performance.now(), turn: at }));
  };
  const act = (meaning: Meaning) => {
    const now = performance.now();
    if (meaning === "tap") {
      setTaps((before) => tapped(before, now));
      return;
    }
    if (now - pressed.current < BOUNCE_MS) return;
    pressed.current = now;
    if (meaning === "next") go(1);
    if (meaning === "back") go(-1);
    if (meaning === "count") count();
    if (meaning === "leave") void navigate(leave);
  };
  useMidiIn(midi.access, act);
  useKeysOfStage(act);
  const over = useCallback(() => setCounting(null), []);
  const played = bpm === null ? null : figuresAt(card, bpm);
  const next = stage.cards[at + 1];
  return (
    <Box
      maxWidth="1180px"
      marginInline="auto"
      minHeight="100vh"
      display="flex"
      flexDirection="column"
      // What was pressed by a finger does not keep the keys of a foot switch.
      onPointerUp={() => (document.activeElement as HTMLElement | null)?.blur()}
    >
      <Box
        as="header"
        display="flex"
        gap="4px 16px"
        alignItems="center"
        justifyContent="space-between"
        padding="10px 20px"
        borderBottom="1px solid"
        borderColor="rule"
        fontSize="15px"
      >
        <Box whiteSpace="nowrap">
          <strong>{at + 1}</strong> of {stage.cards.length}
        </Box>
        <Box color="ink2" textAlign="center" role="status" aria-label="How the stage stands">
          {AWAKE[awake]}
          {keptAt ? `; no network, as it stood ${keptAt}` : kept && "; kept on this device"}
        </Box>
        <Box asChild color="ink" fontWeight="600" textDecoration="underline" fontSize="17px">
          <Link to={leave}>Leave</Link>
        </Box>
      </Box>
      <Box
        as="main"
        flex="1"
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 5fr) minmax(0, 6fr)" }}
        alignContent="start"
        gap="0 48px"
        padding="12px 20px"
      >
        <Box minWidth="0">
          <Box
            as="h1"
            fontFamily="title"
            fontSize={card.title.length > 34 ? "34px" : "47px"}
            lineHeight="1.05"
            fontWeight="600"
            overflowWrap="anywhere"
          >
            {card.title}
          </Box>
          {card.about && (
            <Box color="ink2" fontSize="16px" marginTop="6px" overflowWrap="anywhere">
              {card.about}
            </Box>
          )}
          {card.tempo && (
            <Box display="flex" flexWrap="wrap" alignItems="flex-end" gap="0 14px" marginTop="2px">
              <Box
                fontSize={card.tempo.length > 3 ? "84px" : { base: "118px", md: "126px" }}
                marginLeft="-6px"
                lineHeight="0.98"
                fontWeight="700"
              >
                {card.tempo}
              </Box>
              <Box fontSize={{ base: "19px", md: "21px" }} lineHeight="28px" paddingBottom="10px">
                {card.counted.replace(" a minute", "")}
                <br />a minute, {card.count?.words.split(",")[0]}
              </Box>
            </Box>
          )}
          {card.then && <Box fontSize="19px">{card.then}</Box>}
          {card.count && card.count.bars > 0 && (
            <Counter
              key={at}
              count={card.count}
              beatMs={card.beat_ms}
              from={counting?.turn === at ? counting.from : null}
              onOver={over}
            />
          )}
          {bpm !== null && (
            <Box fontSize="17px" paddingBlock="6px" role="status" aria-label="Tempo tapped">
              Tapped <strong>{num(bpm, 1)}</strong>
              {played ? `: the figures are for ${played.bpm}` : ", beyond what is computed here"}
            </Box>
          )}
        </Box>
        <Box minWidth="0">
          {card.caution && <Notice kind="caution">{card.caution}</Notice>}
          <Box as="ul" aria-label="To set" borderTop="1px solid" borderColor="ink" marginTop="10px">
            {card.lines
              .filter((line) => line.shown)
              .map((line) => (
                <Line
                  key={line.name}
                  name={line.name}
                  said={line.said}
                  figure={played?.figures.get(line.name) ?? line.figure}
                  unit={line.unit}
                />
              ))}
          </Box>
          {card.note && (
            <Box
              fontSize="19px"
              lineHeight="25px"
              paddingBlock="10px"
              whiteSpace="pre-wrap"
              overflowWrap="anywhere"
            >
              {card.note}
            </Box>
          )}
          <Programs card={card} sent={sent} midi={midi} clock={stage.send_clock} />
        </Box>
      </Box>
      <Box as="footer" padding="4px 20px 14px" position="sticky" bottom="0" background="paper">
        <Box display="flex" alignItems="center" gap="10px" color="ink2" fontSize="15px">
          {next ? "Next" : "The last one"}
          <Box flex="1" height="1.5px" background="ink" />
          <Box width="6px" height="14px" borderInline="2px solid" borderColor="ink" aria-hidden />
        </Box>
        {next && (
          <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="0 16px" marginBottom="8px">
            <Box
              fontFamily="title"
              fontSize="26px"
              lineHeight="31px"
              fontWeight="600"
              overflowWrap="anywhere"
            >
              {next.title}
            </Box>
            {next.tempo && (
              <Box fontSize="17px">
                {next.tempo} a minute, {next.count?.words.split(",")[0]}
                {ahead(next) && (
                  <>
                    {" "}
                    · delay <strong>{ahead(next)}</strong>
                  </>
                )}
              </Box>
            )}
          </Box>
        )}
        <Box
          display="grid"
          gridTemplateColumns="1fr 1.6fr 1fr"
          gap="10px"
          maxWidth="640px"
          marginInline="auto"
        >
          <Press disabled={at === 0} onClick={() => go(-1)} style={TALL}>
            Back
          </Press>
          <Press look="primary" disabled={!card.count?.bars} onClick={count} style={TALL}>
            {counting ? "Stop count" : "Count in"}
          </Press>
          <Press disabled={!next} onClick={() => go(1)} style={TALL}>
            Next
          </Press>
        </Box>
      </Box>
    </Box>
  );
}

const TALL = { minHeight: 54, fontSize: 19 };
const AWAKE: Record<Awake, string> = {
  awake: "screen stays on",
  asleep: "screen may go dark",
  unable: "screen may go dark: this browser cannot hold it",
};

/** The stage has the keyboard to itself: whatever a foot switch sends is heard before any other key. */
function useKeysOfStage(act: (meaning: Meaning) => void): void {
  const steady = useSteady(act);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const meaning = meaningOf(event);
      // A control that was reached by keys is pressed by keys.
      const held = document.activeElement?.closest("a, button, summary");
      if (held?.matches(":focus-visible") && /^(?:Enter| )$/.test(event.key)) {
        event.stopImmediatePropagation();
        return;
      }
      if (!meaning) {
        // What scrolls the page may; keys of the other views do not.
        if (!/^(?:Tab|Home|End)$/.test(event.key)) event.stopImmediatePropagation();
        return;
      }
      event.preventDefault();
      event.stopImmediatePropagation();
      steady(meaning);
    };
    window.addEventListener("keydown", press, { capture: true });
    return () => window.removeEventListener("keydown", press, { capture: true });
  }, [steady]);
}

const Item = chakra("li");

function Line({
  name,
  said,
  figure,
  unit,
}: {
  name: string;
  said: string;
  figure: string;
  unit: string;
}) {
  return (
    <Item
      display="flex"
      flexWrap="wrap"
      justifyContent="space-between"
      alignItems="center"
      gap="0 14px"
      paddingBlock="7px"
      borderBottom="1px solid"
      borderColor="rule"
    >
      <Box minWidth="0" flex="1 1 150px">
        <Box fontSize="19px" lineHeight="24px" fontWeight="650" overflowWrap="anywhere">
          {name}
        </Box>
        <Box color="ink2" fontSize="15px" overflowWrap="anywhere">
          {said}
        </Box>
      </Box>
      <Box whiteSpace={figure.length < 12 ? "nowrap" : "normal"} textAlign="right">
        <Box
          as="span"
          fontSize={figure.length < 9 ? "37px" : "24px"}
          lineHeight="42px"
          fontWeight="700"
        >
          {figure}
        </Box>
        {unit && (
          <Box as="span" fontSize="19px" marginLeft="10px" display="inline-block" minWidth="26px">
            {unit}
          </Box>
        )}
      </Box>
    </Item>
  );
}

interface CounterProps {
  count: CountIn;
  beatMs: number;
  /** When it began; null: it stands still. */
  from: number | null;
  onOver: () => void;
}

/** Blocks of one bar. What lights up does so at most three times a second; the line below shows each pulse. */
function Counter({ count, beatMs, from, onOver }: CounterProps) {
  const [since, setSince] = useState(0);
  useEffect(() => {
    if (from === null) return;
    let frame = 0;
    const step = () => {
      const now = performance.now() - from;
      setSince(now);
      if (countedAt(count, now).over) onOver();
      else frame = requestAnimationFrame(step);
    };
    frame = requestAnimationFrame(step);
    return () => cancelAnimationFrame(frame);
  }, [from, count, onOver]);
  const now = from === null ? null : countedAt(count, since);
  const share = now === null || now.over ? 0 : now.pulse / count.pulses;
  return (
    <Box marginTop="10px" role="group" aria-label="Count-in">
      <Box
        display="flex"
        justifyContent="space-between"
        fontSize="15px"
        color="ink2"
        marginBottom="4px"
      >
        <Box>
          <strong>Count-in</strong>,{" "}
          {now && !now.over ? `bar ${now.bar} of ${count.bars}` : BARS[count.bars]}
        </Box>
        <Box>{num(beatMs, 1)} ms a beat</Box>
      </Box>
      <Box
        display="grid"
        gridTemplateColumns={`repeat(${count.pulses}, minmax(0, 1fr))`}
        gap="6px"
        alignItems="end"
      >
        {Array.from({ length: count.pulses }, (_, i) => {
          const strong = count.strong.includes(i + 1);
          const here = now !== null && !now.over && now.pulse === i + 1;
          return (
            <Box
              key={i}
              height={strong ? "62px" : "46px"}
              border={strong ? "2px solid" : "1.5px solid"}
              borderColor="ink"
              background={here && now.lit ? "ink" : "sheet"}
              color={here && now.lit ? "paper" : "ink"}
              display="flex"
              alignItems="center"
              justifyContent="center"
              fontSize={strong ? "24px" : "19px"}
              fontWeight="650"
              aria-current={here ? "step" : undefined}
            >
              {i + 1}
            </Box>
          );
        })}
      </Box>
      <Box height="6px" marginTop="3px" borderTop="1.5px solid" borderColor="ink">
        <Box height="5px" width={`${100 * share}%`} background="ink" />
      </Box>
      {count.lit_every !== 1 && (
        <Box fontSize="15px" color="ink2" marginTop="2px">
          {litWords(count)}: more than three flashes a second can harm
        </Box>
      )}
    </Box>
  );
}

const BARS: Record<number, string> = {
  1: "one bar",
  2: "two bars",
  3: "three bars",
  4: "four bars",
};

/** What is sent, and to whom: real MIDI where the browser has it, else the stand-in. */
function Programs({
  card,
  sent,
  midi,
  clock,
}: {
  card: Card;
  sent: readonly Card["programs"][number][];
  midi: Midi;
  clock: boolean;
}) {
  if (!card.programs.length && !sent.length && !clock) return null;
  const real = midi.state === "on" && midi.outputs.length > 0;
  return (
    <Box
      as="section"
      aria-label="MIDI"
      fontSize="16px"
      paddingBlock="8px"
      borderTop="1px solid"
      borderColor="rule"
    >
      {sent.map((p) => (
        <Box key={p.channel}>
          {real ? "Sent" : "Stand-in switcher at"} <strong>{programWords(p)}</strong>
        </Box>
      ))}
      {clock && card.quarter_bpm > 0 && (
        <Box>
          {real ? "Clock goes out" : "Clock would go out"} at {exact(card.quarter_bpm)} quarters a
          minute.
        </Box>
      )}
      <Box
        display="flex"
        flexWrap="wrap"
        gap="6px 12px"
        alignItems="center"
        color="ink2"
        marginTop="4px"
      >
        {real && <span>to {midi.outputs.join(", ")}</span>}
        {(midi.state === "off" || midi.state === "refused") && (
          <>
            <Press onClick={() => midi.ask(sent)}>Send real MIDI</Press>
            <span>
              {midi.state === "refused"
                ? "The browser refused it."
                : "a foot switch is heard then too"}
            </span>
          </>
        )}
        {midi.state === "asking" && <span>The browser asks you.</span>}
        {midi.state === "unable" && (
          <span>This browser has no MIDI; the stand-in shows what would be sent.</span>
        )}
        {midi.state === "on" && !real && (
          <>
            <span>No MIDI device is connected.</span>
            {card.programs.length > 0 && <Said>The stand-in shows what would be sent.</Said>}
          </>
        )}
        {real && card.programs.length > 0 && (
          <Press onClick={() => midi.send(card.programs)}>
            Send again<Unseen> the programs</Unseen>
          </Press>
        )}
      </Box>
    </Box>
  );
}

const Said = ({ children }: { children: ReactNode }) => <span>{children}</span>;
