/** The proof sheet of a test, to be printed, kept or shared. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";

import { api, ask, sentenceOf } from "../../api/client";
import { ProofSheet } from "../../charts/ProofSheet";
import { Notice, Press } from "../../ui/controls";
import { useKey } from "../../ui/keys";
import { To } from "../../ui/Links";

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
  return <ProofSheet proof={proof.data} above={<Above base={base} />} />;
}

function Above({ base }: { base: string }) {
  const { songId, testId, measurementId } = useParams();
  return (
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
      <To
        to={`/songs/${songId}/share?${testId ? `test=${testId}` : `measurement=${measurementId}`}`}
      >
        Share
      </To>
      <Box asChild color="ink2" fontSize="13px">
        <a href="/api/v1/proof-schema">its schema</a>
      </Box>
    </Box>
  );
}
