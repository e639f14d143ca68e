/** Stored alternatives of a rig: one key each, what differs in words, promote, copy, delete. */
import { Box } from "@chakra-ui/react";
import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, ask, type RigSummary, sentenceOf } from "../../api/client";
import { announce, Hint, Press, SheetTitle } from "../../ui/controls";

interface Props {
  rig: RigSummary;
  current: string;
  onOpen: (id: string) => void;
}

export function Variants({ rig, current, onOpen }: Props) {
  const client = useQueryClient();
  const again = () => client.invalidateQueries({ queryKey: ["rigs"] });
  const onError = (fault: unknown) => announce(sentenceOf(fault), { kind: "fault" });
  const add = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/rigs/{rig_id}/variants", {
          params: { path: { rig_id: rig.id } },
          body: { copy_of: current, name: "" },
        }),
      ),
    onSuccess: async (made) => {
      await again();
      onOpen(made.id);
      announce(`Variant ${made.letter} is a copy to change.`);
    },
    onError,
  });
  const promote = useMutation({
    mutationFn: (id: string) =>
      ask(
        api.PATCH("/api/v1/variants/{variant_id}", {
          params: { path: { variant_id: id } },
          body: { promote: true },
        }),
      ),
    onSuccess: again,
    onError,
  });
  const remove = useMutation({
    mutationFn: (id: string) =>
      ask(api.DELETE("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id } } })),
    onSuccess: again,
    onError,
  });
  return (
    <Box as="section" aria-label="Variants">
      <SheetTitle about="what differs from A">Variants</SheetTitle>
      <Box as="ol" marginTop="4px" borderTop="1px solid" borderColor="rule">
        {rig.variants.map((variant, i) => {
          const here = variant.id === current;
          return (
            <Box
              key={variant.id}
              as="li"
              display="grid"
              gridTemplateColumns={{ base: "minmax(0, 1fr) auto", sm: "28px minmax(0, 1fr) auto" }}
              gap="10px"
              alignItems="center"
              padding="6px 8px"
              borderBottom="1px solid"
              borderColor="rule"
              background={here ? "well" : "transparent"}
              boxShadow={here ? "inset 3px 0 0 var(--chakra-colors-ink)" : undefined}
            >
              <Hint>{i + 1}</Hint>
              <Box minWidth="0">
                <Press
                  look="quiet"
                  aria-current={here ? "true" : undefined}
                  onClick={() => onOpen(variant.id)}
                >
                  {variant.letter} {variant.name || "unnamed"}
                </Press>
                <Box color="ink2" fontSize="13px" overflow="hidden" textOverflow="ellipsis">
                  {variant.differs.length
                    ? variant.differs.slice(0, 3).join("; ") +
                      (variant.differs.length > 3 ? `; ${variant.differs.length - 3} more` : "")
                    : here
                      ? "on the course now"
                      : i
                        ? "the same as A"
                        : ""}
                </Box>
              </Box>
              <Box display="flex" gap="4px">
                {i > 0 && (
                  <Press look="quiet" onClick={() => promote.mutate(variant.id)}>
                    Make it A
                  </Press>
                )}
                {!here && (
                  <Press
                    look="quiet"
                    named={`variant ${variant.letter}`}
                    onClick={() => remove.mutate(variant.id)}
                  >
                    Delete
                  </Press>
                )}
              </Box>
            </Box>
          );
        })}
      </Box>
      <Box marginTop="8px">
        <Press onClick={() => add.mutate()} disabled={add.isPending || rig.variants.length >= 9}>
          Copy to a new variant
        </Press>
      </Box>
    </Box>
  );
}
