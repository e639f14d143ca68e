/** B's level moved by hand while the residual plays: for the peaks, for what rings on, by a hundredth. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";

import { api, ask, type NullTestDetail } from "../../api/client";
import { Press } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { NumberField } from "../../ui/NumberField";
import { leastAt, leftDb, type Sums } from "./balance";

const MOST_DB = 6;
const STEP_DB = 0.01;

interface Props {
  test: NullTestDetail;
  /** Whether it is worth computing: someone listens. */
  asked: boolean;
  sums: Sums | null;
  trim: number;
  onTrim: (db: number) => void;
}

export function ByHand({ test, asked, sums, trim, onTrim }: Props) {
  const balance = useQuery({
    queryKey: ["null-balance", test.id],
    queryFn: () =>
      ask(
        api.GET("/api/v1/null-tests/{test_id}/balance", { params: { path: { test_id: test.id } } }),
      ),
    enabled: asked,
    staleTime: Infinity,
  });
  const found = balance.data;
  const offered: [string, number | undefined][] = [
    ["as matched", 0],
    ["for the peaks", found?.peaks?.trim_db],
    ["for what rings on", found?.sustain?.trim_db],
    ["for this excerpt", sums ? Number(leastAt(sums).toFixed(2)) : undefined],
  ];
  const left = sums && leftDb(sums, trim);
  return (
    <Box
      role="group"
      aria-label="Balance by hand"
      flexBasis="100%"
      display="flex"
      flexWrap="wrap"
      gap="6px 12px"
      alignItems="flex-end"
    >
      <NumberField
        named
        label="B by hand, over matched"
        unit="dB"
        value={trim}
        least={-MOST_DB}
        most={MOST_DB}
        digits={2}
        step={STEP_DB}
        width="150px"
        onCommit={(db) => onTrim(Math.max(-MOST_DB, Math.min(MOST_DB, db)))}
      />
      {offered.map(
        ([word, db]) =>
          db !== undefined &&
          Math.abs(db) <= MOST_DB && (
            <Press key={word} look="quiet" onClick={() => onTrim(db)}>
              {word}
              {db !== 0 && ` ${signed(db, 2)} dB`}
            </Press>
          ),
      )}
      <Box minWidth="220px" flex="1" paddingBottom="5px">
        {sums && (
          <strong>
            {left === null
              ? "Of this excerpt nothing is left. "
              : `Residual of this excerpt ${num(left!, 1)} dB. `}
          </strong>
        )}
        <Box as="span" color="ink2" fontSize="13px">
          {sums ? (found?.sentence ?? "") : "Play it to hear B moved by hundredths."}
        </Box>
      </Box>
    </Box>
  );
}
