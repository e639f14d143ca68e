/** The limit that a null must reach: against A, or as a level; one at a time. */
import { Box } from "@chakra-ui/react";

import type { Schemas } from "../../api/client";
import { Choice, QuantityField } from "../../ui/QuantityField";

export type Limit = Schemas["Limit"];

export function LimitField({ limit, onLimit }: { limit: Limit; onLimit: (limit: Limit) => void }) {
  const relative = limit.kind === "relative";
  return (
    <Box display="flex" gap="6px" alignItems="flex-start">
      <QuantityField
        label="Limit"
        kind="level"
        unit={relative ? "dB" : "dBFS"}
        width="112px"
        value={relative ? String(limit.value_db) : `−${limit.value_db}`}
        onCommit={(read) =>
          read.value !== 0 && onLimit({ ...limit, value_db: Math.min(300, Math.abs(read.value)) })
        }
      />
      <Box paddingTop="19px">
        <Choice
          aria-label="Limit counts"
          width="auto"
          value={limit.kind}
          onChange={(event) => onLimit({ ...limit, kind: event.target.value as Limit["kind"] })}
        >
          <option value="relative">down against A</option>
          <option value="dbfs">level of the residual</option>
        </Choice>
      </Box>
    </Box>
  );
}
