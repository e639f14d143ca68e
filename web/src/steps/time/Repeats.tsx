/** Repeats: how loud, how many, when silent; feedback for what is wanted; runaway said plainly. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type DelayLine, sentenceOf } from "../../api/client";
import { delayLine, limits } from "../../api/defaults.gen";
import { useSongContext } from "../../song/context";
import { RepeatsChart } from "../../charts/RepeatsChart";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { Answer } from "../../ui/Answer";
import { Figure, HowComputed, Notice, Press } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField, TextInput } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { DelayHandle } from "./useDelay";

export const THRESHOLD_DB = 40;

/** What the delay in hand repeats; wanted: how many repeats a feedback is looked for. */
export function useRepeats(line: DelayLine, wanted = 4) {
  const { frame } = useSongContext();
  return useQuery({
    queryKey: ["repeats", frame, line, wanted],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/compute/repeats", {
          body: {
            frame,
            line,
            threshold_db: THRESHOLD_DB,
            headroom_db: 12,
            wanted_repeats: wanted,
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
}

export function Repeats({ handle, barMs }: { handle: DelayHandle; barMs: number }) {
  const { line, change } = handle;
  const [wanted, setWanted] = useState(4);
  const [bands, setBands] = useState(false);
  const found = useRepeats(line, wanted);
  const data = found.data;
  const feedback = line.feedback_percent ?? 0;
  // As far as the device goes; past 100 % where none is chosen, to see what that does.
  const end = line.device?.feedback_max_percent || 120;
  return (
    <Box minWidth="0">
      {data && <Answer>{data.sentence}</Answer>}
      {found.isError && (
        <Notice kind="fault" word="Not computed.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      {data && (
        <>
          {data.cautions.map((caution) => (
            <Notice
              key={caution}
              kind={data.runaway ? "fault" : "caution"}
              word={data.runaway ? "Alarm." : undefined}
            >
              {caution}
            </Notice>
          ))}
          <RepeatsChart repeats={data} thresholdDb={THRESHOLD_DB} barMs={barMs} />
          <Box
            display="grid"
            gridTemplateColumns={{ base: "1fr", sm: "1fr 1fr" }}
            gap="4px 18px"
            marginTop="4px"
          >
            <ScaleSlider
              label="Feedback"
              value={feedback}
              low={0}
              high={end}
              step={1}
              ticks={[0, 25, 50, 75, 100, end].filter(
                (v, i, all) => v <= end && all.indexOf(v) === i,
              )}
              least={limits.DelayLine.feedback_percent[0]}
              most={end}
              rest={delayLine.feedback_percent}
              alarmFrom={100}
              shown={(v) =>
                `${num(v, v % 1 ? 1 : 0)} %, ${num(v / 100, 3)}, ${v > 0 ? signed(20 * Math.log10(v / 100), 1) : "−∞"} dB`
              }
              onChange={(feedback_percent) => change({ feedback_percent })}
            />
            <ScaleSlider
              label="First repeat against dry"
              value={line.first_db ?? 0}
              low={-24}
              high={6}
              step={0.5}
              ticks={[-24, -12, -6, 0, 6]}
              least={limits.DelayLine.first_db[0]}
              most={limits.DelayLine.first_db[1]}
              rest={delayLine.first_db}
              shown={(v) => `${signed(v, 1)} dB`}
              onChange={(first_db) => change({ first_db })}
            />
          </Box>
          <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
            <Labelled label="Mode">
              <Choice
                value={line.mode ?? "single"}
                onChange={(event) => change({ mode: event.target.value as DelayLine["mode"] })}
              >
                <option value="single">single</option>
                <option value="dual">dual: each side its own</option>
                <option value="ping-pong">ping-pong: sides in turn</option>
                <option value="cascade">cascade: left feeds right</option>
              </Choice>
            </Labelled>
            {(line.mode === "dual" || line.mode === "cascade") && (
              <Labelled label="Right side's time">
                <SecondTime key={line.second} handle={handle} />
              </Labelled>
            )}
            {line.mode === "dual" && (
              <QuantityField
                label="Offset of the right"
                kind="time"
                unit="ms"
                width="110px"
                value={String(line.offset_ms ?? 0)}
                onCommit={(read) => change({ offset_ms: Number(read.value.toFixed(3)) })}
              />
            )}
            <Cut
              label="Loop low cut"
              value={line.low_cut_hz}
              onSet={(low_cut_hz) => change({ low_cut_hz })}
            />
            <Cut
              label="Loop high cut"
              value={line.high_cut_hz}
              onSet={(high_cut_hz) => change({ high_cut_hz })}
            />
          </Box>
          <Box overflowX="auto" marginTop="6px">
            <Table>
              <thead>
                <tr>
                  <Th textAlign="left">Gone in</Th>
                  {data.gone_by.map((g) => (
                    <Th key={g.bars}>{g.bars === 1 ? "1 bar" : `${g.bars} bars`}</Th>
                  ))}
                </tr>
              </thead>
              <tbody>
                <tr>
                  <Td textAlign="left" color="ink2" whiteSpace="nowrap">
                    Loop gain, dB
                  </Td>
                  {data.gone_by.map((g) => (
                    <Td key={g.bars}>{g.loop_db === null ? "no room" : signed(g.loop_db, 1)}</Td>
                  ))}
                </tr>
                <tr>
                  <Td textAlign="left" color="ink2" whiteSpace="nowrap">
                    Feedback, %
                  </Td>
                  {data.gone_by
                    .map((g) => g.feedback_percent)
                    .map((p, i) => (
                      <Td key={i}>
                        {p === null ? (
                          "no room"
                        ) : (
                          <Press
                            look="quiet"
                            onClick={() => change({ feedback_percent: Number(p.toFixed(1)) })}
                          >
                            {num(p, 1)}
                          </Press>
                        )}
                      </Td>
                    ))}
                </tr>
              </tbody>
            </Table>
          </Box>
          <Box display="flex" flexWrap="wrap" gap="4px 10px" alignItems="center" fontSize="14px">
            For
            <Choice
              aria-label="Number of repeats wanted"
              width="104px"
              paddingInline="4px"
              value={wanted}
              onChange={(event) => setWanted(Number(event.target.value))}
            >
              {[1, 2, 3, 4, 5, 6, 8, 12, 16].map((n) => (
                <option key={n} value={n}>
                  {n === 1 ? "1 repeat" : `${n} repeats`}
                </option>
              ))}
            </Choice>
            {data.feedback_for_wanted_percent > 0 ? (
              <>
                {signed(20 * Math.log10(data.feedback_for_wanted_percent / 100), 1)} dB:
                <Press
                  look="quiet"
                  onClick={() =>
                    change({
                      feedback_percent: Number(data.feedback_for_wanted_percent.toFixed(1)),
                    })
                  }
                >
                  {num(data.feedback_for_wanted_percent, 1)} %
                </Press>
              </>
            ) : (
              <Press look="quiet" onClick={() => change({ feedback_percent: 0 })}>
                no feedback
              </Press>
            )}
          </Box>
          <Box
            display="flex"
            flexWrap="wrap"
            gap="4px 18px"
            marginTop="6px"
            fontSize="14px"
            alignItems="center"
          >
            <span hidden={feedback === 0}>
              <Box as="span" color="ink2">
                RT60 of the train{" "}
              </Box>
              <Figure
                label="RT60"
                value={data.rt60_s === null ? "never" : num(data.rt60_s, 2)}
                unit={data.rt60_s === null ? "" : "s"}
              />
            </span>
            <Press look="quiet" aria-expanded={bands} onClick={() => setBands(!bands)}>
              {bands ? "Hide the bands" : "By band, with the loop's filter"}
            </Press>
          </Box>
          {bands && (
            <Box overflowX="auto">
              <Table>
                <thead>
                  <tr>
                    <Th textAlign="left">Hz</Th>
                    {data.bands.map((b) => (
                      <Th key={b.hz}>{num(b.hz, 0)}</Th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  <tr>
                    <Td textAlign="left" color="ink2" whiteSpace="nowrap">
                      loss a repeat, dB
                    </Td>
                    {data.bands.map((b) => (
                      <Td key={b.hz}>{num(b.loss_db, 2)}</Td>
                    ))}
                  </tr>
                  <tr>
                    <Td textAlign="left" color="ink2" whiteSpace="nowrap">
                      repeats above −{THRESHOLD_DB} dB
                    </Td>
                    {data.bands.map((b) => (
                      <Td key={b.hz}>{b.repeats ?? "never ends"}</Td>
                    ))}
                  </tr>
                </tbody>
              </Table>
            </Box>
          )}
          <HowComputed>{data.computed_how}</HowComputed>
        </>
      )}
    </Box>
  );
}

function SecondTime({ handle }: { handle: DelayHandle }) {
  const [draft, setDraft] = useState(handle.line.second ?? "");
  const commit = () => draft !== handle.line.second && handle.change({ second: draft.trim() });
  return (
    <TextInput
      value={draft}
      width="110px"
      placeholder={handle.line.value}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => event.key === "Enter" && commit()}
    />
  );
}

function Cut({
  label,
  value,
  onSet,
}: {
  label: string;
  value: number | null | undefined;
  onSet: (hz: number | null) => void;
}) {
  const stored = value ? String(value) : "";
  const [draft, setDraft] = useState<string | null>(null);
  const [bad, setBad] = useState("");
  const commit = async () => {
    if (draft === null || draft === stored) return;
    if (!draft.trim()) {
      onSet(null);
      return setDraft(null);
    }
    try {
      const read = await ask(
        api.POST("/api/v1/compute/quantity", { body: { kind: "frequency", text: draft } as never }),
      );
      onSet(read.value);
      setDraft(null);
      setBad("");
    } catch (fault) {
      setBad(sentenceOf(fault));
    }
  };
  return (
    <Labelled label={`${label}, Hz`}>
      <TextInput
        width="92px"
        placeholder="none"
        aria-invalid={bad ? true : undefined}
        title={bad || undefined}
        value={draft ?? stored}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={() => void commit()}
        onKeyDown={(event) => event.key === "Enter" && void commit()}
      />
      {bad && (
        <Box role="alert" color="diff" fontSize="13px" fontWeight="650" maxWidth="160px">
          {bad}
        </Box>
      )}
    </Labelled>
  );
}
