/** Pre-delay, decay and a length: two fixed give the third; three have to agree. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Frame, sentenceOf } from "../../api/client";
import { Press } from "../../ui/controls";
import { msShort, num } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import type { Kept } from "./useSpace";

const LENGTHS = ["1/4", "1/4.", "1/2", "1/2.", "1 bar", "2 bars", "4 bars"];

interface Props {
  space: Kept;
  frame: Frame;
  onTake: (more: Partial<Kept>) => void;
}

export function FitSheet({ space, frame, onTake }: Props) {
  const [fixed, setFixed] = useState({ pre: true, rt60: false, length: true });
  const [length, setLength] = useState("1 bar");
  const body = {
    frame,
    pre_delay: fixed.pre ? space.pre_delay! : null,
    rt60_s: fixed.rt60 ? space.rt60_s! : null,
    length: fixed.length ? length : null,
  };
  const query = useQuery({
    queryKey: ["fit-length", body],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/fit-length", { body, signal })),
  });
  const out = query.isError ? null : query.data;
  const lock = (which: keyof typeof fixed, words: string) => (
    <label>
      <input
        type="checkbox"
        checked={fixed[which]}
        onChange={(event) => setFixed({ ...fixed, [which]: event.target.checked })}
      />{" "}
      {words}
    </label>
  );
  return (
    <Box minWidth="0">
      <Box color="ink2">Fix two, the third follows.</Box>
      <Box display="flex" flexWrap="wrap" gap="4px 16px" alignItems="end" marginTop="4px">
        {lock("pre", `pre-delay ${space.pre_delay}`)}
        {lock("rt60", `RT60 ${num(space.rt60_s!, 3)} s`)}
        {lock("length", "length")}
        <Labelled label="length">
          <Choice value={length} onChange={(event) => setLength(event.target.value)}>
            {LENGTHS.map((l) => (
              <option key={l}>{l}</option>
            ))}
          </Choice>
        </Labelled>
      </Box>
      <Box marginTop="4px" color={query.isError ? "diff" : undefined} role="status">
        {query.isError ? sentenceOf(query.error) : out?.sentence}{" "}
        {out && (out.found === "RT60" || out.found === "pre-delay") && (
          <Press
            look="quiet"
            minHeight="24px"
            onClick={() =>
              onTake(
                out.found === "RT60"
                  ? { rt60_s: Number(out.rt60_s.toFixed(4)), school: "fits" }
                  : { pre_delay: `${msShort(out.pre_delay_ms)} ms`, school: "fits" },
              )
            }
          >
            Take it
          </Press>
        )}
      </Box>
    </Box>
  );
}
