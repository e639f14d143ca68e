/** Hands the delay in hand to a stage of the rig in hand, by name: from then on it follows. */
import { Box } from "@chakra-ui/react";
import { NavLink } from "react-router";

import { useKinds } from "../../rigs/kinds";
import { timeFields } from "../../rigs/times";
import { useRoute } from "../../rigs/variants";
import { useSongContext } from "../../song/context";
import { Press } from "../../ui/controls";
import { Choice } from "../../ui/QuantityField";
import type { DelayHandle } from "./useDelay";

export function ToStage({ handle }: { handle: DelayHandle }) {
  const { song, hand, take } = useSongContext();
  const route = useRoute();
  const kinds = useKinds().data ?? [];
  const fields = timeFields(route.variant, kinds);
  const written = song.written[handle.at];
  if (!route.variant || !fields.length || !written) return null;
  const followers = fields.filter((f) => f.value === written);
  const chosen = fields.find((f) => f.id === hand.tools?.stage) ?? followers[0] ?? fields[0]!;
  const follows = chosen.value === written;
  return (
    <Box display="flex" flexWrap="wrap" gap="4px 8px" alignItems="center" fontSize="14px">
      <Choice
        aria-label={`Stage of ${route.named}`}
        width="auto"
        maxWidth="190px"
        value={chosen.id}
        onChange={(event) => take({ tools: { ...hand.tools, stage: event.target.value } })}
      >
        {fields.map((f) => (
          <option key={f.id} value={f.id}>
            {f.name}
          </option>
        ))}
      </Choice>
      {follows ? (
        <Box as="span" color="ok" fontWeight="650">
          ✓ follows it
        </Box>
      ) : (
        <Press
          title={`It is ${chosen.value} now`}
          onClick={() =>
            route.send(
              [{ do: "set", node: chosen.node, values: { [chosen.field]: written } }],
              `${chosen.name} of ${route.named} follows ${handle.line.name}.`,
            )
          }
        >
          Hand it to {route.named}
        </Press>
      )}
      <NavLink
        to="../route"
        onClick={() => take({ selected: chosen.node })}
        style={{ color: "inherit" }}
      >
        show
      </NavLink>
    </Box>
  );
}
