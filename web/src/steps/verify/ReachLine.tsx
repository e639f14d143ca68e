/** What the device's steps allow: the nearest settings, what they leave, and the best null within reach. */
import { Box } from "@chakra-ui/react";

import type { Schemas } from "../../api/client";
import { num, signed } from "../../ui/format";
import { QuantityField } from "../../ui/QuantityField";
import type { Steps } from "./queries";

type Reach = Schemas["Reach"];

/** "raise by 1.7 dB, 0.005 off": a setting in its steps, and what stays. */
export function nearest(set: number, off: number, unit: "dB" | "ms"): string {
  const decimals = Math.min(4, (String(Math.abs(set)).split(".")[1] ?? "").length);
  const word =
    unit === "dB" ? (set < 0 ? "lower by" : "raise by") : set < 0 ? "earlier by" : "later by";
  const rest = Math.abs(off) < 0.00005 ? "" : `, ${signed(off, 3)} off`;
  return set === 0
    ? `leave as it is${rest}`
    : `${word} ${num(Math.abs(set), decimals)} ${unit}${rest}`;
}

export function ReachLine({
  steps,
  reach,
  onSteps,
}: {
  steps: Steps;
  reach: Reach | undefined;
  onSteps: (steps: Steps) => void;
}) {
  return (
    <Box
      role="group"
      aria-label="Steps of the device"
      display="flex"
      flexWrap="wrap"
      gap="6px 16px"
      alignItems="flex-start"
      paddingTop="8px"
    >
      <QuantityField
        label="Its level goes in steps of"
        kind="level"
        unit="dB"
        width="170px"
        value={num(steps.level_db, 2)}
        onCommit={(read) =>
          read.value > 0 && onSteps({ ...steps, level_db: Math.min(12, read.value) })
        }
      />
      <QuantityField
        label="Its time in steps of"
        kind="time"
        width="150px"
        value={`${steps.time_ms} ms`}
        onCommit={(read) =>
          read.value > 0 && onSteps({ ...steps, time_ms: Math.min(1000, read.value) })
        }
      />
      {reach && (
        <Box flex="1" minWidth="240px" paddingTop="19px">
          <strong>{reach.sentence}</strong>{" "}
          <Box as="span" color="ink2">
            Level: {nearest(reach.level_set_db, reach.level_off_db, "dB")}; time:{" "}
            {nearest(reach.time_set_ms, reach.time_off_ms, "ms")}.
          </Box>
        </Box>
      )}
    </Box>
  );
}
