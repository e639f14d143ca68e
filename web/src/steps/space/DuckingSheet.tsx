/** Room under the phrases: four ways to duck, run on the clip that is the key. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Frame, type Schemas, sentenceOf } from "../../api/client";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField } from "../../ui/QuantityField";

type Settings = Schemas["DuckingSettings"];
const START: Settings = {
  way: "key",
  depth_db: 6,
  attack_ms: 20,
  release_ms: 180,
  duck_percent: 50,
  pre_gain_db: 12,
  below_zero: false,
  period_s: 0.638,
  dip_shape: "ramp",
  threshold_db: -30,
  ratio: 4,
};
const WAYS: [Settings["way"], string][] = [
  ["key", "by so much while the key sounds"],
  ["envelope", "the key's envelope taken off the level"],
  ["compressor", "a compressor on the return, keyed"],
  ["shape", "a dip in every note value"],
];

const SCALES = {
  depth_db: {
    field: "depth_db",
    label: "depth",
    low: 0,
    high: 30,
    step: 0.5,
    ticks: [0, 10, 20, 30],
    shown: (v) => `${num(v, 1)} dB`,
  },
  duck_percent: {
    field: "duck_percent",
    label: "duck",
    low: 0,
    high: 200,
    step: 1,
    ticks: [0, 100, 200],
    shown: (v) => `${num(v, 0)} %`,
  },
  pre_gain_db: {
    field: "pre_gain_db",
    label: "pre-gain",
    low: -12,
    high: 48,
    step: 1,
    ticks: [-12, 0, 24, 48],
    shown: (v) => `${signed(v, 0)} dB`,
  },
  threshold_db: {
    field: "threshold_db",
    label: "threshold",
    low: -60,
    high: 0,
    step: 1,
    ticks: [-60, -30, 0],
    shown: (v) => `${signed(v, 0)} dBFS`,
  },
  ratio: {
    field: "ratio",
    label: "ratio",
    low: 1,
    high: 20,
    step: 0.5,
    ticks: [1, 4, 10, 20],
    shown: (v) => `${num(v, 1)}:1`,
  },
  attack_ms: {
    field: "attack_ms",
    label: "attack",
    low: 1,
    high: 200,
    step: 1,
    ticks: [1, 100, 200],
    shown: (v) => `${num(v, 0)} ms`,
  },
  release_ms: {
    field: "release_ms",
    label: "release",
    low: 10,
    high: 1500,
    step: 10,
    ticks: [10, 500, 1000, 1500],
    shown: (v) => `${num(v, 0)} ms`,
  },
} satisfies Record<string, SliderOf<Settings>>;
type Scale = keyof typeof SCALES;
const NEEDED: Record<NonNullable<Settings["way"]>, Scale[]> = {
  key: ["depth_db", "attack_ms", "release_ms"],
  envelope: ["duck_percent", "pre_gain_db", "attack_ms", "release_ms"],
  compressor: ["threshold_db", "ratio", "attack_ms", "release_ms"],
  shape: ["depth_db"],
};

export function useDucking(clip: string, phrases: Schemas["Phrase"][], frame: Frame) {
  const [on, setOn] = useState(false);
  const [settings, setSettings] = useState(START);
  const query = useQuery({
    queryKey: ["ducking", clip, phrases, settings],
    enabled: on && !!clip,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/ducking", {
          params: { path: { clip_id: clip } },
          body: { settings, phrases, nominal_dbfs: -20 },
          signal,
        }),
      ),
  });
  return {
    on,
    setOn,
    settings,
    frame,
    change: (more: Partial<Settings>) => setSettings((s) => ({ ...s, ...more })),
    data: query.data ?? null,
    fault: query.error,
  };
}

interface Props {
  duck: ReturnType<typeof useDucking>;
  frame: Frame;
  /** What the worst gap asks for, dB. */
  asked: number;
}

export function DuckingSheet({ duck, frame, asked }: Props) {
  const { on, setOn, settings: s, change, data } = duck;
  return (
    <Box as="section" aria-label="Ducking" minWidth="0">
      <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="baseline">
        <SheetTitle sub about="the clip is the key; the wet level is drawn under the tail">
          Ducking
        </SheetTitle>
        <Press
          look={on ? "primary" : "plain"}
          aria-pressed={on}
          hint="K"
          onClick={() => setOn(!on)}
        >
          {on ? "on" : "off"}
        </Press>
      </Box>
      {on && (
        <>
          <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="end" marginTop="4px">
            <Labelled label="way">
              <Choice
                value={s.way}
                onChange={(event) => change({ way: event.target.value as Settings["way"] })}
              >
                {WAYS.map(([id, words]) => (
                  <option key={id} value={id}>
                    {words}
                  </option>
                ))}
              </Choice>
            </Labelled>
            {s.way === "shape" && (
              <>
                <Box width="120px">
                  <QuantityField
                    label="one dip every"
                    kind="time"
                    frame={frame}
                    value={`${num(s.period_s! * 1000, 2)} ms`}
                    onCommit={(read) => change({ period_s: Math.max(0.02, read.value / 1000) })}
                  />
                </Box>
                <Labelled label="shape">
                  <Choice
                    value={s.dip_shape}
                    onChange={(event) =>
                      change({ dip_shape: event.target.value as Settings["dip_shape"] })
                    }
                  >
                    <option value="ramp">ramp</option>
                    <option value="exponential">exponential</option>
                    <option value="half-sine">half a sine</option>
                  </Choice>
                </Labelled>
              </>
            )}
            {s.way === "envelope" && (
              <label>
                <input
                  type="checkbox"
                  checked={s.below_zero}
                  onChange={(event) => change({ below_zero: event.target.checked })}
                />{" "}
                may go below zero
              </label>
            )}
          </Box>
          <Sliders
            of={NEEDED[s.way!].map((field) => SCALES[field])}
            values={s}
            onChange={change}
            alarms={{ duck_percent: 100 }}
          />
          {data && (
            <Box marginTop="4px">
              <Box as="strong" fontWeight="650">
                {data.sentence}
              </Box>{" "}
              <Box as="span" color="ink2">
                {data.recovery_s !== null &&
                  `Back to \u22123 dB ${num(data.recovery_s, 2)} s after a phrase. `}
                {asked > 0.05 && `The worst gap asks for ${num(asked, 1)} dB.`}
              </Box>
            </Box>
          )}
          {data?.inverted && (
            <Notice kind="caution">
              The wet level goes below zero: there its polarity is turned over.
            </Notice>
          )}
          {duck.fault && <Notice kind="fault">{sentenceOf(duck.fault)}</Notice>}
        </>
      )}
    </Box>
  );
}
