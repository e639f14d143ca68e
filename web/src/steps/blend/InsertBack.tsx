/** From an insert back to a dry and a wet path, and to every other law. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { limits } from "../../api/defaults.gen";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Answer } from "../../ui/Answer";
import { Figure, Notice, Press } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { RouteHandle } from "../../rigs/variants";
import { START, useKeptBlend } from "./kept";

const SLIDERS: SliderOf<Schemas["InsertRequest"]>[] = [
  {
    field: "mix_percent",
    label: "mix of the insert",
    low: 0,
    high: 100,
    step: 1,
    ticks: [0, 50, 100],
    shown: (v) => `${num(v, 0)} %`,
  },
  {
    field: "trim_db",
    label: "its trim",
    low: -24,
    high: 12,
    step: 0.1,
    ticks: [-24, -12, 0, 12],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "device_mix_percent",
    label: "device on the new path",
    low: 0,
    high: 100,
    step: 1,
    ticks: [0, 50, 100],
    shown: (v) => `${num(v, 0)} % wet`,
  },
];

/** The pair as a rig, with a reverb for the device. */
function asRig(out: Schemas["InsertOut"], p: number): string {
  const fader = (v: number | null) => (v === null ? -120 : Number(v.toFixed(2)));
  return (
    `in: source "Source" (stereo) > ways: split > dry: level "Dry" (level ${fader(out.set_dry_db)} dB) > ` +
    `sum: merge "Sum" > main: output "Main" (stereo)\n` +
    `ways > dev: reverb "Device" (mix ${p} %) > sum [level ${fader(out.set_wet_db)} dB]`
  );
}

export function useInsert() {
  const { kept, keep } = useKeptBlend();
  const insert = kept.insert!;
  const query = useQuery({
    queryKey: ["insert-back", insert],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) =>
      ask(api.POST("/api/v1/compute/insert-to-parallel", { body: insert, signal })),
  });
  return {
    insert,
    change: (more: Partial<typeof insert>) => keep({ insert: { ...insert, ...more } }),
    out: query.data,
    query,
  };
}

interface Props {
  i: ReturnType<typeof useInsert>;
  route: RouteHandle;
}

export function InsertBack({ i, route }: Props) {
  const { insert, change, out, query } = i;
  return (
    <>
      <Box display="flex" marginTop="4px">
        <Labelled label="law of the insert">
          <Choice value={insert.law} onChange={(event) => change({ law: event.target.value })}>
            {(out?.rows ?? []).map((r) => (
              <option key={r.law} value={r.law}>
                {r.name}
              </option>
            ))}
          </Choice>
        </Labelled>
      </Box>
      <Sliders
        of={SLIDERS}
        values={insert}
        onChange={change}
        rests={START.insert}
        limits={limits.InsertRequest}
      />
      {query.isError && <Notice kind="fault">{sentenceOf(query.error)}</Notice>}
      {out && (
        <>
          <Answer fault={!!out.impossible}>{out.sentence}</Answer>
          {!out.impossible && (
            <Box>
              Dry fader{" "}
              <Figure
                label="Dry fader"
                value={out.dry_db === null ? "off" : signed(out.dry_db, 2)}
                unit="dB"
                strong
              />
              , wet fader{" "}
              <Figure
                label="Wet fader"
                value={out.wet_db === null ? "off" : signed(out.wet_db, 2)}
                unit="dB"
                strong
              />
              .{" "}
              <Press
                look="quiet"
                onClick={() =>
                  void route.make("Blend: a pair", asRig(out, insert.device_mix_percent!))
                }
              >
                Make a rig of it and listen
              </Press>
            </Box>
          )}
          <Box overflowX="auto">
            <Table>
              <thead>
                <tr>
                  <Th textAlign="left">the same by</Th>
                  <Th>mix, %</Th>
                  <Th>trim, dB</Th>
                  <Th>nearest setting</Th>
                  <Th>null, dB</Th>
                </tr>
              </thead>
              <tbody>
                {out.rows.map((r) => (
                  <Box as="tr" key={r.law} background={r.law === insert.law ? "well" : undefined}>
                    <Td textAlign="left">{r.name}</Td>
                    <Td fontWeight="650">{num(r.mix_percent, 1)}</Td>
                    <Td fontWeight="650">{signed(r.trim_db, 2)}</Td>
                    <Td>
                      {num(r.set_mix_percent, 0)} %, {signed(r.set_trim_db, 1)} dB
                    </Td>
                    <Td color="diff">{r.null_db === null ? "exact" : num(r.null_db, 1)}</Td>
                  </Box>
                ))}
              </tbody>
            </Table>
          </Box>
        </>
      )}
    </>
  );
}
