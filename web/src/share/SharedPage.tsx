/** What a stranger sees by a link: read-only, without an account. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";

import { api, ask, sentenceOf } from "../api/client";
import { ProofSheet } from "../charts/ProofSheet";
import { Paper } from "../stage/Paper";
import { Notice, Press, SheetTitle, Waiting } from "../ui/controls";
import { exact, num } from "../ui/format";
import { useKey } from "../ui/keys";
import { Mark } from "../ui/Mark";
import { fontsLoaded } from "../ui/measure";
import { Choice } from "../ui/QuantityField";
import { runsOut, type Shared } from "./sharing";
import { Sound } from "./Sound";

export default function SharedPage() {
  const { token = "" } = useParams();
  const shared = useQuery({
    queryKey: ["shared", token],
    queryFn: () => ask(api.GET("/api/v1/shared/{token}", { params: { path: { token } } })),
    retry: false,
  });
  useKey("proof", "P", () => window.print());
  if (shared.isPending) return <Waiting />;
  if (shared.isError)
    return (
      <Box as="main" padding="24px" maxWidth="640px">
        <Mark />
        <Notice kind="fault" word="Nothing is here.">
          {shared.error &&
          "problem" in shared.error &&
          (shared.error.problem as { status: number }).status === 404
            ? "This link is not right, has run out, or was taken back. Ask whoever gave it to you."
            : sentenceOf(shared.error)}
        </Notice>
      </Box>
    );
  return <Seen shared={shared.data} token={token} asked={shared.dataUpdatedAt} />;
}

function Seen({ shared, token, asked }: { shared: Shared; token: string; asked: number }) {
  return (
    <Box
      maxWidth="1100px"
      marginInline="auto"
      paddingInline={{ base: "12px", sm: "20px" }}
      paddingBottom="60px"
    >
      <Box
        as="header"
        data-no-print
        display="flex"
        flexWrap="wrap"
        alignItems="center"
        gap="4px 16px"
        paddingBlock="10px"
        borderBottom="1.5px solid"
        borderColor="ink"
      >
        <Mark />
        <Box flex="1" color="ink2" minWidth="180px">
          Shared{shared.by && ` by ${shared.by}`}, to be looked at;{" "}
          {runsOut(shared.expires_at, asked)}
        </Box>
        {shared.kind !== "song" && (
          <Press hint="P" onClick={() => window.print()}>
            Print
          </Press>
        )}
      </Box>
      <Box as="main" paddingTop="12px">
        {shared.kind === "song" && <Song shared={shared} />}
        {shared.renders.length > 0 && (
          <Box as="section" aria-label="To hear" marginBlock="14px" maxWidth="640px" data-no-print>
            <SheetTitle about="begins quietly, never louder than it is">To hear</SheetTitle>
            {shared.renders.map((r) => (
              <Sound
                key={r.id}
                url={`/api/v1/shared/${token}/renders/${r.id}`}
                title={r.title}
                seconds={r.seconds}
                peakDbfs={r.peak_dbfs}
              />
            ))}
          </Box>
        )}
        {shared.variants.length > 0 && <Sheets shared={shared} token={token} />}
        {shared.proof && <ProofSheet proof={shared.proof} />}
      </Box>
    </Box>
  );
}

function Song({ shared }: { shared: Shared }) {
  return (
    <Box data-no-print>
      <Box
        as="h1"
        fontFamily="title"
        fontSize="30px"
        lineHeight="36px"
        fontWeight="600"
        overflowWrap="anywhere"
      >
        {shared.title}
      </Box>
      <Box color="ink2">{shared.players}</Box>
      <Box display="flex" flexWrap="wrap" gap="14px 40px" marginTop="10px">
        <Box as="section" aria-label="Tempo" minWidth="220px">
          <SheetTitle sub>Tempo</SheetTitle>
          {shared.tempo_map.map((s, n) => (
            <Box key={n} paddingBlock="3px" borderBottom="1px solid" borderColor="rule">
              {s.name && `${s.name}: `}
              <strong>{exact(s.tempo_bpm)}</strong> of {s.beat_unit} a minute, {s.metre_count}/
              {s.metre_unit}
              {s.bars ? `, ${s.bars} bars` : ""}
            </Box>
          ))}
        </Box>
        <Box as="section" aria-label="Delays" minWidth="260px">
          <SheetTitle sub>Delays</SheetTitle>
          {shared.delays.map((d, n) => (
            <Box key={d.name} paddingBlock="3px" borderBottom="1px solid" borderColor="rule">
              {d.name}, {d.value}: <strong>{num(shared.delays_ms[n]!, 2)} ms</strong>
              {d.device && `, ${d.device.name}`}
            </Box>
          ))}
        </Box>
        {shared.space && (
          <Box as="section" aria-label="Reverb" minWidth="220px">
            <SheetTitle sub>Reverb</SheetTitle>
            <Box paddingBlock="3px">
              decay <strong>{num(shared.space.rt60_s, 2)} s</strong> after {shared.space.pre_delay}
            </Box>
          </Box>
        )}
      </Box>
    </Box>
  );
}

function Sheets({ shared, token }: { shared: Shared; token: string }) {
  const [variant, setVariant] = useState(shared.variants[0]!.id);
  const fonts = useQuery({ queryKey: ["fonts"], queryFn: fontsLoaded, staleTime: Infinity });
  const sheet = useQuery({
    queryKey: ["shared-sheet", token, variant],
    queryFn: () =>
      ask(
        api.GET("/api/v1/shared/{token}/sheets/{variant_id}", {
          params: { path: { token, variant_id: variant } },
        }),
      ),
  });
  return (
    <Box as="section" aria-label="Stage sheet" marginTop="14px">
      {shared.variants.length > 1 && (
        <Box data-no-print marginBottom="8px">
          <Choice
            aria-label="Stage sheet of"
            width="auto"
            value={variant}
            onChange={(e) => setVariant(e.target.value)}
          >
            {shared.variants.map((v) => (
              <option key={v.id} value={v.id}>
                {v.rig} {v.letter} {v.name}
              </option>
            ))}
          </Choice>
        </Box>
      )}
      {sheet.isError && (
        <Notice kind="fault" word="No sheet.">
          {sentenceOf(sheet.error)}
        </Notice>
      )}
      {(sheet.isPending || fonts.isPending) && <Waiting />}
      {sheet.data && !fonts.isPending && (
        <Box overflowX="auto" data-paper-frame>
          <Box display="inline-block" border="1px solid" borderColor="edge">
            <Paper sheet={sheet.data} printedAt={new Date(sheet.data.facts.made_at)} />
          </Box>
        </Box>
      )}
    </Box>
  );
}
