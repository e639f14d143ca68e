/** Stored alternatives of a rig: each drawn small with what differs marked, promote, copy, delete. */
import { memo } from "react";
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, ask, type RigSummary, sentenceOf } from "../../api/client";
import { announce, Hint, Press } from "../../ui/controls";
import { MiniCourse } from "./MiniCourse";

interface Props {
  rig: RigSummary;
  current: string;
  onOpen: (id: string) => void;
}

export const Variants = memo(function Variants({ rig, current, onOpen }: Props) {
  const client = useQueryClient();
  const again = () => client.invalidateQueries({ queryKey: ["rigs"] });
  const onError = (fault: unknown) => announce(sentenceOf(fault), { kind: "fault" });
  const path = { params: { path: { rig_id: rig.id } } };
  const small = useQuery({
    queryKey: ["minis", rig.id, rig.variants.map((v) => [v.id, v.revision])],
    queryFn: () => ask(api.GET("/api/v1/rigs/{rig_id}/minis", path)),
    placeholderData: keepPreviousData,
  });
  const add = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/rigs/{rig_id}/variants", {
          ...path,
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
      <Box as="p" fontSize="13px" color="ink2">
        What differs from A is marked. Digits open them.
      </Box>
      <Box as="ol" marginTop="2px" borderTop="1.5px solid" borderColor="ink">
        {rig.variants.map((variant, i) => {
          const here = variant.id === current;
          const mini = small.data?.[i];
          const gone = mini?.missing ?? [];
          return (
            <Box
              key={variant.id}
              as="li"
              display="grid"
              gridTemplateColumns={{
                base: "minmax(0, 1fr) auto",
                sm: "24px minmax(130px, 210px) minmax(0, 1fr) auto",
              }}
              gap="4px 10px"
              alignItems="center"
              padding="5px 8px"
              borderBottom="1px solid"
              borderColor="rule"
              background={here ? "well" : "transparent"}
              boxShadow={here ? "inset 3px 0 0 var(--chakra-colors-ink)" : undefined}
            >
              <Hint>{i + 1}</Hint>
              <Box display={{ base: "none", sm: "block" }} minWidth="0">
                {mini?.layout && (
                  <MiniCourse layout={mini.layout} marked={i ? mini.differing : []} low />
                )}
              </Box>
              <Box minWidth="0">
                <Press
                  look="quiet"
                  minHeight={{ base: "44px", sm: "24px" }}
                  aria-current={here ? "true" : undefined}
                  onClick={() => onOpen(variant.id)}
                >
                  {variant.letter} {variant.name || "unnamed"}
                </Press>
                <Box
                  color={variant.differs.length ? "diff" : "ink2"}
                  fontSize="13px"
                  lineHeight="17px"
                >
                  {variant.differs.length
                    ? variant.differs.slice(0, 2).join("; ") +
                      (variant.differs.length > 2 ? `; ${variant.differs.length - 2} more` : "")
                    : here
                      ? "on the course now"
                      : i
                        ? "the same as A"
                        : gone.join(", ")}
                </Box>
              </Box>
              <Box display="flex" flexDirection="column" alignItems="flex-end">
                {i > 0 && (
                  <Press
                    look="quiet"
                    minHeight={{ base: "40px", sm: "24px" }}
                    onClick={() => promote.mutate(variant.id)}
                  >
                    Make it A
                  </Press>
                )}
                {!here && (
                  <Press
                    look="quiet"
                    minHeight={{ base: "40px", sm: "24px" }}
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
});
