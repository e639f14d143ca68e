/** Room under the phrases: four ways to duck, run on the clip that is the key. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Frame, type Schemas, sentenceOf } from "../../api/client";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { DuckChart } from "../../charts/DuckChart";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { announce, Figure, Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField } from "../../ui/QuantityField";
import type { RouteHandle } from "../../rigs/variants";

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

const SHORT: Record<NonNullable<Settings["way"]>, string> = {
  key: "by the key",
  envelope: "by the envelope",
  compressor: "by a compressor",
  shape: "by a shape",
};

const duckersOf = (route: RouteHandle) =>
  Object.values(route.variant?.document.nodes ?? {}).filter((n) => n.kind === "ducker");

/** To the rig's own ducker, or as a rig with a reverb that is ducked. */
function send(route: RouteHandle, s: Settings) {
  const ducker = duckersOf(route)[0];
  if (ducker && s.way !== "compressor")
    return route.send(
      [
        {
          do: "set",
          node: ducker.id,
          values: {
            way: s.way!,
            depth_db: s.depth_db!,
            attack_ms: s.attack_ms!,
            release_ms: s.release_ms!,
            duck_percent: s.duck_percent!,
            pre_gain_db: s.pre_gain_db!,
            below_zero: s.below_zero!,
            dip_shape: s.dip_shape!,
            dip_time: `${s.period_s! * 1000} ms`,
          },
        },
      ],
      `${ducker.name ?? "The ducker"} is set to it.`,
    );
  const stage =
    s.way === "compressor"
      ? `compressor "Keyed" (threshold ${s.threshold_db} dB, ratio ${s.ratio}, knee 0 dB, attack ${s.attack_ms} ms, release ${s.release_ms} ms)`
      : `ducker "Duck" (way ${s.way}, depth ${s.depth_db} dB, attack ${s.attack_ms} ms, release ${s.release_ms} ms, duck ${s.duck_percent} %, pre-gain ${s.pre_gain_db} dB, dip shape ${s.dip_shape}, dip every ${s.period_s! * 1000} ms)`;
  return route.make(
    "Space: ducked reverb",
    `in: source "Source" (stereo) > ways: split > sum: merge "Sum" > main: output "Main" (stereo)\n` +
      `ways > hall: reverb "Hall" (mix 100 %) > duck: ${stage} > sum\nkey ways > duck`,
  );
}

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

interface Around {
  space: Schemas["KeptSpace"];
  change: (more: Partial<Schemas["KeptSpace"]>) => void;
  pre_delay_s: number;
}

/** Ducking over the clip; its settings are kept with the song's reverb. */
export function useDucking(
  clip: string,
  phrases: Schemas["Phrase"][],
  frame: Frame,
  { space, change, pre_delay_s }: Around,
) {
  const on = space.ducking_on ?? false;
  const settings: Settings = { ...START, ...(space.ducking ?? {}) };
  const [key, setKey] = useState("");
  const [keyDb, setKeyDb] = useState(0);
  const query = useQuery({
    queryKey: [
      "ducking",
      clip,
      phrases,
      settings,
      key,
      keyDb,
      space.rt60_s,
      pre_delay_s,
      space.start_db,
    ],
    enabled: on && !!clip,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/ducking", {
          params: { path: { clip_id: clip } },
          body: {
            settings,
            phrases,
            nominal_dbfs: -20,
            key: key || null,
            key_db: keyDb,
            tail: { rt60_s: space.rt60_s!, pre_delay_s, start_db: space.start_db! },
          },
          signal,
        }),
      ),
  });
  const fit = useMutation({
    mutationFn: (way: NonNullable<Settings["way"]>) =>
      ask(
        api.POST("/api/v1/clips/{clip_id}/ducking-fit", {
          params: { path: { clip_id: key || clip } },
          body: { target: settings, way, nominal_dbfs: -20, key_db: keyDb },
        }),
      ),
    onSuccess: (found) =>
      change({
        ducking: found.settings,
        ducking_said: `Made like ${SHORT[settings.way!].replace("by ", "what was set by ")}. ${found.sentence}`,
      }),
    onError: (fault) => announce(sentenceOf(fault), { kind: "fault" }),
  });
  return {
    on,
    setOn: (ducking_on: boolean) => change({ ducking_on, ducking: space.ducking ?? settings }),
    settings,
    frame,
    key,
    setKey,
    keyDb,
    setKeyDb,
    fit,
    said: space.ducking_said ?? "",
    change: (more: Partial<Settings>) =>
      change({ ducking: { ...settings, ...more }, ducking_on: true, ducking_said: "" }),
    data: query.data ?? null,
    fault: query.error,
  };
}

interface Props {
  duck: ReturnType<typeof useDucking>;
  clips: Schemas["ClipOut"][];
  frame: Frame;
  /** What the worst gap asks for, dB. */
  asked: number;
  bar_s: number;
  route: RouteHandle;
}

export function DuckingSheet({ duck, clips, frame, asked, bar_s, route }: Props) {
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
          hint="U"
          onClick={() => setOn(!on)}
        >
          {on ? "on" : "off"}
        </Press>
      </Box>
      {on && (
        <>
          <Box display="flex" flexWrap="wrap" gap="8px 26px" alignItems="start" marginTop="4px">
            <Labelled label="key">
              <Choice
                value={duck.key}
                maxWidth="170px"
                onChange={(event) => duck.setKey(event.target.value)}
              >
                <option value="">this clip</option>
                {clips.map((c) => (
                  <option key={c.id} value={c.id}>
                    {c.name}
                  </option>
                ))}
              </Choice>
            </Labelled>
            <Box width="130px">
              <ScaleSlider
                label="tapped at"
                value={duck.keyDb}
                low={-24}
                high={24}
                step={1}
                ticks={[-24, 0, 24]}
                shown={(v) => `${signed(v, 0)} dB`}
                onChange={duck.setKeyDb}
              />
            </Box>
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
          {data && <DuckChart data={data} bar_s={bar_s} />}
          {data && s.way === "envelope" && data.solved_pre_gain_db !== null && (
            <Box marginTop="2px">
              With a pre-gain of{" "}
              <Figure
                label="Solved pre-gain"
                value={signed(data.solved_pre_gain_db, 1)}
                unit="dB"
              />{" "}
              the envelope is full for a tenth of the phrases.{" "}
              <Press
                look="quiet"
                minHeight="24px"
                onClick={() => change({ pre_gain_db: data.solved_pre_gain_db! })}
              >
                Take it
              </Press>
            </Box>
          )}
          <Box display="flex" flexWrap="wrap" gap="6px 12px" alignItems="center" marginTop="6px">
            <Box as="span" fontSize="13px" color="ink2">
              the same movement, as near as it comes:
            </Box>
            {WAYS.filter(([id]) => id !== s.way).map(([id]) => (
              <Press
                key={id}
                look="quiet"
                disabled={duck.fit.isPending}
                onClick={() => duck.fit.mutate(id!)}
              >
                {SHORT[id!]}
              </Press>
            ))}
            <Press onClick={() => void send(route, s)}>
              {duckersOf(route).length ? "Send to the rig's ducker" : "Make a rig of it and listen"}
            </Press>
          </Box>
          {duck.said && (
            <Box fontSize="13px" marginTop="2px">
              {duck.said}
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
