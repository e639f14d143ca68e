/** Which input, and how loud it is: the same wherever something is recorded. */
import { Box } from "@chakra-ui/react";

import { num } from "../ui/format";
import { Choice, Labelled } from "../ui/QuantityField";
import type { Input } from "./useInput";

const LEAST_DB = -60;
const LOUD_DB = -1;

export function InputChoice(props: {
  input: Input;
  value: string;
  busy: boolean;
  onChoose: (device: string) => void;
}) {
  return (
    <Labelled label="input">
      <Choice
        value={props.value}
        disabled={props.busy}
        onChange={(event) => props.onChoose(event.target.value)}
      >
        <option value="">the system&apos;s own choice</option>
        {props.input.devices.map((d, i) => (
          <option key={d.deviceId || i} value={d.deviceId}>
            {d.label || `input ${i + 1}`}
          </option>
        ))}
      </Choice>
    </Labelled>
  );
}

export function InputMeter({ level }: { level: number }) {
  const db = 20 * Math.log10(Math.max(level, 1e-6));
  const width = Math.max(0, Math.min(100, ((db - LEAST_DB) / -LEAST_DB) * 100));
  const loud = db > LOUD_DB;
  return (
    <>
      <Box
        marginTop="10px"
        role="meter"
        aria-label="Input level"
        aria-valuemin={LEAST_DB}
        aria-valuemax={0}
        aria-valuenow={Math.round(Math.max(LEAST_DB, db))}
        position="relative"
        height="16px"
        background="sheet"
        border="1px solid"
        borderColor="edge"
      >
        <Box
          position="absolute"
          inset="0 auto 0 0"
          background={loud ? "diff" : "ink"}
          style={{ width: `${width}%` }}
        />
      </Box>
      <Box display="flex" justifyContent="space-between" fontSize="13px" color="ink2">
        <span>−60 dBFS</span>
        <Box as="strong" color={loud ? "diff" : "ink"}>
          {level > 0 ? `${num(db, 1)} dBFS${loud ? ", too loud" : ""}` : "nothing comes in"}
        </Box>
        <span>0</span>
      </Box>
    </>
  );
}
