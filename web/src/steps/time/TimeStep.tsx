/** Delay times: the ruler, what a device makes of them, their repeats and the rhythm they make. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { memo, useState } from "react";

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
import { SheetTabs } from "../../ui/SheetTabs";
import { DelayPlan } from "./DelayPlan";
import { DevicePicker } from "./DevicePicker";
import { DeviceSheet } from "./DeviceSheet";
import { FromDelay } from "./FromDelay";
import { Lattice } from "./Lattice";
import { Repeats } from "./Repeats";
import { TakeSheet } from "./TakeSheet";
import { RateChoice } from "./RateChoice";
import { TempoMapSheet } from "./TempoMapSheet";
import { ToStage } from "./ToStage";
import { useDelay } from "./useDelay";
import { ValueSheet } from "./ValueSheet";

type Sheet = "error" | "device" | "map" | "table" | "take";
const SHEETS: [Sheet, string][] = [
  ["error", "Error and tempo"],
  ["device", "Device"],
  ["map", "Tempo map"],
  ["table", "Table of values"],
  ["take", "A take"],
];

export default function TimeStep() {
  const { song, frame } = useSongContext();
  const handle = useDelay();
  const [sheet, setSheet] = useState<Sheet>(song.tempo_map.length > 1 ? "map" : "error");
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
  const choose = useSteady((value: string) => change({ value }));
  useRulerKeys(ruler.data, choose);
  const data = ruler.data;
  return (
    <Box>
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="4px 20px">
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
      <Box display="flex" flexWrap="wrap" alignItems="center" gap="6px 14px" marginTop="2px">
        <DevicePicker device={device} onChoose={(next) => change({ device: next })} />
        <RateChoice />
        <Box flex="1" />
        <ToStage handle={handle} />
        <Box width={{ base: "100%", sm: "190px" }}>
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
      </Box>
      {ruler.isError && (
        <Notice
          kind="fault"
          word="Not computed."
          actions={<Press onClick={() => choose("1/8.")}>Set to 1/8 dotted</Press>}
        >
          {sentenceOf(ruler.error)}
        </Notice>
      )}
      {data && (
        <>
          <ReadingStrip ruler={data} onChoose={choose} />
          <TimeRuler ruler={data} device={device} onChoose={choose} />
          {device && !data.cannot && <Vernier ruler={data} device={device} />}
          <HowComputed>{data.computed_how}</HowComputed>
          <Box
            display="grid"
            gridTemplateColumns={{
              base: "minmax(0, 1fr)",
              lg: "minmax(0, 1.85fr) minmax(0, 1fr)",
            }}
            gap="16px 28px"
            marginTop="8px"
          >
            <Lattice handle={handle} />
            <Repeats handle={handle} barMs={data.bar_ms} />
          </Box>
          <Box marginTop="14px" borderTop="1px solid" borderColor="ink" paddingTop="4px">
            <SheetTabs sheets={SHEETS} chosen={sheet} onChoose={setSheet} />
          </Box>
          {sheet === "error" && (
            <Box
              display="grid"
              gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
              gap="16px 28px"
            >
              <Drift ruler={data} device={device} />
              <FromDelay handle={handle} />
            </Box>
          )}
          {sheet === "device" && <DeviceSheet handle={handle} device={device} />}
          {sheet === "map" && <TempoMapSheet handle={handle} />}
          {sheet === "table" && <ValueSheet device={device} onChoose={choose} />}
          {sheet === "take" && <TakeSheet />}
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

function ReadingStrip({ ruler, onChoose }: { ruler: Ruler; onChoose: (id: string) => void }) {
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
      <Box as="section">
        <SheetTitle>Error at each repeat</SheetTitle>
        <Box paddingBlock="16px" color="ink2">
          Choose a device to see what it can be set to and how its error adds up.
        </Box>
      </Box>
    );
  }
  return (
    <Box as="section" minWidth="0">
      <SheetTitle about={setting.in_reach ? "ms from the grid, negative is early" : undefined}>
        Error at each repeat
      </SheetTitle>
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
