/** One page that says what was tested, how, and what was found. */
import { Box } from "@chakra-ui/react";
import type { ReactNode } from "react";

import type { Schemas } from "../api/client";
import { SheetTitle } from "../ui/controls";
import { num } from "../ui/format";
import { Pictured } from "./Pictured";

export type Proof = Schemas["Proof"];

/** above: what is not printed, such as the way back. */
export function ProofSheet({ proof, above }: { proof: Proof; above?: ReactNode }) {
  return (
    <Box as="article" maxWidth="860px" marginInline="auto" data-print>
      {above}
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

function Section({ title, children }: { title: string; children: ReactNode }) {
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
