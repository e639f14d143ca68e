/** Every note value as a table, for those who want one; and the clock that makes it. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Device, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { copyText, Figure, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { ms, num, signed } from "../../ui/format";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";
import { saveAs } from "../../ui/sound";
import { Table, Td, Th } from "../../ui/table";

type Row = Schemas["TableRow"];

const COLUMNS: [string, (row: Row) => string][] = [
  ["note value", (r) => r.reading.id],
  ["name", (r) => r.reading.name],
  ["ms", (r) => String(Number(r.reading.ms.toFixed(6)))],
  ["Hz", (r) => String(Number(r.reading.hz.toFixed(6)))],
  ["samples", (r) => String(Number(r.reading.samples.toFixed(4)))],
  ["nearest sample", (r) => String(r.reading.nearest_samples)],
  ["rounding us", (r) => r.reading.rounding_error_us.toFixed(3)],
  ["drift ms per minute", (r) => r.reading.drift_ms_per_minute.toFixed(5)],
  ["bars", (r) => String(Number(r.bars.toFixed(6)))],
  ["set ms", (r) => (r.setting?.in_reach ? String(r.setting.set_ms) : "")],
  ["error ms", (r) => (r.setting?.in_reach ? r.setting.error_ms.toFixed(4) : "")],
];

function written(rows: Row[], between: string): string {
  const cell = (text: string) =>
    between === "," && /[",]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  return [
    COLUMNS.map(([name]) => name),
    ...rows.map((row) => COLUMNS.map(([, value]) => value(row))),
  ]
    .map((line) => line.map(cell).join(between))
    .join("\n");
}

export function ValueSheet({
  device,
  onChoose,
}: {
  device: Device | null;
  onChoose: (id: string) => void;
}) {
  const { frame } = useSongContext();
  const [modifier, setModifier] = useState("straight");
  const [tuplet, setTuplet] = useState("");
  const found = useQuery({
    queryKey: ["value-table", frame, device, tuplet],
    queryFn: () =>
      ask(
        api.POST("/api/v1/compute/value-table", {
          body: { frame, device, tuplets: tuplet ? [tuplet] : [] },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const all = found.data?.rows ?? [];
  const names = [...new Set(all.map((r) => r.modifier))];
  const chosen = names.includes(modifier) ? modifier : "straight";
  const rows = all.filter((r) => r.modifier === chosen);
  return (
    <Box minWidth="0">
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="end">
        <SheetTitle sub about="at the tempo of the first section">
          Every value
        </SheetTitle>
        <Choice
          aria-label="Kind of value"
          width="auto"
          value={chosen}
          onChange={(event) => setModifier(event.target.value)}
        >
          {names.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </Choice>
        <Labelled label="Any ratio, n:m">
          <TextInput
            width="90px"
            placeholder="7:4"
            onBlur={(event) => {
              setTuplet(event.target.value.trim());
              if (event.target.value.trim()) setModifier(event.target.value.trim());
            }}
            onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          />
        </Labelled>
        <Press look="quiet" onClick={() => void copyText(written(all, "\t"))}>
          Copy all
        </Press>
        <Press
          look="quiet"
          onClick={() =>
            saveAs(new Blob([written(all, ",")], { type: "text/csv" }), "note values.csv")
          }
        >
          Save as CSV
        </Press>
      </Box>
      {found.isError && (
        <Notice kind="fault" word="Not computed.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      <Box overflowX="auto">
        <Table>
          <thead>
            <tr>
              <Th textAlign="left">Value</Th>
              <Th>ms</Th>
              <Th>Hz</Th>
              <Th>samples</Th>
              <Th>rounding, µs</Th>
              <Th>drift, ms a minute</Th>
              <Th>bars</Th>
              {device && <Th>set, ms</Th>}
              {device && <Th>error, ms</Th>}
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.reading.id}>
                <Td textAlign="left">
                  <Press look="quiet" onClick={() => onChoose(r.reading.id)}>
                    {r.reading.id}
                  </Press>
                </Td>
                <Td>
                  <Figure label={r.reading.id} value={ms(r.reading.ms)} unit="ms" />
                </Td>
                <Td>{num(r.reading.hz, r.reading.hz >= 100 ? 2 : 4)}</Td>
                <Td>{num(r.reading.samples, 1)}</Td>
                <Td>{signed(r.reading.rounding_error_us, 2)}</Td>
                <Td>{signed(r.reading.drift_ms_per_minute, 4)}</Td>
                <Td>{num(r.bars, 3)}</Td>
                {device && (
                  <Td>
                    {r.setting?.in_reach ? Number(r.setting.set_ms.toFixed(3)) : "out of reach"}
                  </Td>
                )}
                {device && <Td>{r.setting?.in_reach ? signed(r.setting.error_ms, 3) : ""}</Td>}
              </tr>
            ))}
          </tbody>
        </Table>
      </Box>
      <Clock />
      {found.data && <HowComputed>{found.data.computed_how}</HowComputed>}
    </Box>
  );
}

function Clock() {
  const { frame } = useSongContext();
  const [ppqn, setPpqn] = useState(24);
  const [multiply, setMultiply] = useState(1);
  const [divide, setDivide] = useState(18);
  const found = useQuery({
    queryKey: ["clock", frame, ppqn, multiply, divide],
    queryFn: () =>
      ask(api.POST("/api/v1/compute/clock", { body: { frame, ppqn, multiply, divide } })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const whole = (label: string, value: number, set: (n: number) => void, most: number) => (
    <Labelled label={label}>
      <TextInput
        type="number"
        min={1}
        max={most}
        width="84px"
        value={value}
        onChange={(event) => {
          const n = Math.round(Number(event.target.value));
          if (n >= 1 && n <= most) set(n);
        }}
      />
    </Labelled>
  );
  return (
    <Box marginTop="12px">
      <SheetTitle sub about="a pulse train, multiplied and divided">
        Clock
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        {whole("Pulses a quarter", ppqn, setPpqn, 960)}
        {whole("Multiply by", multiply, setMultiply, 64)}
        {whole("Divide by", divide, setDivide, 9600)}
        {found.data && (
          <Box fontSize="15px" paddingBottom="6px">
            a pulse every <Figure label="Clock out" value={ms(found.data.out_ms)} unit="ms" />
            {found.data.note ? `, a ${found.data.note}` : ", no note value"}
          </Box>
        )}
      </Box>
      {found.data && found.data.ways.length > 0 && (
        <Box fontSize="13px" color="ink2" marginTop="4px">
          With this clock: {found.data.ways.join("; ")}.
        </Box>
      )}
    </Box>
  );
}
