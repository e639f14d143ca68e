/** What the checks find where settings move, and not where they rest; with the bar of each. */
import { Box } from "@chakra-ui/react";

import { type Schemas, sentenceOf, type Variant } from "../../api/client";
import { useMovedPlan } from "../../playing/moves";
import { Pennant, Press } from "../../ui/controls";
import { COLOUR, KIND, WORD } from "./causes";

const placeWords = ({ bar, beat }: Schemas["MovedFinding"]) =>
  beat > 1 ? `bar ${bar}, beat ${Math.floor(beat)}` : `bar ${bar}`;

export function MovedChecks({
  variant,
  onSelect,
}: {
  variant: Variant;
  onSelect: (id: string) => void;
}) {
  const { data: plan, error } = useMovedPlan(variant);
  if (error)
    return (
      <Row kind="caution" word="Moves.">
        {sentenceOf(error)}
      </Row>
    );
  if (!plan) return null;
  const left = plan.places - plan.looked_at;
  return (
    <Box as="section" aria-label="Where it moves" borderTop="1.5px solid" borderColor="ink">
      <Box fontSize="13px" color="ink2" paddingTop="4px">
        {plan.findings.length
          ? "Where it moves, and not where it rests:"
          : "Where it moves the checks find nothing that they do not find where it rests."}
        {left > 0 && ` Worked out at ${plan.looked_at} of ${plan.places} points.`}
      </Box>
      {plan.findings.map((one) => (
        <Row
          key={`${one.finding.check} ${one.finding.at} ${one.finding.severity}`}
          kind={KIND[one.finding.severity]}
          colour={COLOUR[one.finding.severity]}
          word={`${WORD[one.finding.severity]} From ${placeWords(one)}:`}
        >
          {one.finding.sentence}{" "}
          {one.finding.at && (
            <Press look="quiet" fontSize="13px" onClick={() => onSelect(one.finding.at)}>
              Select it
            </Press>
          )}
        </Row>
      ))}
    </Box>
  );
}

function Row({
  kind,
  word,
  colour = "caution",
  children,
}: {
  kind: "fault" | "caution" | "note";
  word: string;
  colour?: string;
  children: React.ReactNode;
}) {
  return (
    <Box display="flex" gap="12px" paddingBlock="6px" borderBottom="1px solid" borderColor="fine">
      <Pennant kind={kind} />
      <Box>
        <Box as="strong" color={colour}>
          {word}
        </Box>{" "}
        {children}
      </Box>
    </Box>
  );
}
