/** What the device makes of every note value, what to tap, and what a change of time does. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Device, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { ink } from "../../ui/theme";
import { announce, Figure, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { msShort, num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { DelayHandle } from "./useDelay";

type Row = Schemas["ReachRow"];

export function DeviceSheet({ handle, device }: { handle: DelayHandle; device: Device | null }) {
  const { frame, song, section, edit } = useSongContext();
  const { line, change } = handle;
  const [repeats, setRepeats] = useState(8);
  const found = useQuery({
    queryKey: ["reach", frame, device, line.value, repeats],
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/device-reach", {
          body: { frame, device: device!, wanted: line.value, repeats },
        }),
      ),
    enabled: device !== null,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  if (!device)
    return <Box color="ink2">Choose a device above to see what it can and cannot do.</Box>;
  const data = found.data;
  return (
    <Box minWidth="0">
      {found.isError && (
        <Notice kind="fault" word="Not computed.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      {data && (
        <Box
          display="grid"
          gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1.6fr) minmax(0, 1fr)" }}
          gap="10px 24px"
        >
          <Box overflow="auto" maxHeight="560px" tabIndex={0}>
            <Table>
              <thead>
                <tr>
                  <Th textAlign="left">Value</Th>
                  <Th>ms</Th>
                  <Th textAlign="left">how to get it</Th>
                  <Th>error, ms</Th>
                  <Th>of a sixteenth</Th>
                  <Th>
                    at repeat{" "}
                    <Choice
                      aria-label="At which repeat"
                      width="auto"
                      value={repeats}
                      onChange={(event) => setRepeats(Number(event.target.value))}
                    >
                      {[2, 4, 8, 12, 16].map((n) => (
                        <option key={n}>{n}</option>
                      ))}
                    </Choice>
                  </Th>
                </tr>
              </thead>
              <tbody>
                {[data.wanted, ...data.rows.filter((r) => r.id !== data.wanted.id)].map((r, i) => (
                  <ReachLine
                    key={r.id}
                    row={r}
                    mine={i === 0}
                    onTake={(id) => change({ value: id })}
                  />
                ))}
              </tbody>
            </Table>
          </Box>
          <Box>
            <Box fontWeight="650">{data.sentence}</Box>
            {data.cannot.length > 0 && (
              <Box fontSize="14px" marginTop="4px">
                It cannot do {data.cannot.join(", ")}.
              </Box>
            )}
            {data.taps.length > 0 && (
              <Box as="ul" marginTop="6px" fontSize="14px">
                {data.taps.slice(0, 5).map((way) => (
                  <li key={way}>· {way}</li>
                ))}
              </Box>
            )}
            {data.count_in_bpm !== null && (
              <Box
                marginTop="6px"
                display="flex"
                flexWrap="wrap"
                gap="4px 10px"
                alignItems="center"
              >
                <span>
                  Exact at <Figure label="Count in" value={num(data.count_in_bpm, 2)} unit="BPM" />
                </span>
                <Press
                  onClick={() => {
                    const before = song.tempo_map;
                    edit({
                      tempo_map: [
                        { ...section, tempo_bpm: Number(data.count_in_bpm!.toFixed(3)) },
                        ...song.tempo_map.slice(1),
                      ],
                    });
                    announce("The song follows the device.", {
                      action: { word: "Undo", run: () => edit({ tempo_map: before }) },
                    });
                  }}
                >
                  Count in at this tempo
                </Press>
              </Box>
            )}
            {data.ratios_ms.length > 0 && (
              <Box fontSize="14px" marginTop="6px">
                Its fixed ratios echo at {data.ratios_ms.map((v) => msShort(v)).join(", ")} ms.
              </Box>
            )}
            <Facts device={device} />
            <Change handle={handle} device={device} />
            <HowComputed>{data.computed_how}</HowComputed>
          </Box>
        </Box>
      )}
    </Box>
  );
}

function ReachLine({
  row,
  mine,
  onTake,
}: {
  row: Row;
  mine: boolean;
  onTake: (id: string) => void;
}) {
  const share = Math.max(-50, Math.min(50, row.error_of_sixteenth_percent));
  return (
    <tr>
      <Td textAlign="left" fontWeight={mine ? 650 : 400}>
        <Press look="quiet" minHeight="24px" onClick={() => onTake(row.id)}>
          {row.id}
        </Press>
      </Td>
      <Td>{msShort(row.ms)}</Td>
      <Td textAlign="left" color={row.possible ? "ink" : "diff"}>
        {row.how}
        {row.next_best && (
          <>
            {"; next best "}
            <Press look="quiet" minHeight="24px" onClick={() => onTake(row.next_best!)}>
              {row.next_best}
            </Press>
          </>
        )}
      </Td>
      <Td>{row.possible ? signed(row.error_ms, 3) : ""}</Td>
      <Td whiteSpace="nowrap">
        {row.possible && (
          <Box display="inline-flex" alignItems="center" gap="6px">
            <svg width="54" height="12" aria-hidden>
              <line x1="0" x2="54" y1="11" y2="11" stroke={ink("edge")} />
              <line x1="27" x2="27" y1="2" y2="11" stroke={ink("ink")} />
              <rect
                x={Math.min(27, 27 + share / 2)}
                y="4"
                width={Math.abs(share) / 2}
                height="6"
                fill={ink("diff")}
              />
            </svg>
            {signed(row.error_of_sixteenth_percent, 1)} %
          </Box>
        )}
      </Td>
      <Td whiteSpace="nowrap">{row.possible ? `${signed(row.flam_ms, 2)} ms` : ""}</Td>
    </tr>
  );
}

function Facts({ device }: { device: Device }) {
  const said = [
    device.tap ? `taps: ${device.subdivisions.join(", ") || "the beat alone"}` : "no tap",
    device.clock
      ? `clocked, its ratio acting on the ${device.clock_acts_on}${device.free_max_ms ? `, free from ${device.free_min_ms ?? 0} to ${device.free_max_ms} ms` : ""}`
      : "no clock",
    `feedback ${device.feedback_min_percent} to ${device.feedback_max_percent} %`,
    device.blend === "mix"
      ? `mix ${device.mix_min_percent} to ${device.mix_max_percent} % in steps of ${device.mix_step_percent} %`
      : device.blend === "separate"
        ? "separate dry and wet levels"
        : "its dry sound can be cut",
    device.latency_ms ? `${device.latency_ms} ms latency` : "",
    device.trails ? "trails on bypass" : "trails cut on bypass",
    device.hold
      ? `hold input${device.hold_volts !== null && device.hold_volts !== undefined ? ` at ${device.hold_volts} V` : ""}`
      : "",
    device.insert_modes ? `insert in the loop in ${device.insert_modes}` : "",
    device.knob_moves ? `one knob moves ${device.knob_moves}` : "",
  ].filter(Boolean);
  return (
    <Box fontSize="13px" color="ink2" marginTop="8px">
      {said.join("; ")}.
    </Box>
  );
}

/** What is heard when the time is changed while it sounds. */
function Change({ handle, device }: { handle: DelayHandle; device: Device }) {
  const { frame } = useSongContext();
  const others = handle.delays.filter((_, i) => i !== handle.at);
  const [to, setTo] = useState(others[0]?.value ?? "1/4");
  const [ramp, setRamp] = useState(250);
  const found = useQuery({
    queryKey: ["glide", frame, handle.line.value, to, ramp],
    queryFn: async () => {
      const read = (text: string) =>
        ask(api.POST("/api/v1/compute/quantity", { body: { kind: "time", text, frame } }));
      const [a, b] = await Promise.all([read(handle.line.value), read(to)]);
      return ask(
        api.POST("/api/v1/compute/glide", {
          body: { from_ms: a.value, to_ms: b.value, ramp_ms: ramp },
        }),
      );
    },
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  return (
    <Box marginTop="10px">
      <SheetTitle
        sub
        about={
          device.on_change === "glide"
            ? "this device glides: the pitch bends"
            : device.on_change === "crossfade"
              ? "this device crossfades: no bend"
              : "this device jumps: a click, no bend"
        }
      >
        Changed while sounding
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="flex-start" marginTop="4px">
        <QuantityField
          label={`From ${handle.line.value} to`}
          kind="time"
          frame={frame}
          width="120px"
          value={to}
          onCommit={(read, text) => setTo(read.note_value ?? text)}
        />
        <Labelled label="over, ms">
          <Choice
            width="auto"
            value={ramp}
            onChange={(event) => setRamp(Number(event.target.value))}
          >
            {[50, 100, 250, 500, 1000, 2000].map((n) => (
              <option key={n}>{n}</option>
            ))}
          </Choice>
        </Labelled>
      </Box>
      <Box fontSize="14px">
        {found.isError ? sentenceOf(found.error) : found.data?.sentence}
        {device.on_change !== "glide" && found.data && " (if it glided)"}
      </Box>
    </Box>
  );
}
