/** Room under the phrases: four ways to duck, run on the clip that is the key. */
import { Box } from "@chakra-ui/react";

import { api, ask, type Frame, type Schemas, sentenceOf } from "../../api/client";
import { duckingSettings, limits } from "../../api/defaults.gen";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { DuckChart } from "../../charts/DuckChart";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { SendTo } from "../../rigs/SendTo";
import { Worked } from "../../song/Worked";
import { Answer } from "../../ui/Answer";
import { announce, Figure, Notice, Press } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField } from "../../ui/QuantityField";
import type { RouteHandle } from "../../rigs/variants";
import { useStage } from "../../rigs/StagePick";
import type { Stage } from "../../rigs/stages";
import { duckerFrom, duckerTo } from "./stage";
import { type DuckingHandle, type Settings, SHORT } from "./useDucking";

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
  sensitivity_percent: {
    field: "sensitivity_percent",
    label: "sensitivity",
    low: 0,
    high: 400,
    step: 1,
    ticks: [0, 100, 200, 400],
    shown: (v) => `${num(v, 0)} %`,
  },
  follower_gain_db: {
    field: "follower_gain_db",
    label: "follower gain",
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
  envelope: ["sensitivity_percent", "follower_gain_db", "attack_ms", "release_ms"],
  compressor: ["threshold_db", "ratio", "attack_ms", "release_ms"],
  shape: ["depth_db"],
};

interface Props {
  duck: DuckingHandle;
  clips: Schemas["ClipOut"][];
  frame: Frame;
  /** What the worst gap asks for, dB. */
  asked: number;
  bar_s: number;
  route: RouteHandle;
}

export function DuckingSheet({ duck, clips, frame, asked, bar_s, route }: Props) {
  const { on, setOn, settings: s, change, data } = duck;
  const { stage, name, pick } = useStage(route, "ducker");
  return (
    <Box>
      <Box display="flex" flexWrap="wrap" gap="4px 14px" alignItems="baseline">
        <Box color="ink2">The wet level goes down under a key, and is drawn under the tail.</Box>
        <Press
          look={on ? "primary" : "plain"}
          aria-pressed={on}
          hint="U"
          onClick={() => setOn(!on)}
        >
          {on ? "on" : "off"}
        </Press>
        {pick}
        {stage && (
          <Press look="quiet" onClick={() => void load(duck, stage)}>
            Load {name} of {route.named}
          </Press>
        )}
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
            limits={limits.DuckingSettings}
            rests={duckingSettings}
            alarms={{ sensitivity_percent: 100 }}
          />
          {data && (
            <Box marginTop="4px">
              <Answer>{data.sentence}</Answer>
              <Worked seconds={data.seconds} />
              <Box as="span" color="ink2">
                {data.recovery_s !== null &&
                  `Back to \u22123 dB ${num(data.recovery_s, 2)} s after a phrase. `}
                {asked > 0.05 && `The worst gap asks for ${num(asked, 1)} dB.`}
              </Box>
            </Box>
          )}
          {data && <DuckChart data={data} bar_s={bar_s} />}
          {data && s.way === "envelope" && data.solved_follower_gain_db !== null && (
            <Box marginTop="2px">
              With a follower gain of{" "}
              <Figure
                label="Solved follower gain"
                value={signed(data.solved_follower_gain_db, 1)}
                unit="dB"
              />{" "}
              the envelope is full for a tenth of the phrases.{" "}
              <Press
                look="quiet"
                minHeight="24px"
                onClick={() => change({ follower_gain_db: data.solved_follower_gain_db! })}
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
            {stage && s.way !== "compressor" && (
              <SendTo
                route={route}
                actions={[{ do: "set", node: stage.id, values: duckerTo(s) }]}
                label={`Set ${name} of ${route.named}`}
                said={`${name} is set to it.`}
              />
            )}
            <Press onClick={() => route.make("Space: ducked reverb", duckedRig(s))}>
              Make a rig of it and listen
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

/** A ducker's settings taken over; its note value becomes a length at this tempo. */
async function load(duck: DuckingHandle, stage: Stage): Promise<void> {
  const text = (stage as unknown as { dip_time?: string }).dip_time;
  try {
    const read = text
      ? await ask(
          api.POST("/api/v1/compute/quantity", {
            body: { kind: "time", text, frame: duck.frame } as never,
          }),
        )
      : null;
    duck.change(duckerFrom(stage, read ? read.value / 1000 : null));
  } catch (fault) {
    announce(sentenceOf(fault), { kind: "fault" });
  }
}

/** A dry way beside a reverb that is ducked by it. */
function duckedRig(s: Settings): string {
  const stage =
    s.way === "compressor"
      ? `compressor "Keyed" (threshold ${s.threshold_db} dB, ratio ${s.ratio}, knee 0 dB, attack ${s.attack_ms} ms, release ${s.release_ms} ms)`
      : `ducker "Duck" (way ${s.way}, depth ${s.depth_db} dB, attack ${s.attack_ms} ms, release ${s.release_ms} ms, sensitivity ${s.sensitivity_percent} %, follower gain ${s.follower_gain_db} dB, dip shape ${s.dip_shape}, dip every ${s.period_s! * 1000} ms)`;
  return (
    `in: source "Source" (stereo) > ways: split > sum: merge "Sum" > main: output "Main" (stereo)\n` +
    `ways > hall: reverb "Hall" (mix 100 %) > duck: ${stage} > sum\nkey ways > duck`
  );
}
