/** By ear alone: which of two is the unnamed one? The server keeps it to itself until it is answered. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { useKey } from "../../ui/keys";
import { ink } from "../../ui/theme";
import { useSongContext } from "../../song/context";
import { announce, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Choice, Labelled } from "../../ui/QuantityField";
import type { Engine } from "../../playing/engine";

type TrialOut = Schemas["TrialOut"];
type Which = "a" | "b" | "x";
const SOUNDS: Record<Which, { name: string; key: string }> = {
  a: { name: "The first", key: "←" },
  b: { name: "The second", key: "→" },
  x: { name: "The unnamed one", key: "↓" },
};
const COUNTS = [8, 10, 12, 16, 20, 25];

interface Props {
  songId: string;
  /** Finished renders that can be set against each other. */
  pairs: { id: string; name: string }[];
  stretch: { from: number; length: number };
  engine: () => Promise<Engine>;
  /** The trial took the sound over, or gave it back. */
  onRunning: (running: boolean) => void;
}

export function Trial({ songId, pairs, stretch, engine, onRunning }: Props) {
  const client = useQueryClient();
  const [trial, setTrial] = useState<TrialOut | null>(null);
  const [first, setFirst] = useState("");
  const [second, setSecond] = useState("");
  const [count, setCount] = useState(16);
  const [kind, setKind] = useState("level");
  const { clip } = useSongContext();
  const practice = useQuery({
    queryKey: ["practice-trials"],
    queryFn: () => ask(api.GET("/api/v1/practice-trials")),
    staleTime: Infinity,
  });
  const a = pairs.some((p) => p.id === first) ? first : (pairs[0]?.id ?? "");
  const b = pairs.some((p) => p.id === second) ? second : (pairs[1]?.id ?? "");
  const path = { params: { path: { song_id: songId } } };
  const started = (made: TrialOut) => {
    setTrial(made);
    onRunning(true);
  };
  const fault = (problem: unknown) => announce(sentenceOf(problem), { kind: "fault" });
  const begin = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/trials", {
          ...path,
          body: {
            a,
            b,
            start_s: stretch.from,
            length_s: Math.min(30, stretch.length),
            total: count,
            matched: true,
          },
        }),
      ),
    onSuccess: started,
    onError: fault,
  });
  const practise = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/songs/{song_id}/practice", {
          ...path,
          body: {
            kind: kind as Schemas["PracticeIn"]["kind"],
            clip: clip!.id,
            total: 8,
          },
        }),
      ),
    onSuccess: started,
    onError: fault,
  });
  const leave = () => {
    setTrial(null);
    onRunning(false);
    void client.invalidateQueries({ queryKey: ["log", songId] });
  };
  if (trial)
    return (
      <Running key={trial.id} trial={trial} engine={engine} onTrial={setTrial} onLeave={leave} />
    );
  return (
    <Box as="section" aria-label="By ear alone" minWidth="0">
      <SheetTitle sub about="is the difference heard at all, when nothing tells which is which?">
        By ear alone
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        <Labelled label="first sound">
          <Choice value={a} maxWidth="180px" onChange={(event) => setFirst(event.target.value)}>
            {pairs.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="second sound">
          <Choice value={b} maxWidth="180px" onChange={(event) => setSecond(event.target.value)}>
            {pairs.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="questions">
          <Choice value={count} onChange={(event) => setCount(Number(event.target.value))}>
            {COUNTS.map((n) => (
              <option key={n}>{n}</option>
            ))}
          </Choice>
        </Labelled>
        <Press disabled={!a || !b || a === b || begin.isPending} onClick={() => begin.mutate()}>
          Begin
        </Press>
      </Box>
      {pairs.length < 2 && (
        <Box color="ink2" fontSize="13px" marginTop="4px">
          Render two variants first, or practise.
        </Box>
      )}
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="10px">
        <Labelled label="practise hearing">
          <Choice value={kind} onChange={(event) => setKind(event.target.value)}>
            {(practice.data ?? []).map((p) => (
              <option key={p.kind} value={p.kind}>
                {p.title}
              </option>
            ))}
          </Choice>
        </Labelled>
        <Press disabled={!clip || practise.isPending} onClick={() => practise.mutate()}>
          {clip ? `Practise on “${clip.name}”` : "Practise"}
        </Press>
      </Box>
    </Box>
  );
}

interface RunningProps {
  trial: TrialOut;
  engine: () => Promise<Engine>;
  onTrial: (trial: TrialOut) => void;
  onLeave: () => void;
}

function Running({ trial, engine, onTrial, onLeave }: RunningProps) {
  const [heard, setHeard] = useState<Which | "">("");
  const [ready, setReady] = useState(0);
  const player = useRef<Engine>(null);
  const number = trial.answered + 1;
  const asking = !trial.over;
  useEffect(() => {
    if (!asking) return;
    let gone = false;
    void (async () => {
      try {
        const made = await engine();
        const { HeldSound } = await import("../../playing/stream");
        made.stop();
        const names: Which[] = ["a", "b", "x"];
        const sounds = await Promise.all(
          names.map((name) =>
            heldSound(made.context, `/api/v1/trials/${trial.id}/audio/${name}?n=${number}`),
          ),
        );
        if (gone) return;
        names.forEach((name, i) => {
          const { rate, samples } = sounds[i]!;
          const sound = new HeldSound(rate, samples);
          made.set(`trial-${name}`, { sound, gains: [1], wet: [false], match: 1 });
        });
        player.current = made;
        setReady(number);
      } catch (problem) {
        if (!gone) announce(sentenceOf(problem), { kind: "fault" });
      }
    })();
    return () => {
      gone = true;
    };
  }, [asking, engine, number, trial.id]);
  useEffect(
    () => () => {
      player.current?.stop();
      player.current?.forget("trial-");
    },
    [],
  );
  const hear = (which: Which) => {
    const one = player.current;
    if (!one || ready !== number) return;
    const name = `trial-${which}`;
    if (one.isPlaying && one.hearing.startsWith("trial-")) one.hear(name);
    else one.play(name, 0, { from: 0, to: trial.length_s });
    one.onEnd = () => setHeard("");
    setHeard(which);
  };
  const stop = () => player.current?.stop();
  const answer = useMutation({
    mutationFn: (choice: "a" | "b") =>
      ask(
        api.POST("/api/v1/trials/{trial_id}/answers", {
          params: { path: { trial_id: trial.id } },
          body: { number, choice },
        }),
      ),
    onMutate: stop,
    onSuccess: onTrial,
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  const end = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/trials/{trial_id}/end", { params: { path: { trial_id: trial.id } } })),
    onMutate: stop,
    onSuccess: (done) => (done.answered ? onTrial(done) : onLeave()),
  });
  const waiting = ready !== number || answer.isPending;
  useKey("trial", "←", () => hear("a"), asking);
  useKey("trial", "→", () => hear("b"), asking);
  useKey("trial", "↓", () => hear("x"), asking);
  useKey("trial", "J", () => !waiting && answer.mutate("a"), asking);
  useKey("trial", "L", () => !waiting && answer.mutate("b"), asking);
  return (
    <Box as="section" aria-label="By ear alone" minWidth="0">
      <SheetTitle
        sub
        about={
          trial.practice ? trial.about : "which of the two is the unnamed one? drawn anew each time"
        }
      >
        {trial.practice ? "Practice" : "By ear alone"}
      </SheetTitle>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "1fr", sm: "minmax(0, 1fr) 260px" }}
        gap="16px"
        marginTop="4px"
      >
        <Score trial={trial} />
        <Box>
          {asking ? (
            <>
              <Box fontFamily="title" fontWeight="600" fontSize="19px" lineHeight="24px">
                Question {number} of {trial.total}
              </Box>
              <Box color="ink2" marginTop="2px">
                First: {trial.title_a}. Second: {trial.title_b}.{" "}
                {trial.matched
                  ? "All three are equally loud."
                  : "They are not matched in loudness."}{" "}
                {trial.needed !== null &&
                  `${trial.needed} of ${trial.total} right would be rare by guessing.`}
              </Box>
              <Box display="flex" flexWrap="wrap" gap="6px" marginTop="8px">
                {(["a", "b", "x"] as const).map((which) => (
                  <Press
                    key={which}
                    look={heard === which ? "primary" : "plain"}
                    aria-pressed={heard === which}
                    disabled={waiting}
                    hint={SOUNDS[which].key}
                    onClick={() => hear(which)}
                  >
                    {SOUNDS[which].name}
                  </Press>
                ))}
              </Box>
              <Box display="flex" flexWrap="wrap" gap="6px" marginTop="8px">
                <Press hint="J" disabled={waiting} onClick={() => answer.mutate("a")}>
                  It is the first
                </Press>
                <Press hint="L" disabled={waiting} onClick={() => answer.mutate("b")}>
                  It is the second
                </Press>
                <Press look="quiet" onClick={() => end.mutate()}>
                  Stop here
                </Press>
              </Box>
            </>
          ) : (
            <>
              <Box
                fontFamily="title"
                fontWeight="600"
                fontSize="19px"
                lineHeight="24px"
                role="status"
              >
                {trial.verdict!.hits} of {trial.verdict!.trials}
              </Box>
              <Box marginTop="2px">{trial.verdict!.sentence}</Box>
              <Box color="ink2" fontSize="13px" marginTop="4px">
                Chance of so many hits or more by guessing: {num(100 * trial.verdict!.chance, 1)} %.
                It is in the song&apos;s log.
              </Box>
              <Box marginTop="8px">
                <Press onClick={onLeave}>Close</Press>
              </Box>
            </>
          )}
        </Box>
      </Box>
    </Box>
  );
}

/** Hits against what is needed and what guessing gives; while it runs only the place is shown. */
function Score({ trial }: { trial: TrialOut }) {
  const [frame, width] = useWidth<HTMLDivElement>(240);
  const left = 30;
  const top = 10;
  const foot = 140;
  const x = (n: number) => left + (n / trial.total) * (width - left - 10);
  const y = (n: number) => foot - (n / trial.total) * (foot - top);
  const hits = trial.hits;
  let so = 0;
  const line = (hits ?? []).map((hit, i) => `L${x(i + 1)} ${y((so += hit ? 1 : 0))}`).join("");
  const every = trial.total > 12 ? 4 : 2;
  const marks = Array.from({ length: trial.total }, (_, i) => i);
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height="172"
        display="block"
        role="img"
        aria-label={
          hits
            ? `${so} hits of ${hits.length}`
            : `${trial.answered} of ${trial.total} answered; hits are hidden until the end`
        }
      >
        <rect
          x={left}
          y={top - 6}
          width={width - left - 4}
          height={foot - top + 6}
          fill={ink("sheet")}
        />
        {asking(trial) && (
          <rect
            x={x(trial.answered)}
            y={top - 6}
            width={x(1) - x(0)}
            height={foot - top + 6}
            fill={ink("well")}
          />
        )}
        {[0, trial.total / 2, trial.total].map((n) => (
          <text key={n} x={left - 6} y={y(n) + 4} textAnchor="end" fontSize="13" fill={ink("ink2")}>
            {Number.isInteger(n) ? n : ""}
          </text>
        ))}
        <line
          x1={x(0)}
          y1={y(0)}
          x2={x(trial.total)}
          y2={y(trial.total / 2)}
          stroke={ink("ink")}
          strokeDasharray="1 3"
        />
        <text
          x={x(trial.total) - 4}
          y={y(trial.total / 2) + 18}
          textAnchor="end"
          fontSize="13"
          fill={ink("ink2")}
        >
          guessing
        </text>
        {trial.needed !== null && (
          <>
            <line
              x1={x(0)}
              x2={x(trial.total)}
              y1={y(trial.needed)}
              y2={y(trial.needed)}
              stroke={ink("ok")}
              strokeWidth="1.75"
            />
            <text
              x={x(trial.total) - 4}
              y={y(trial.needed) - 5}
              textAnchor="end"
              fontSize="13"
              fill={ink("ok")}
            >
              {trial.needed} of {trial.total} needed
            </text>
          </>
        )}
        {hits && (
          <path d={`M${x(0)} ${y(0)}${line}`} fill="none" stroke={ink("ink")} strokeWidth="2.25" />
        )}
        <line
          x1={left}
          x2={x(trial.total)}
          y1={foot}
          y2={foot}
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        {marks.map((i) => {
          const middle = (x(i) + x(i + 1)) / 2;
          if (hits && i < hits.length)
            return hits[i] ? (
              <path
                key={i}
                d={`M${middle - 5} ${foot + 13}l4 4l6 -9`}
                fill="none"
                stroke={ink("ok")}
                strokeWidth="2"
              />
            ) : (
              <line
                key={i}
                x1={middle - 5}
                x2={middle + 5}
                y1={foot + 13}
                y2={foot + 13}
                stroke={ink("diff")}
                strokeWidth="2.5"
              />
            );
          if (i < trial.answered)
            return <circle key={i} cx={middle} cy={foot + 13} r="2.5" fill={ink("ink2")} />;
          const now = i === trial.answered && asking(trial);
          return now || (i + 1) % every === 0 ? (
            <text
              key={i}
              x={middle}
              y={foot + 18}
              textAnchor="middle"
              fontSize="13"
              fontWeight={now ? 650 : 400}
              fill={ink(now ? "ink" : "ink2")}
            >
              {i + 1}
            </text>
          ) : null;
        })}
      </svg>
    </Box>
  );
}

const asking = (trial: TrialOut) => !trial.over;

/** A short sound, decoded at the rate of what plays it, as one stem. */
async function heldSound(context: BaseAudioContext, url: string) {
  const response = await fetch(url);
  if (!response.ok) throw new Error("The sound could not be read.");
  const whole = await context.decodeAudioData(await response.arrayBuffer());
  const sides = Array.from({ length: whole.numberOfChannels }, (_, c) => whole.getChannelData(c));
  return { rate: whole.sampleRate, samples: [sides] };
}
