/** What the device's steps allow: the nearest settings, what they leave, and the best null within reach. */
import { Box } from "@chakra-ui/react";

import type { Schemas } from "../../api/client";
import { useDevices } from "../../devices/queries";
import { num, signed } from "../../ui/format";
import { Choice, Labelled, QuantityField } from "../../ui/QuantityField";
import { type Steps, stepsOf } from "./queries";

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

/** A level or a time as the device's steps allow it: 'set: raise by 1.7 dB, +0.003 off'. */
export function inSteps(code: string, reach: Reach): string {
  if (code === "level")
    return `in its steps ${nearest(reach.level_set_db, reach.level_off_db, "dB")}`;
  if (code === "offset")
    return `in its steps ${nearest(reach.time_set_ms, reach.time_off_ms, "ms")}`;
  return "";
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
  const devices = useDevices().data ?? [];
  const at = devices.findIndex((row) => {
    const own = stepsOf(row.profile);
    return own.level_db === steps.level_db && own.time_ms === steps.time_ms;
  });
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
      <Labelled label="Set on">
        <Choice
          aria-label="Set on"
          width="auto"
          maxWidth="200px"
          value={String(at)}
          onChange={(event) => {
            const row = devices[Number(event.target.value)];
            if (row) onSteps(stepsOf(row.profile));
          }}
        >
          <option value="-1">by the steps beside</option>
          {devices.map((row, i) => (
            <option key={row.profile.name} value={String(i)}>
              {row.profile.name}
            </option>
          ))}
        </Choice>
      </Labelled>
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
