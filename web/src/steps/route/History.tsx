/** Every edit of a variant by name, newest first, and the way back to any of them. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";

import { api, ask, sentenceOf, type Variant } from "../../api/client";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { timeOfDay } from "../../ui/format";

interface Props {
  variant: Variant;
  onTurn: (number: number) => void;
}

export function History({ variant, onTurn }: Props) {
  const query = useQuery({
    queryKey: ["history", variant.id, variant.revision],
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/history", {
          params: { path: { variant_id: variant.id } },
        }),
      ),
    placeholderData: (before) => before,
  });
  if (query.isError) return <Notice kind="fault">{sentenceOf(query.error)}</Notice>;
  const steps = query.data ?? [];
  const now = steps.find((s) => !s.undone)?.number ?? 0;
  const rows = [...steps.map((s) => ({ ...s, at: timeOfDay(new Date(s.at)) }))];
  const oldest = rows.at(-1)?.number ?? 0;
  return (
    <Box as="section" aria-label="History">
      <SheetTitle
        sub
        about="press one to go back or forward to it; nothing is lost until a new edit"
      >
        History
      </SheetTitle>
      {!rows.length && <Box color="ink2">No edit yet.</Box>}
      <Box as="ol" maxHeight="320px" overflowY="auto" marginTop="4px" maxWidth="720px">
        {rows.map((s) => (
          <Step
            key={s.number}
            at={s.at}
            said={s.said}
            undone={s.undone}
            here={s.number === now}
            onGo={() => onTurn(s.number)}
          />
        ))}
        {rows.length > 0 && oldest <= 1 && (
          <Step
            at=""
            said="As it was begun"
            undone={false}
            here={now === 0}
            onGo={() => onTurn(0)}
          />
        )}
      </Box>
    </Box>
  );
}

interface StepProps {
  at: string;
  said: string;
  undone: boolean;
  here: boolean;
  onGo: () => void;
}

function Step({ at, said, undone, here, onGo }: StepProps) {
  return (
    <Box
      as="li"
      display="flex"
      gap="12px"
      alignItems="center"
      minHeight="34px"
      borderTop="1px solid"
      borderColor="fine"
      background={here ? "well" : undefined}
      boxShadow={here ? "inset 4px 0 0 var(--chakra-colors-ink)" : undefined}
      paddingInline="10px"
    >
      <Box color="ink2" fontSize="13px" minWidth="42px">
        {at}
      </Box>
      <Press
        look="quiet"
        minHeight="28px"
        aria-current={here ? "step" : undefined}
        onClick={onGo}
        disabled={here}
        textAlign="left"
      >
        {said}
      </Press>
      <Box color="ink2" fontSize="13px">
        {here ? "now" : undone ? "undone" : ""}
      </Box>
    </Box>
  );
}
