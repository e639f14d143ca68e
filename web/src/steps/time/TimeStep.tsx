/** Delay times: the ruler, what a device makes of them, their repeats and the rhythm they make. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { memo } from "react";
import { useParams } from "react-router";

import { api, ask, type Device, sentenceOf, type TimeRuler as Ruler } from "../../api/client";
import { useKey } from "../../ui/keys";
import { useSongContext } from "../../song/context";
import { FlamChart } from "../../charts/FlamChart";
import { TimeRuler } from "../../charts/TimeRuler";
import { Vernier } from "../../charts/Vernier";
import { Figure, Hint, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { ms, num, signed } from "../../ui/format";
import { useSteady } from "../../ui/hooks";
import { QuantityField } from "../../ui/QuantityField";
import { ToolFrame } from "../../ui/ToolFrame";
import { DelayPlan } from "./DelayPlan";
import { DevicePicker } from "../../devices/DevicePicker";
import { DeviceSheet } from "./DeviceSheet";
import { FromDelay } from "./FromDelay";
import { Lattice, useLattice } from "./Lattice";
import { Repeats, THRESHOLD_DB, useRepeats } from "./Repeats";
import { TakeSheet } from "./TakeSheet";
import { RateChoice } from "./RateChoice";
import { TempoMapSheet } from "./TempoMapSheet";
import { ToStage } from "./ToStage";
import { type DelayHandle, useDelay } from "./useDelay";
import { ValueSheet } from "./ValueSheet";

export default function TimeStep() {
  const { song, frame, section } = useSongContext();
  const { tool } = useParams();
  const handle = useDelay();
  const { line, change } = handle;
  const device = line.device ?? null;
  const ruler = useQuery({
    queryKey: ["ruler", frame, device, line.value],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/compute/time-ruler", {
          body: { frame, device, chosen: line.value },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
  const repeats = useRepeats(line).data;
  const lattice = useLattice(line).found.data;
  const choose = useSteady((value: string) => change({ value }));
  useRulerKeys(ruler.data, choose);
  const data = ruler.data;
  const sections = song.tempo_map.length;
  const setting = data?.setting;
  const picture = (
    <TimePicture
      {...{ handle, data, choose, fault: ruler.error, waiting: ruler.isPlaceholderData }}
    />
  );
  return (
    <ToolFrame
      scope="time"
      across
      title="Delay time"
      about="and what it makes"
      base={`/songs/${song.id}/time`}
      open={tool ?? (sections > 1 ? "map" : undefined)}
      groups={[
        {
          name: "One delay",
          picture,
          wide: true,
          tools: [
            {
              id: "repeats",
              name: "Repeats",
              answer: !repeats
                ? ""
                : repeats.count === null
                  ? "never dies"
                  : `${repeats.count} above \u2212${THRESHOLD_DB} dB`,
              kind: repeats?.runaway ? "caution" : "plain",
              panel: <Repeats handle={handle} barMs={data?.bar_ms ?? 2000} />,
            },
            {
              id: "lattice",
              name: "Lattice",
              answer: lattice ? `${lattice.filled} filled` : "",
              panel: <Lattice handle={handle} />,
            },
            {
              id: "error",
              name: "Error at each repeat",
              answer: !setting
                ? "no device"
                : data?.cannot
                  ? "cannot"
                  : `${signed(setting.error_ms, 3)} ms`,
              kind: data?.cannot ? "caution" : "plain",
              panel: data && <Drift ruler={data} device={device} />,
            },
            {
              id: "device",
              name: "Reach of the device",
              answer: device ? `to ${num(device.max_ms, 0)} ms` : "no device",
              panel: <DeviceSheet handle={handle} device={device} />,
            },
            {
              id: "table",
              name: "Table of values",
              answer: data ? `${data.notes.length}` : "",
              panel: <ValueSheet device={device} onChoose={choose} />,
            },
            {
              id: "from",
              name: "Tempo from a delay",
              answer: `${num(section.tempo_bpm, section.tempo_bpm % 1 ? 1 : 0)} BPM now`,
              panel: <FromDelay handle={handle} />,
            },
          ],
        },
        {
          name: "The tempo",
          picture: <SheetTitle page>Tempo</SheetTitle>,
          wide: true,
          tools: [
            {
              id: "map",
              name: "Tempo map",
              answer: sections > 1 ? `${sections} sections` : "one tempo",
              panel: <TempoMapSheet handle={handle} />,
            },
            { id: "take", name: "A take", answer: "early or late", panel: <TakeSheet /> },
          ],
        },
      ]}
    />
  );
}

interface PictureProps {
  handle: DelayHandle;
  data: Ruler | undefined;
  choose: (value: string) => void;
  fault: unknown;
  /** What is shown is of the tempo or the value before. */
  waiting: boolean;
}

/** The delay in hand: its name and device, every note value on one ruler, what can be set. */
function TimePicture({ handle, data, choose, fault, waiting }: PictureProps) {
  const { frame } = useSongContext();
  const { line, change } = handle;
  const device = line.device ?? null;
  return (
    <Box minWidth="0">
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="2px 20px">
        <SheetTitle page>Delay time</SheetTitle>
        <DelayPlan handle={handle} />
        <Box flex="1" />
        <Box
          display={{ base: "none", lg: "flex" }}
          gap="14px"
          alignItems="center"
          fontSize="13px"
          color="ink2"
        >
          <span>
            <Hint>[</Hint> <Hint>]</Hint> shorter, longer
          </span>
          <span>
            <Hint>D</Hint> dotted
          </span>
          <span>
            <Hint>I</Hint> triplet
          </span>
        </Box>
      </Box>
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="6px 12px" marginTop="2px">
        <Box width={{ base: "100%", sm: "150px" }}>
          <QuantityField
            label="Delay time, note value or ms"
            hideLabel
            kind="time"
            frame={frame}
            value={line.value}
            onCommit={(read) =>
              choose(read.note_value ?? `${Number(read.value.toPrecision(9))} ms`)
            }
          />
        </Box>
        <DevicePicker device={device} onChoose={(next) => change({ device: next })} />
        <RateChoice />
        <Box flex="1" />
        <ToStage handle={handle} />
      </Box>
      {fault !== null && (
        <Notice
          kind="fault"
          word="Not computed."
          actions={<Press onClick={() => choose("1/8.")}>Set to 1/8 dotted</Press>}
        >
          {sentenceOf(fault)}
        </Notice>
      )}
      {data && (
        <>
          <ReadingStrip ruler={data} onChoose={choose} waiting={waiting} />
          <TimeRuler ruler={data} device={device} onChoose={choose} />
          {device && !data.cannot && <Vernier ruler={data} device={device} />}
          <HowComputed>{data.computed_how}</HowComputed>
        </>
      )}
    </Box>
  );
}

function useRulerKeys(ruler: Ruler | undefined, choose: (id: string) => void) {
  const chosen = ruler?.chosen;
  const move = (by: number) => {
    if (!ruler || !chosen) return;
    const row = ruler.notes.filter(
      (n) => n.row === (chosen.row === "typed" ? "straight" : chosen.row),
    );
    const after =
      by > 0
        ? row.find((n) => n.ms > chosen.ms * 1.0001)
        : row.findLast((n) => n.ms < chosen.ms * 0.9999);
    if (after) choose(after.id);
  };
  const turn = (suffix: "." | "T") => {
    const base = chosen && /^(\d+\/\d+)([.T]?)$/.exec(chosen.id);
    if (base) choose(base[2] === suffix ? base[1]! : `${base[1]}${suffix}`);
  };
  useKey("time", "[", () => move(-1));
  useKey("time", "]", () => move(1));
  useKey("time", "D", () => turn("."));
  useKey("time", "I", () => turn("T"));
}

interface StripProps {
  ruler: Ruler;
  onChoose: (id: string) => void;
  waiting: boolean;
}

function ReadingStrip({ ruler, onChoose, waiting }: StripProps) {
  const { chosen, setting, cannot, next_best } = ruler;
  const cell = {
    paddingInline: "16px",
    paddingBlock: "3px",
    flex: "1 1 auto",
    textAlign: "center",
  } as const;
  return (
    <Box
      role="group"
      aria-label="Reading"
      aria-busy={waiting || undefined}
      fontStyle={waiting ? "italic" : undefined}
      background="ink"
      color="paper"
      display="flex"
      flexWrap="wrap"
      alignItems="baseline"
      paddingBlock="5px"
      marginTop="8px"
      marginBottom="6px"
      fontSize="17px"
      css={{ "& > * + *": { borderLeft: "1px solid", borderColor: "edge" } }}
    >
      <Box {...cell} fontFamily="title" fontWeight="600" textAlign="left" flex="0 1 auto">
        {chosen.name}
      </Box>
      <Box {...cell}>
        <Figure label="Delay" value={ms(chosen.ms)} unit="ms" />
      </Box>
      <Box {...cell}>
        <Figure label="Rate" value={num(chosen.hz, chosen.hz >= 100 ? 2 : 4)} unit="Hz" />
      </Box>
      <Box {...cell}>
        <Figure label="Samples" value={num(chosen.samples, 1)} unit="samples" />
      </Box>
      {cannot && (
        <Box {...cell} color="diffInv" fontWeight="650">
          {cannot}
          {next_best && (
            <>
              ; next best{" "}
              <Press
                look="quiet"
                color="inherit"
                minHeight="24px"
                fontSize="inherit"
                onClick={() => onChoose(next_best.id)}
              >
                {next_best.id}
              </Press>
            </>
          )}
        </Box>
      )}
      {setting && !cannot && (
        <>
          <Box {...cell}>
            <Box as="span" fontSize="14px">
              set{" "}
            </Box>
            <Figure label="Set to" value={String(Number(setting.set_ms.toFixed(4)))} unit="ms" />
          </Box>
          <Box {...cell} color={setting.in_reach ? "diffInv" : undefined}>
            <Box as="span" fontSize="14px">
              error{" "}
            </Box>
            <Figure
              label="Error"
              value={`${signed(setting.error_ms, 3)} ms, ${signed(setting.error_percent, 2)}`}
              unit="%"
            />
          </Box>
          <Box {...cell}>
            <Box as="span" fontSize="14px">
              after {setting.flam_ms.length} repeats{" "}
            </Box>
            <Figure
              label={`After ${setting.flam_ms.length} repeats`}
              value={num(Math.abs(setting.flam_ms.at(-1)!), 2)}
              unit={
                Math.abs(setting.error_ms) < 5e-7
                  ? "ms"
                  : setting.error_ms < 0
                    ? "ms early"
                    : "ms late"
              }
            />
          </Box>
        </>
      )}
    </Box>
  );
}

const Drift = memo(function Drift({ ruler, device }: { ruler: Ruler; device: Device | null }) {
  const { setting, chosen } = ruler;
  if (!device || !setting) {
    return (
      <Box>
        <Box paddingBlock="16px" color="ink2">
          Choose a device to see what it can be set to and how its error adds up.
        </Box>
      </Box>
    );
  }
  return (
    <Box minWidth="0">
      {setting.in_reach && <Box color="ink2">In ms from the grid; negative is early.</Box>}
      {setting.in_reach ? (
        <>
          <FlamChart flam={setting.flam_ms} />
          <Box as="p">{setting.sentence}</Box>
          <Box as="p" color="ink2" fontSize="13px">
            <Figure
              label="Error against a sixteenth"
              strong={false}
              value={signed(setting.error_of_sixteenth_percent, 2)}
              unit="% of a sixteenth"
            />
            . In whole samples:{" "}
            <Figure
              label="Whole samples"
              strong={false}
              value={num(chosen.nearest_samples, 0)}
              unit="samples"
            />
            ,{" "}
            <Figure
              label="Rounding error"
              strong={false}
              value={signed(chosen.rounding_error_us, 2)}
              unit="µs"
            />{" "}
            off,{" "}
            <Figure
              label="Drift"
              strong={false}
              value={signed(chosen.drift_ms_per_minute, 2)}
              unit="ms a minute"
            />
            .
          </Box>
        </>
      ) : (
        <Notice kind="caution">
          {setting.sentence} The nearest it can do is {Number(setting.set_ms.toFixed(4))} ms.
        </Notice>
      )}
    </Box>
  );
});
