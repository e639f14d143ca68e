/** One page that says what was tested, how, and what was found; to be printed or saved. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { Pictured } from "../../charts/Pictured";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useKey } from "../../ui/keys";

type Proof = Schemas["Proof"];

const nullPath = "/api/v1/null-tests/{test_id}/proof" as const;
const benchPath = "/api/v1/measurements/{measurement_id}/proof" as const;

export default function ProofPage() {
  const { testId, measurementId } = useParams();
  const proof = useQuery({
    queryKey: ["proof", testId, measurementId],
    queryFn: () =>
      testId
        ? ask(api.GET(nullPath, { params: { path: { test_id: testId } } }))
        : ask(api.GET(benchPath, { params: { path: { measurement_id: measurementId! } } })),
  });
  const base = testId
    ? `/api/v1/null-tests/${testId}/proof`
    : `/api/v1/measurements/${measurementId}/proof`;
  useKey("proof", "P", () => window.print());
  if (proof.isPending) return <Box color="ink2">Loading</Box>;
  if (proof.isError)
    return (
      <Notice kind="fault" word="No proof.">
        {sentenceOf(proof.error)}
      </Notice>
    );
  return <Sheet proof={proof.data} base={base} />;
}

function Sheet({ proof, base }: { proof: Proof; base: string }) {
  return (
    <Box as="article" maxWidth="860px" marginInline="auto" data-print>
      <Box
        data-no-print
        display="flex"
        flexWrap="wrap"
        gap="8px 16px"
        alignItems="center"
        marginBottom="10px"
      >
        <Press look="primary" hint="P" onClick={() => window.print()}>
          Print
        </Press>
        <Box asChild color="ink" fontWeight="600">
          <Link to=".." relative="path">
            Back to the result
          </Link>
        </Box>
        {(
          [
            ["md", "Markdown"],
            ["json", "JSON"],
          ] as const
        ).map(([form, name]) => (
          <Box key={form} asChild color="ink" fontWeight="600">
            <a href={`${base}?form=${form}`} download={`proof.${form}`}>
              {name}
            </a>
          </Box>
        ))}
        <Box asChild color="ink2" fontSize="13px">
          <a href="/api/v1/proof-schema">its schema</a>
        </Box>
      </Box>
      <Box as="h1" fontFamily="title" fontSize="23px" lineHeight="30px" fontWeight="600">
        {proof.sentence}
      </Box>
      <Box color="ink2" fontSize="14px">
        {proof.about} {proof.song}
        {proof.made_at &&
          `, ${new Date(proof.made_at).toISOString().slice(0, 16).replace("T", " ")} UTC`}
      </Box>
      <Section title="Files">
        {proof.files.map((f) => (
          <Box key={f.role} paddingBlock="4px" borderBottom="1px solid" borderColor="rule">
            <strong>{f.role}</strong> {f.name}
            {f.seconds != null && `, ${num(f.seconds, 3)} s`}
            {f.rate_hz != null && `, ${num(f.rate_hz, 0)} Hz`}
            <Box fontFamily="mono" fontSize="12.5px" color="ink2" overflowWrap="anywhere">
              SHA-256 {f.sha256}
            </Box>
          </Box>
        ))}
        {proof.files.length === 0 && <Box color="ink2">None: a simulated device.</Box>}
      </Section>
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
        columnGap="28px"
      >
        <Section title="Settings">
          <Rows rows={proof.settings} />
        </Section>
        <Section title="Figures">
          <Rows rows={proof.figures} />
        </Section>
      </Box>
      {proof.causes.length > 0 && (
        <Section title="What differs">
          {proof.causes.map((c) => (
            <Box key={c.title} paddingBlock="4px" borderBottom="1px solid" borderColor="rule">
              <strong>{c.title}</strong>, {c.sure}
              {c.takes_db > 0 && `, takes ${num(c.takes_db, 1)} dB away`}
              <Box color="ink2" fontSize="13px">
                {c.evidence}
              </Box>
            </Box>
          ))}
        </Section>
      )}
      {proof.to_set.length > 0 && (
        <Section title="What to set">
          <Rows
            rows={proof.to_set.map((s) => ({
              name: s.words,
              value: s.value,
              beside: s.beside ?? "",
            }))}
          />
        </Section>
      )}
      {proof.not_stated.length > 0 && (
        <Section title="Not stated">
          <Rows rows={proof.not_stated} />
        </Section>
      )}
      {proof.pictures.length > 0 && (
        <Section title="Pictures">
          <Box
            display="grid"
            gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "minmax(0, 1fr) minmax(0, 1fr)" }}
            gap="10px 28px"
          >
            {proof.pictures.map((p, i) => (
              <Box key={`${p.title} ${i}`} minWidth="0">
                <Pictured picture={p} />
              </Box>
            ))}
          </Box>
        </Section>
      )}
      {proof.cautions.length > 0 && (
        <Section title="Notes">
          {proof.cautions.map((c) => (
            <Box key={c} fontSize="13px">
              {c}
            </Box>
          ))}
        </Section>
      )}
    </Box>
  );
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box as="section" marginTop="12px" minWidth="0">
      <Box borderBottom="1px solid" borderColor="ink">
        <SheetTitle sub>{title}</SheetTitle>
      </Box>
      {children}
    </Box>
  );
}

function Rows({ rows }: { rows: { name: string; value: string; beside?: string }[] }) {
  return (
    <>
      {rows.map((row, i) => (
        <Box
          key={`${row.name} ${i}`}
          display="grid"
          gridTemplateColumns="minmax(0, 1fr) minmax(0, 1.6fr)"
          gap="10px"
          paddingBlock="3px"
          borderBottom="1px solid"
          borderColor="rule"
          fontSize="14px"
        >
          <Box color="ink2">{row.name}</Box>
          <Box>
            <strong>{row.value}</strong>{" "}
            <Box as="span" color="ink2" fontSize="13px">
              {row.beside}
            </Box>
          </Box>
        </Box>
      ))}
    </>
  );
}
