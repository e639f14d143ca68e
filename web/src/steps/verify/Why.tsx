/** Why it does not null: the causes by what each takes away, and the evidence of the chosen one. */
import { Box, chakra } from "@chakra-ui/react";

import type { NullResult } from "../../api/client";
import { OverlayChart } from "../../charts/NullCharts";
import { Legend, Pictured } from "../../charts/Pictured";
import { Press, SheetTitle } from "../../ui/controls";
import { clockFine, num } from "../../ui/format";

type Cause = NullResult["causes"][number];

/** What stands at the right of a row: dB where it takes some, else its own figure. */
export function worth(cause: Cause): string {
  if (cause.takes_db >= 0.5) return `${num(Math.min(cause.takes_db, 200), 1)} dB`;
  const { samples, level_dbfs: level } = cause.figures;
  if (cause.code === "offset" && samples !== undefined) {
    return `${num(Math.abs(samples), Number.isInteger(samples) ? 0 : 2)} samples`;
  }
  return level === undefined ? "" : `${num(level, 1)} dBFS`;
}

export function Why({
  result,
  chosen,
  onChoose,
  onHear,
}: {
  result: NullResult;
  chosen: number;
  onChoose: (index: number) => void;
  onHear: (seconds: number) => void;
}) {
  const cause = result.causes[chosen];
  const step = (by: number) => {
    const next = (chosen + by + result.causes.length) % result.causes.length;
    onChoose(next);
    document.getElementById(`cause-${next}`)?.focus();
  };
  return (
    <Box
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 44%) minmax(0, 1fr)" }}
      gap="10px 26px"
    >
      <Box as="section" minWidth="0">
        <SheetTitle sub about="by what each takes away">
          Why
        </SheetTitle>
        <Box
          role="radiogroup"
          aria-label="Causes"
          borderTop="1px solid"
          borderColor="ink"
          marginTop="6px"
          onKeyDown={(event) => {
            if (event.key === "ArrowDown" || event.key === "ArrowUp") {
              event.preventDefault();
              step(event.key === "ArrowDown" ? 1 : -1);
            }
          }}
        >
          {result.causes.map((item, i) => (
            <chakra.button
              type="button"
              role="radio"
              id={`cause-${i}`}
              key={`${item.code} ${i}`}
              aria-checked={i === chosen}
              tabIndex={i === chosen ? 0 : -1}
              onClick={() => onChoose(i)}
              display="grid"
              gridTemplateColumns="30px minmax(0, 1fr) auto"
              gap="0 8px"
              width="100%"
              textAlign="left"
              alignItems="center"
              minHeight="44px"
              paddingBlock="4px"
              border="0"
              borderBottom="1px solid"
              borderColor="rule"
              borderLeft="4px solid"
              borderLeftColor={i === chosen ? "ink" : "transparent"}
              background={i === chosen ? "well" : "transparent"}
              color="ink"
              cursor="pointer"
            >
              <Box as="span" fontFamily="title" fontSize="17px" fontWeight="600" paddingLeft="6px">
                {i + 1}
              </Box>
              <Box as="span" minWidth="0">
                <Box as="span" display="block" fontWeight="600" lineHeight="19px">
                  {item.title}
                </Box>
                <Box as="span" display="block" fontSize="13px" lineHeight="17px" color="ink2">
                  {item.evidence}
                </Box>
              </Box>
              <Box as="span" textAlign="right" whiteSpace="nowrap">
                <Box as="span" display="block" fontWeight="650" lineHeight="19px">
                  {worth(item)}
                </Box>
                <Box as="span" display="block" fontSize="13px" lineHeight="17px" color="ink2">
                  {item.sure}
                </Box>
              </Box>
            </chakra.button>
          ))}
        </Box>
        {result.causes.length === 0 && (
          <Box color="ink2" paddingBlock="8px">
            {result.explained
              ? "Nothing differs enough to name."
              : "This test was run before causes were looked for. Run it again to see why."}
          </Box>
        )}
        {result.uncertain && (
          <Box paddingBlock="6px" color="caution">
            <strong>Cannot tell.</strong> A good part of what is left has no sure cause.
          </Box>
        )}
        {result.ruled_out.length > 0 && (
          <Box paddingTop="6px" fontSize="13px" color="ink2">
            <strong>Looked for and not found</strong> {result.ruled_out.join(", ")}
          </Box>
        )}
      </Box>
      <Box as="section" minWidth="0" aria-label="Evidence">
        {cause && <Evidence cause={cause} result={result} onHear={onHear} />}
      </Box>
    </Box>
  );
}

function Evidence({
  cause,
  result,
  onHear,
}: {
  cause: Cause;
  result: NullResult;
  onHear: (seconds: number) => void;
}) {
  return (
    <>
      {cause.pictures.map((picture) => (
        <Box key={picture.title} marginBottom="6px">
          <Pictured picture={picture} />
        </Box>
      ))}
      {cause.pictures.length === 0 && <Overlaid result={result} />}
      {cause.at_s.length > 0 && (
        <Box display="flex" flexWrap="wrap" gap="6px" alignItems="center" marginTop="4px">
          <Box color="ink2" fontSize="13px">
            Hear what is left at
          </Box>
          {cause.at_s.slice(0, 8).map((at) => (
            <Press key={at} named={`what is left at ${clockFine(at)}`} onClick={() => onHear(at)}>
              {clockFine(at)}
            </Press>
          ))}
          {cause.at_s.length > 8 && (
            <Box color="ink2" fontSize="13px">
              and {num(cause.at_s.length - 8, 0)} more
            </Box>
          )}
        </Box>
      )}
    </>
  );
}

/** A and B as delivered and as matched: what a cause that has no picture of its own is seen by. */
export function Overlaid({ result }: { result: NullResult }) {
  const { overlay } = result;
  return (
    <>
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="0 12px">
        <SheetTitle
          sub
          about={`${num(overlay.a.length * overlay.step_ms, 0)} ms of the ${overlay.channel} channel from ${clockFine(overlay.start_s)}`}
        >
          Overlay
        </SheetTitle>
        <Box flex="1" />
        <Legend
          names={[
            { name: "A", look: "found" },
            { name: "B", look: "fit" },
          ]}
        />
      </Box>
      <OverlayChart result={result} />
    </>
  );
}
