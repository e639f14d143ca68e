/** What a test found of B, written into an input of a rig as one edit that can be undone. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type NullTestDetail, type Schemas, sentenceOf } from "../../api/client";
import { sendEdit } from "../../rigs/edits";
import { useSongContext } from "../../song/context";
import { Press } from "../../ui/controls";
import { useKey } from "../../ui/keys";
import { Choice } from "../../ui/QuantityField";
import { placeOf, writing } from "./correct";

type Corrections = Schemas["Corrections"];

export function Correct({ test }: { test: NullTestDetail }) {
  const { variant } = useSongContext();
  const found = useQuery({
    queryKey: ["null-corrections", test.id, variant?.id, variant?.revision],
    queryFn: () =>
      ask(
        api.GET("/api/v1/null-tests/{test_id}/corrections", {
          params: { path: { test_id: test.id }, query: variant ? { variant: variant.id } : {} },
        }),
      ),
    enabled: variant !== undefined,
    // What stands there stays until the next answer: nothing jumps while it is asked again.
    placeholderData: (before) => before,
    retry: false,
  });
  if (found.isError) return <Box color="ink2">{sentenceOf(found.error)}</Box>;
  if (!found.data || found.data.places.length === 0) return null;
  return <Places found={found.data} />;
}

function Places({ found }: { found: Corrections }) {
  const [picked, setPicked] = useState<string | null>(null);
  const place = placeOf(found, picked)!;
  const edit = writing(found, place);
  const write = () => {
    if (edit)
      sendEdit(found.variant, edit, `${place.name} of ${found.named} is set. Undo it under Route.`);
  };
  useKey("result", "W", write, edit !== null);
  return (
    <Box
      role="group"
      aria-label="Into the rig"
      display="flex"
      flexWrap="wrap"
      gap="6px 12px"
      alignItems="center"
      paddingTop="10px"
    >
      <Box color="ink2" fontSize="13px">
        {found.is_b ? `B is a render of ${found.named}` : `If B is ${found.named}`}
      </Box>
      <Choice
        aria-label={`Input of ${found.named} to correct`}
        width="auto"
        maxWidth="260px"
        value={place.rail}
        onChange={(event) => setPicked(event.target.value)}
      >
        {found.places.map((p) => (
          <option key={p.rail} value={p.rail}>
            {p.name}
          </option>
        ))}
      </Choice>
      <Press hint="W" disabled={edit === null} onClick={write}>
        Write it into the rig
      </Press>
      <Box flex="1" minWidth="240px" fontSize="14px">
        {found.changed ? (
          <span>
            {found.named} was changed since this test. Render or record it again and test that: the
            curve of tries goes on.
          </span>
        ) : (
          <>
            <strong>{place.words.join("; ") || "Nothing to set there."}</strong>{" "}
            <Box as="span" color="caution">
              {place.rest.join(" ")}
            </Box>
          </>
        )}
      </Box>
    </Box>
  );
}
