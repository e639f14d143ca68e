/** Mix laws drawn together, and the insert that sounds as a pair of paths does. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { limits } from "../../api/defaults.gen";
import { LawChart } from "../../charts/LawChart";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Answer } from "../../ui/Answer";
import { HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import { SendTo } from "../../rigs/SendTo";
import type { RouteHandle } from "../../rigs/variants";
import { START, useKeptBlend } from "./kept";

const PAIR_SLIDERS: SliderOf<Schemas["BlendRequest"]>[] = [
  {
    field: "dry_db",
    label: "dry path",
    low: -40,
    high: 6,
    step: 0.5,
    ticks: [-40, -20, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "wet_db",
    label: "wet path",
    low: -40,
    high: 6,
    step: 0.5,
    ticks: [-40, -20, 0],
    shown: (v) => `${signed(v, 1)} dB`,
  },
  {
    field: "device_mix_percent",
    label: "device on it",
    low: 0,
    high: 100,
    step: 1,
    ticks: [0, 50, 100],
    shown: (v) => `${num(v, 0)} % wet`,
  },
  {
    field: "correlation",
    label: "correlation",
    low: -1,
    high: 1,
    step: 0.05,
    ticks: [-1, 0, 1],
    shown: (v) => signed(v, 2),
  },
];

export function useLaws() {
  const { kept, keep } = useKeptBlend();
  const pair = kept.pair!;
  const law = kept.law!;
  const query = useQuery({
    queryKey: ["mix-laws", pair],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/mix-laws", { body: pair, signal })),
  });
  const out = query.data;
  return {
    pair,
    law,
    setLaw: (chosen: string) => keep({ law: chosen }),
    change: (more: Partial<typeof pair>) => keep({ pair: { ...pair, ...more } }),
    out,
    row: out?.rows.find((r) => r.law === law),
    fault: query.error,
  };
}

type LawsHandle = ReturnType<typeof useLaws>;

export function LawPicture({ l }: { l: LawsHandle }) {
  const { pair, law, out, row, change } = l;
  return (
    <Box as="section" aria-label="Mix laws" minWidth="0">
      <SheetTitle about="level over the mix knob; thick: dry, wet and their sum">
        Mix laws
      </SheetTitle>
      {l.fault && (
        <Notice
          kind="fault"
          actions={<Press onClick={() => change(START.pair!)}>Begin again</Press>}
        >
          {sentenceOf(l.fault)}
        </Notice>
      )}
      {out && <LawChart out={out} law={law} mix={row?.mix_percent ?? null} />}
      <Sliders
        of={PAIR_SLIDERS}
        values={pair}
        onChange={change}
        rests={START.pair}
        limits={limits.BlendRequest}
      />
    </Box>
  );
}

export function SameInsert({ l, route }: { l: LawsHandle; route: RouteHandle }) {
  const { pair, law, setLaw, change, out, row } = l;
  return (
    <>
      {out && (
        <>
          <Answer fault={!out.exact}>{out.sentence}</Answer>
          {out.leak_db !== null && (
            <Notice kind="caution">
              At {num(pair.device_mix_percent!, 0)} % wet the device adds {signed(out.leak_db, 1)}{" "}
              dB to the dry sound: the fader no longer sets the wet alone. At 100 % it does.
            </Notice>
          )}
          <Box overflowX="auto">
            <Table>
              <thead>
                <tr>
                  <Th textAlign="left">law of the insert</Th>
                  <Th>mix, %</Th>
                  <Th>trim, dB</Th>
                  <Th>nearest setting</Th>
                  <Th>null, dB</Th>
                  <Th>sum at 50 %, dB</Th>
                </tr>
              </thead>
              <tbody>
                {out.rows.map((r) => (
                  <Box as="tr" key={r.law} background={r.law === law ? "well" : undefined}>
                    <Td textAlign="left">
                      <Press
                        look="quiet"
                        minHeight="24px"
                        aria-pressed={r.law === law}
                        onClick={() => setLaw(r.law)}
                      >
                        {r.name}
                      </Press>
                    </Td>
                    <Td fontWeight="650">{num(r.mix_percent, 1)}</Td>
                    <Td fontWeight="650">{signed(r.trim_db, 2)}</Td>
                    <Td>
                      {num(r.set_mix_percent, 0)} %, {signed(r.set_trim_db, 1)} dB
                    </Td>
                    <Td color="diff" fontWeight="650">
                      {!out.exact ? "none" : r.null_db === null ? "exact" : num(r.null_db, 1)}
                    </Td>
                    <Td>{atHalf(out, r.law)}</Td>
                  </Box>
                ))}
              </tbody>
            </Table>
          </Box>
        </>
      )}
      {row && out?.exact && <ToDevice route={route} row={row} />}
      <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="end" marginTop="10px">
        <Labelled label="steps of the mix">
          <Choice
            value={pair.mix_step_percent}
            onChange={(event) => change({ mix_step_percent: Number(event.target.value) })}
          >
            {[0.1, 0.5, 1, 2, 5, 10].map((v) => (
              <option key={v} value={v}>
                {v} %
              </option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="steps of the level">
          <Choice
            value={pair.level_step_db}
            onChange={(event) => change({ level_step_db: Number(event.target.value) })}
          >
            {[0.01, 0.1, 0.5, 1].map((v) => (
              <option key={v} value={v}>
                {v} dB
              </option>
            ))}
          </Choice>
        </Labelled>
        <Labelled label="wet comes later by">
          <Choice
            value={pair.latency_apart_ms}
            onChange={(event) => change({ latency_apart_ms: Number(event.target.value) })}
          >
            {[0, 0.5, 1, 2, 5, 10].map((v) => (
              <option key={v} value={v}>
                {v} ms
              </option>
            ))}
          </Choice>
        </Labelled>
        <label>
          <input
            type="checkbox"
            checked={pair.inverted}
            onChange={(event) => change({ inverted: event.target.checked })}
          />{" "}
          wet inverted
        </label>
        <label>
          <input
            type="checkbox"
            checked={!pair.linear}
            onChange={(event) => change({ linear: !event.target.checked })}
          />{" "}
          compresses or drives
        </label>
        <label>
          <input
            type="checkbox"
            checked={pair.moving}
            onChange={(event) => change({ moving: event.target.checked })}
          />{" "}
          modulated
        </label>
      </Box>
      <HowComputed>
        With a device that is p wet (linear law) on the wet path, dry sounds at D + W (1 − p) and
        wet at W p. The insert has the mix whose two gains stand in that ratio, and a trim for the
        rest. The null to expect takes dry and wet as unrelated and equally loud: 10 log((a² + b²) /
        (D² + W²)) with a and b what the steps leave over.
      </HowComputed>
    </>
  );
}

/** What a knob at 50 % makes of the level, under a law. */
function atHalf(out: Schemas["BlendOut"], law: string): string {
  const curve = out.laws.find((l) => l.law === law);
  const sum = curve?.sum_db[50];
  return sum == null ? "-" : signed(sum, 1);
}

/** Set a device of a rig to the insert that was found: its mix, its law, its output. */
function ToDevice({ route, row }: { route: RouteHandle; row: Schemas["EqualRow"] }) {
  const devices = Object.values(route.variant?.document.nodes ?? {}).filter(
    (n) => "mix_percent" in n && "mix_law" in n,
  );
  const [chosen, setChosen] = useState("");
  const device = devices.find((d) => d.id === chosen) ?? devices[0];
  if (!device) return null;
  const set = {
    mix_percent: row.set_mix_percent,
    mix_law: row.law,
    output_db: row.set_trim_db,
  };
  return (
    <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="6px">
      <Labelled label="device">
        <Choice value={device.id} onChange={(event) => setChosen(event.target.value)}>
          {devices.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name ?? d.kind}
            </option>
          ))}
        </Choice>
      </Labelled>
      <SendTo
        route={route}
        actions={[{ do: "set", node: device.id, values: set }]}
        label={`Set it in ${route.named} to ${num(row.set_mix_percent, 1)} % and ${signed(row.set_trim_db, 1)} dB`}
        said={`${device.name ?? device.kind} stands at ${num(row.set_mix_percent, 1)} %, ${signed(row.set_trim_db, 1)} dB.`}
      />
    </Box>
  );
}
