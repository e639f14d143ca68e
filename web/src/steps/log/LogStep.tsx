/** What was found and decided about the song, newest first: filtered, found, opened again, and noted. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useDeferredValue, useRef, useState } from "react";
import { Link } from "react-router";

import { api, ask, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { Hint, Notice, Press, SheetTitle } from "../../ui/controls";
import { dateAndTime, timeOfDay } from "../../ui/format";
import { useKey } from "../../ui/keys";
import { Keep } from "../../ui/Links";
import { Labelled, TextInput } from "../../ui/QuantityField";
import { ink } from "../../ui/theme";
import { Note } from "./Note";
import { Snapshots } from "./Snapshots";
import {
  between,
  dayOf,
  type Entry,
  howMany,
  knots,
  marked,
  PAGE,
  ROW,
  type Step,
  stepsIn,
} from "./log";
import { Thumbs } from "./Thumbs";

const TONES = { plain: "ink", passed: "ok", caution: "caution" } as const;

export default function LogStep() {
  const { song } = useSongContext();
  const [chosen, setChosen] = useState<Entry[]>([]);
  const [step, setStep] = useState<Step | "">("");
  const [typed, setTyped] = useState("");
  const find = useDeferredValue(typed.trim());
  const finder = useRef<HTMLInputElement>(null);
  const writer = useRef<HTMLTextAreaElement>(null);
  const log = useInfiniteQuery({
    queryKey: ["log", song.id, step, find],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET("/api/v1/songs/{song_id}/log", {
          params: {
            path: { song_id: song.id },
            query: { step, find, after: pageParam, most: PAGE },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const shown = all.reduce((sum, page) => sum + page.entries.length, 0);
      return shown < last.total ? shown : undefined;
    },
    placeholderData: keepPreviousData,
    refetchOnMount: "always",
  });
  useKey("log", "/", () => finder.current?.focus());
  useKey("log", "N", () => writer.current?.focus());
  const pages = log.data?.pages ?? [];
  // An entry that came between two pages is not shown twice.
  const entries = [...new Map(pages.flatMap((p) => p.entries).map((e) => [e.id, e])).values()];
  const newest = pages.at(-1);
  return (
    <Box>
      <Box display="flex" flexWrap="wrap" gap="8px 20px" alignItems="flex-end" marginBottom="10px">
        <SheetTitle page about="what was measured, heard and decided; a line is never changed">
          Log
        </SheetTitle>
        <Box flex="1" />
        <Box width={{ base: "100%", sm: "240px" }}>
          <Labelled
            label={
              <>
                Find in the log <Hint>/</Hint>
              </>
            }
          >
            <TextInput
              ref={finder}
              value={typed}
              maxLength={200}
              onChange={(event) => setTyped(event.target.value)}
            />
          </Labelled>
        </Box>
      </Box>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) 320px" }}
        gap="14px 32px"
      >
        <Box minWidth="0">
          <Filters counts={newest?.counts ?? {}} step={step} onStep={setStep} />
          <Note songId={song.id} field={writer} />
          {log.isError && (
            <Notice kind="fault" word="Not read.">
              {sentenceOf(log.error)}
            </Notice>
          )}
          {newest && entries.length === 0 && (
            <Box color="ink2" paddingBlock="12px">
              {find || step
                ? "Nothing of that is in the log."
                : "Nothing yet. Null tests, measurements, tests by ear, tempo, delay and what is marked as intended come here by themselves."}
            </Box>
          )}
          <Compared chosen={chosen} onClear={() => setChosen([])} />
          <Rows
            entries={entries}
            songId={song.id}
            chosen={chosen.map((e) => e.id)}
            onChoose={(entry) =>
              setChosen(
                marked(
                  chosen.map((e) => e.id),
                  entry.id,
                ).map((id) => [...chosen, entry].find((e) => e.id === id)!),
              )
            }
          />
          {newest && entries.length > 0 && (
            <Box display="flex" gap="14px" alignItems="center" marginTop="10px" color="ink2">
              <Box role="status">{howMany(entries.length, newest.total)}, newest first</Box>
              <Keep
                href={`/api/v1/songs/${song.id}/log.csv?${new URLSearchParams({ step, find }).toString()}`}
              >
                CSV
              </Keep>
              {log.hasNextPage && (
                <Press disabled={log.isFetchingNextPage} onClick={() => void log.fetchNextPage()}>
                  Older ones
                </Press>
              )}
            </Box>
          )}
        </Box>
        <Snapshots songId={song.id} />
      </Box>
    </Box>
  );
}

function Filters({
  counts,
  step,
  onStep,
}: {
  counts: Record<string, number>;
  step: Step | "";
  onStep: (step: Step | "") => void;
}) {
  const all = Object.values(counts).reduce((sum, n) => sum + n, 0);
  const choices: [Step | "", string, number][] = [
    ["", "All", all],
    ...stepsIn(counts, step).map(
      ([s, n]) =>
        [s, s === "log" ? "Notes, snapshots" : s[0]!.toUpperCase() + s.slice(1), n] as [
          Step,
          string,
          number,
        ],
    ),
  ];
  return (
    <Box role="group" aria-label="Of which step" display="flex" flexWrap="wrap" gap="0 16px">
      {choices.map(([key, name, count]) => (
        <Box
          key={key}
          asChild
          minHeight={{ base: "44px", sm: "32px" }}
          background="transparent"
          border="none"
          padding="0"
          color="ink"
          borderBottom="3px solid"
          borderColor={step === key ? "ink" : "transparent"}
          fontWeight={step === key ? 650 : 400}
          cursor="pointer"
        >
          <button type="button" aria-pressed={step === key} onClick={() => onStep(key)}>
            {name}{" "}
            <Box as="span" color="ink2">
              {count}
            </Box>
          </button>
        </Box>
      ))}
    </Box>
  );
}

const DAY = 30;
const COLUMNS = {
  base: "52px minmax(0, 1fr) auto",
  md: "52px 120px minmax(0, 1fr) 120px 128px",
};

interface RowsProps {
  songId: string;
  chosen: string[];
  onChoose: (entry: Entry) => void;
}

function Rows({ entries, ...rest }: RowsProps & { entries: Entry[] }) {
  if (entries.length === 0) return null;
  let top = 0;
  const tops: number[] = [];
  const days = entries.map((entry, i) => dayOf(entry, entries[i - 1]));
  for (const day of days) {
    if (day) top += DAY;
    tops.push(top);
    top += ROW;
  }
  return (
    <Box display="grid" gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "56px minmax(0, 1fr)" }}>
      <Box display={{ base: "none", md: "block" }}>
        <Rail times={entries.map((e) => Date.parse(e.created_at))} tops={tops} height={top} />
      </Box>
      <Box as="ul" minWidth="0" aria-label="Entries">
        {entries.map((entry, i) => (
          <Box as="li" key={entry.id}>
            {days[i] && (
              <Box
                as="h2"
                height={{ md: `${DAY}px` }}
                paddingTop="8px"
                fontSize="13px"
                color="ink2"
                borderBottom="1px solid"
                borderColor="ink"
              >
                {days[i]}
              </Box>
            )}
            <Row entry={entry} {...rest} />
          </Box>
        ))}
      </Box>
    </Box>
  );
}

function Row({ entry, songId, chosen, onChoose }: RowsProps & { entry: Entry }) {
  const { take } = useSongContext();
  const mark = chosen.includes(entry.id);
  const clipped = { md: { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" } };
  return (
    <Box
      display="grid"
      gridTemplateColumns={COLUMNS}
      gap="0 14px"
      alignItems="center"
      height={{ md: `${ROW}px` }}
      paddingBlock={{ base: "6px", md: "0" }}
      borderBottom="1px solid"
      borderColor="rule"
    >
      <Box color="ink2">
        <time dateTime={entry.created_at}>{timeOfDay(new Date(entry.created_at))}</time>
      </Box>
      <Box fontWeight="650" display={{ base: "none", md: "block" }}>
        {entry.kind}
      </Box>
      <Box
        minWidth="0"
        display="flex"
        flexDirection={{ base: "column", md: "row" }}
        gap="6px 12px"
        alignItems={{ md: "center" }}
      >
        <Box flex="1" minWidth="0" maxWidth="100%" overflowWrap="anywhere">
          <Box fontWeight={{ base: 600, md: 400 }} css={clipped} title={entry.title}>
            {entry.title}
          </Box>
          <Box color="ink2" fontSize="13px" css={clipped} title={entry.text}>
            <Box as="span" display={{ md: "none" }}>
              {entry.kind}
              {entry.text ? ": " : ""}
            </Box>
            {entry.text}
          </Box>
        </Box>
        <Thumbs entry={entry} />
      </Box>
      <Box
        fontWeight="650"
        textAlign="right"
        color={TONES[entry.tone]}
        gridColumn={{ base: "3", md: "auto" }}
      >
        {entry.number}
      </Box>
      <Box textAlign="right" gridColumn={{ base: "2 / -1", md: "auto" }}>
        {entry.place && (
          <Box asChild fontWeight="600" color="ink" textUnderlineOffset="3px">
            <Link
              to={`/songs/${songId}/${entry.place}`}
              aria-label={`Open ${entry.title}`}
              // With what was in hand then.
              onClick={() => {
                const { variant, clip } = entry.hand;
                if (variant) take({ variant, selected: "" });
                if (clip) take({ clip });
              }}
            >
              Open
            </Link>
          </Box>
        )}{" "}
        <Press look="quiet" aria-pressed={mark} named={entry.title} onClick={() => onChoose(entry)}>
          {mark ? "Chosen" : "Compare"}
        </Press>
      </Box>
    </Box>
  );
}

/** Two entries side by side, and what lies between them. */
function Compared({ chosen, onClear }: { chosen: Entry[]; onClear: () => void }) {
  if (chosen.length === 0) return null;
  const two = [...chosen].sort((a, b) => Date.parse(a.created_at) - Date.parse(b.created_at));
  const found = chosen.length === 2 ? between(two[0]!, two[1]!) : null;
  return (
    <Box
      as="section"
      aria-label="Compared"
      borderBlock="1.5px solid"
      borderColor="ink"
      paddingBlock="8px"
      marginBottom="8px"
    >
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", sm: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="8px 28px"
      >
        {two.map((entry) => (
          <Box key={entry.id} minWidth="0" overflowWrap="anywhere">
            <Box color="ink2" fontSize="13px">
              {whenOf(entry)}, {entry.kind}
            </Box>
            <Box fontWeight="650">{entry.title}</Box>
            {entry.number && (
              <Box fontSize="21px" lineHeight="26px" fontWeight="650">
                {entry.number}
              </Box>
            )}
            <Box color="ink2">{entry.text}</Box>
            <Thumbs entry={entry} />
          </Box>
        ))}
        {chosen.length === 1 && <Box color="ink2">Choose a second one to hold against it.</Box>}
      </Box>
      <Box display="flex" flexWrap="wrap" gap="4px 16px" alignItems="center" marginTop="6px">
        {found && (
          <Box role="status">
            {found.figures && <strong>{found.figures}</strong>} {found.words}
          </Box>
        )}
        <Press look="quiet" onClick={onClear}>
          Put away
        </Press>
      </Box>
    </Box>
  );
}

const whenOf = (entry: Entry): string => dateAndTime(entry.created_at);

/** When it was: a rail down the page, each entry tied to its row. */
function Rail({ times, tops, height }: { times: number[]; tops: number[]; height: number }) {
  const [line, edge] = [16, 56];
  return (
    <svg width={edge} height={height} aria-hidden="true" style={{ display: "block" }}>
      <line
        x1={line}
        x2={line}
        y1={tops[0]! + ROW / 2}
        y2={tops.at(-1)! + ROW / 2}
        stroke={ink("ink")}
        strokeWidth="2"
      />
      {knots(times, tops).map(({ at, row }, i) => (
        <g key={i}>
          <path
            d={`M${line} ${at} L${line + 10} ${at} L${edge - 14} ${row} L${edge - 4} ${row}`}
            fill="none"
            stroke={ink("edge")}
          />
          <circle
            cx={line}
            cy={at}
            r="3.5"
            fill={ink("paper")}
            stroke={ink("ink")}
            strokeWidth="1.5"
          />
        </g>
      ))}
    </svg>
  );
}
