/** Where a rail may land, one place a line, with what it does to the sound. */
import { Box } from "@chakra-ui/react";
import { type KeyboardEvent, useEffect, useRef } from "react";

import type { Variant } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { Hint, SheetTitle, Waiting } from "../../ui/controls";
import { num } from "../../ui/format";
import type { Laying, Landing } from "./useLaying";

export function LayList({
  variant,
  laying,
  onPut,
}: {
  variant: Variant;
  laying: Laying;
  /** Choose what stands on the new rail. */
  onPut: () => void;
}) {
  const { wanted, rows, letters, chosen } = laying;
  const list = useRef<HTMLDivElement>(null);
  useEffect(() => list.current?.focus({ preventScroll: true }), [wanted?.title]);
  const at = chosen ? rows.indexOf(chosen) : -1;
  useEffect(() => {
    list.current?.querySelector(`#landing-${at}`)?.scrollIntoView({ block: "nearest" });
  }, [at]);
  if (!wanted) return null;
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const { key } = event;
    if (key === "ArrowDown") laying.step(1);
    else if (key === "ArrowUp") laying.step(-1);
    else if (key === "ArrowLeft") laying.shift(-1);
    else if (key === "ArrowRight") laying.shift(1);
    else if (key === "+" || key === "=") onPut();
    else if (key === "Enter") laying.lay();
    else if (key === "Escape") laying.leave();
    else if (/^[a-z]$/.test(key)) laying.byLetter(key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const from = wanted.starts.map((s) => nameOf(variant, s.slice(0, s.lastIndexOf(".")))).join(", ");
  return (
    <Box as="section" aria-label="Where it lands">
      <SheetTitle about={`leaves behind ${from}; where does it land?`}>{wanted.title}</SheetTitle>
      <Box
        ref={list}
        role="listbox"
        aria-label="Places to land"
        tabIndex={0}
        aria-activedescendant={at >= 0 ? `landing-${at}` : undefined}
        onKeyDown={onKeyDown}
        marginTop="4px"
        borderTop="1.5px solid"
        borderColor="ink"
        maxHeight={{ base: "none", lg: "max(186px, calc(100vh - 545px))" }}
        overflowY={{ base: "visible", lg: "auto" }}
      >
        {laying.waiting && <Waiting />}
        {laying.fault && (
          <Box role="alert" color="diff" padding="8px">
            {laying.fault} Nothing was changed.
          </Box>
        )}
        {rows.map((row, i) => (
          <Row
            key={row.place}
            id={`landing-${i}`}
            row={row}
            letter={letters[i] ?? ""}
            chosen={i === at}
            onChoose={() => laying.choose(row.place)}
          />
        ))}
      </Box>
    </Box>
  );
}

function Row({
  id,
  row,
  letter,
  chosen,
  onChoose,
}: {
  id: string;
  row: Landing;
  letter: string;
  chosen: boolean;
  onChoose: () => void;
}) {
  const loop = row.closes;
  return (
    <Box
      id={id}
      role="option"
      aria-selected={chosen}
      aria-disabled={!row.possible}
      onClick={() => row.possible && onChoose()}
      display="grid"
      gridTemplateColumns={{
        base: "28px minmax(0, 1fr)",
        sm: "28px minmax(0, 1.3fr) minmax(0, 1fr)",
      }}
      gap="0 10px"
      alignItems="center"
      minHeight={{ base: "44px", sm: "31px" }}
      padding="3px 8px"
      cursor={row.possible ? "pointer" : "not-allowed"}
      borderBottom="1px solid"
      borderColor="rule"
      background={
        row.possible
          ? chosen
            ? "well"
            : loop
              ? "cautionWash"
              : "transparent"
          : "repeating-linear-gradient(45deg, {colors.fine} 0 3px, transparent 3px 8px)"
      }
      boxShadow={chosen ? "inset 3px 0 0 var(--chakra-colors-ink)" : undefined}
      color={row.possible ? "ink" : "ink2"}
    >
      <span>{letter && <Hint>{letter}</Hint>}</span>
      <Box minWidth="0" background={row.possible ? undefined : "paper"} width="fit-content">
        <Box as="strong" fontWeight="650">
          {row.name}
        </Box>{" "}
        <Box as="span" fontSize="13px" color="ink2">
          {row.possible ? row.detail : row.why}
        </Box>
      </Box>
      <Box
        gridColumn={{ base: "2", sm: "auto" }}
        textAlign={{ base: "left", sm: "right" }}
        fontSize="13px"
        fontWeight={chosen ? 650 : 400}
      >
        {loop && (
          <Box as="span" color="caution" fontWeight="650">
            closes a loop
            {row.loop_db === null || row.loop_db === undefined
              ? ""
              : `, loop gain ${num(row.loop_db, 1)} dB`}
            {row.effect ? "; " : ""}
          </Box>
        )}
        {row.effect}
      </Box>
    </Box>
  );
}
