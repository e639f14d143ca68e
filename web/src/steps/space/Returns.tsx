/** All returns of a rig together: order of arrivals, levels, low end, tails behind their stages. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { BandsChart } from "../../charts/BandsChart";
import { OrderChart } from "../../charts/OrderChart";
import { SendTo } from "../../rigs/SendTo";
import { Answer } from "../../ui/Answer";
import { Empty, Figure, HowComputed, Notice, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { RouteHandle } from "../../rigs/variants";
import { nameOf } from "../../rigs/names";

const LOW_CUT_HZ = 150;

export function useReturns(route: RouteHandle) {
  const { song } = useSongContext();
  const [place, setPlace] = useState<{ of: string; place: string } | null>(null);
  const at = place?.of === route.id ? place.place : null;
  const query = useQuery({
    queryKey: ["returns", route.id, route.variant?.revision, song.revision, at],
    enabled: !!route.variant,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/returns", {
          params: { path: { variant_id: route.id }, query: { place: at } },
          signal,
        }),
      ),
  });
  return {
    route,
    out: query.isError || !route.id ? undefined : query.data,
    fault: query.error,
    setPlace: (next: string) => setPlace({ of: route.id, place: next }),
  };
}

export type ReturnsHandle = ReturnType<typeof useReturns>;

/** Order of arrivals and low end of everything wet, at the place where it meets. */
export function ReturnsPicture({ r }: { r: ReturnsHandle }) {
  const { out, route } = r;
  if (r.fault) return <Notice kind="note">{sentenceOf(r.fault)}</Notice>;
  if (!out) return <Empty>Begin a rig under Route: its returns stand here.</Empty>;
  return (
    <Box>
      {route.variant && out.places.length > 1 && (
        <Box width="200px">
          <Labelled label="where they meet">
            <Choice value={out.place} onChange={(event) => r.setPlace(event.target.value)}>
              {out.places.map((id) => (
                <option key={id} value={id}>
                  {nameOf(route.variant!, id)}
                </option>
              ))}
            </Choice>
          </Labelled>
        </Box>
      )}
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        gap="10px 28px"
      >
        <Box minWidth="0">
          <SheetTitle sub about="dB against the strongest dry arrival">
            Order of arrivals
          </SheetTitle>
          <OrderChart out={out} />
        </Box>
        <Box minWidth="0">
          <SheetTitle sub about="dB against dry; thin: each return">
            Low end
          </SheetTitle>
          <BandsChart out={out} />
        </Box>
      </Box>
    </Box>
  );
}

/** What all returns add up to, and what a low cut on them saves. */
export function WholeReturns({ r }: { r: ReturnsHandle }) {
  const { out, route } = r;
  if (!out) return null;
  const cuts = out.returns.filter((one) => one.low_cut_on ?? one.low_cut_rail);
  const names = cuts.map((one) => one.name).join(", ");
  return (
    <Box>
      <Answer>{out.sentence}</Answer>
      {out.low_lift_db !== null && (
        <Box>
          From 20 to 200 Hz the returns stand{" "}
          {out.low_apart_db === null ? "silent" : `${signed(out.low_apart_db, 1)} dB`} against dry
          and lift the whole by{" "}
          <Figure label="Lift of the low end" value={num(out.low_lift_db, 1)} unit="dB" />.
        </Box>
      )}
      <Box marginBlock="4px">
        Out of step {out.apart_db === null ? "-" : `${signed(out.apart_db, 1)} dB`}, in step at most{" "}
        {out.in_step_db === null ? "-" : `${signed(out.in_step_db, 1)} dB`}.
        {out.headroom_db !== null &&
          (out.headroom_db >= 0
            ? ` With everything in step ${num(out.headroom_db, 1)} dB of headroom are left.`
            : ` With everything in step the output's ceiling is passed by ${num(-out.headroom_db, 1)} dB.`)}
      </Box>
      {out.order.map((said) => (
        <Box key={said} fontSize="13px" color="ink2">
          {said}
        </Box>
      ))}
      {cuts.length > 0 && (
        <Box marginTop="6px">
          <SendTo
            route={route}
            actions={cuts.map((one) =>
              one.low_cut_on
                ? { do: "set" as const, node: one.low_cut_on, values: { low_cut_hz: LOW_CUT_HZ } }
                : {
                    do: "insert" as const,
                    at: one.low_cut_rail!,
                    kind: "filter",
                    values: { low_cut_hz: LOW_CUT_HZ },
                    id: null,
                  },
            )}
            label={`Low cut at ${LOW_CUT_HZ} Hz on ${names} of ${route.named}`}
            said={`${names}: low cut at ${LOW_CUT_HZ} Hz.`}
          />
        </Box>
      )}
      <HowComputed>{out.computed_how}</HowComputed>
    </Box>
  );
}

export function Levels({ r: { out } }: { r: ReturnsHandle }) {
  if (!out) return null;
  return (
    <Box overflowX="auto" marginTop="6px">
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">input</Th>
            <Th>level, dB</Th>
            <Th>low end, dB</Th>
            <Th>whole if muted, dB</Th>
            <Th>one more like it, dB</Th>
            <Th>150 Hz cut saves, dB</Th>
          </tr>
        </thead>
        <tbody>
          {out.returns.map((r) => (
            <tr key={r.id}>
              <Td textAlign="left" fontWeight="650">
                {r.name}{" "}
                <Box as="span" color={r.wet ? "wet" : "ink2"} fontWeight="400">
                  {r.wet ? "wet" : "dry"}
                </Box>
              </Td>
              <Td>{signed(r.level_db, 1)}</Td>
              <Td>{signed(r.low_db, 1)}</Td>
              <Td>{signed(r.muted_db, 1)}</Td>
              <Td>{signed(r.twice_db, 1)}</Td>
              <Td>{r.low_cut_saves_db < -0.05 ? num(-r.low_cut_saves_db, 1) : "-"}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Box>
  );
}
