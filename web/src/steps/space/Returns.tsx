/** All returns of a rig together: order of arrivals, levels, low end, tails behind their stages. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { BandsChart } from "../../charts/BandsChart";
import { OrderChart } from "../../charts/OrderChart";
import { Figure, HowComputed, Notice, Press, SheetTitle } from "../../ui/controls";
import { msShort, num, signed } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { RouteHandle } from "../../rigs/variants";
import { nameOf } from "../../rigs/names";

const LOW_CUT_HZ = 150;

export function Returns({ route }: { route: RouteHandle }) {
  const { song } = useSongContext();
  const [place, setPlace] = useState<string | null>(null);
  const query = useQuery({
    queryKey: ["returns", route.id, route.variant?.revision, song.revision, place],
    enabled: !!route.variant,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/returns", {
          params: { path: { variant_id: route.id }, query: { place } },
          signal,
        }),
      ),
  });
  const out = query.data;
  const cuts = (out?.returns ?? []).filter((r) => r.low_cut_on ?? r.low_cut_rail);
  return (
    <Box as="section" aria-label="Returns" minWidth="0">
      <SheetTitle about="everything wet of a rig together, at its output">Returns</SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="end" marginTop="4px">
        {out && route.variant && out.places.length > 1 && (
          <Labelled label="where they meet">
            <Choice value={out.place} onChange={(event) => setPlace(event.target.value)}>
              {out.places.map((id) => (
                <option key={id} value={id}>
                  {nameOf(route.variant!, id)}
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
      </Box>
      {query.isError && <Notice kind="note">{sentenceOf(query.error)}</Notice>}
      {out && !query.isError && (
        <>
          <Box as="p" fontFamily="title" fontWeight="600" fontSize="17px" lineHeight="24px">
            {out.sentence}
          </Box>
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
              {out.order.map((said) => (
                <Box key={said} fontSize="13px">
                  {said}
                </Box>
              ))}
            </Box>
            <Box minWidth="0">
              <SheetTitle sub about="dB against dry; thin: each return">
                Low end
              </SheetTitle>
              <BandsChart out={out} />
              {out.low_lift_db !== null && (
                <Box fontSize="13px">
                  From 20 to 200 Hz the returns stand{" "}
                  {out.low_apart_db === null ? "silent" : `${signed(out.low_apart_db, 1)} dB`}{" "}
                  against dry and lift the whole by{" "}
                  <Figure label="Lift of the low end" value={num(out.low_lift_db, 1)} unit="dB" />.
                </Box>
              )}
            </Box>
          </Box>
          <Levels out={out} />
          <Box display="flex" flexWrap="wrap" gap="6px 12px" alignItems="center" marginTop="4px">
            <Box flex="1" minWidth="220px">
              Out of step {out.apart_db === null ? "-" : `${signed(out.apart_db, 1)} dB`}, in step
              at most {out.in_step_db === null ? "-" : `${signed(out.in_step_db, 1)} dB`}.
              {out.headroom_db !== null &&
                (out.headroom_db >= 0
                  ? ` With everything in step ${num(out.headroom_db, 1)} dB of headroom are left.`
                  : ` With everything in step the output's ceiling is passed by ${num(-out.headroom_db, 1)} dB.`)}
            </Box>
            {cuts.length > 0 && (
              <Press
                onClick={() =>
                  void route.send(
                    cuts.map((r) =>
                      r.low_cut_on
                        ? {
                            do: "set" as const,
                            node: r.low_cut_on,
                            values: { low_cut_hz: LOW_CUT_HZ },
                          }
                        : {
                            do: "insert" as const,
                            at: r.low_cut_rail!,
                            kind: "filter",
                            values: { low_cut_hz: LOW_CUT_HZ },
                            id: null,
                          },
                    ),
                    `${cuts.map((r) => r.name).join(", ")}: low cut at ${LOW_CUT_HZ} Hz.`,
                  )
                }
              >
                Low cut at {LOW_CUT_HZ} Hz on {cuts.map((r) => r.name).join(", ")}
              </Press>
            )}
          </Box>
          <HowComputed>{out.computed_how}</HowComputed>
        </>
      )}
    </Box>
  );
}

function Levels({ out }: { out: Schemas["ReturnsOut"] }) {
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

interface BehindProps {
  route: RouteHandle;
  gaps: Schemas["Gap"][];
  drop: number;
  onTake: (rt60_s: number) => void;
}

/** The rig's own reverb in the gaps, after everything that stands on its return. */
export function Behind({ route, gaps, drop, onTake }: BehindProps) {
  const { song } = useSongContext();
  const body = { gaps_s: gaps.map((g) => g.length_s), drop_db: drop, reverb: null };
  const query = useQuery({
    queryKey: ["tail", route.id, route.variant?.revision, song.revision, body],
    enabled: !!route.variant,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/tail", {
          params: { path: { variant_id: route.id } },
          body,
          signal,
        }),
      ),
  });
  const out = query.data;
  const rows = (out?.gaps ?? [])
    .map((g, i) => ({ ...g, i }))
    .sort((a, b) => b.tail_db - a.tail_db)
    .slice(0, 4);
  return (
    <Box as="section" aria-label="Behind the return" minWidth="0">
      <SheetTitle sub about="the rig's own reverb in these gaps, all stages of its return counted">
        Through the return
      </SheetTitle>
      {query.isError ? (
        <Box color="ink2">{sentenceOf(query.error)}</Box>
      ) : (
        out && (
          <>
            <Box>
              {out.name}: {num(out.rt60_s, 2)} s, {msShort(out.pre_delay_ms)} ms, its tail begins at{" "}
              {signed(out.start_db, 1)} dB against dry. {out.sentence}
            </Box>
            {rows.length > 0 && (
              <Table>
                <thead>
                  <tr>
                    <Th textAlign="left">gap</Th>
                    <Th>tail at entry, dB</Th>
                    <Th>undone, dB</Th>
                    <Th>longest RT60, s</Th>
                  </tr>
                </thead>
                <tbody>
                  {rows.map((g) => (
                    <Box as="tr" key={g.i} background={g.clear ? undefined : "cautionWash"}>
                      <Td textAlign="left" fontWeight="650">
                        {g.i + 1} to {g.i + 2}
                      </Td>
                      <Td color={g.clear ? undefined : "caution"}>{signed(g.tail_db, 1)}</Td>
                      <Td>{g.undone_db > 0.05 ? num(g.undone_db, 1) : "none"}</Td>
                      <Td>
                        {g.longest_rt60_s === null ? (
                          "none"
                        ) : (
                          <Press
                            look="quiet"
                            minHeight="22px"
                            aria-label={`Take ${num(g.longest_rt60_s, 2)} s behind the return`}
                            onClick={() => onTake(g.longest_rt60_s!)}
                          >
                            {num(g.longest_rt60_s, 2)}
                          </Press>
                        )}
                      </Td>
                    </Box>
                  ))}
                </tbody>
              </Table>
            )}
          </>
        )
      )}
    </Box>
  );
}
