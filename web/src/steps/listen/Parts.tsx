/** The strip, the board of sounds and the small sheets of the Listen step. */
import { Box, chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas } from "../../api/client";
import { ClipChoice } from "../../clips/ClipChoice";
import { Figure, Hint, Press, SheetTitle } from "../../ui/controls";
import { dateAndTime, num, signed } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { Sound } from "../../playing/useRenders";

export function Strip({ items }: { items: [string, string][] }) {
  return (
    <Box
      role="status"
      aria-label="What is heard"
      background="ink"
      color="paper"
      display="flex"
      flexWrap="wrap"
      marginTop="8px"
      minHeight="34px"
    >
      {items.map(([word, value], i) => (
        <Box
          key={word + i}
          flex="1 1 auto"
          paddingBlock="6px"
          paddingInline="12px"
          textAlign="center"
          borderLeft={i ? "1px solid" : undefined}
          borderColor="edge"
          whiteSpace="nowrap"
          fontFamily={i ? undefined : "title"}
          fontWeight={i ? 400 : 600}
          fontSize={i ? "14px" : "17px"}
          display={{ base: i > 4 ? "none" : "block", sm: "block" }}
        >
          {word}{" "}
          <Box as="strong" fontWeight="650" fontSize={i ? "15px" : "17px"}>
            {value}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

interface BoardProps {
  sounds: Sound[];
  heard: Sound | undefined;
  match: (sound: Sound) => number;
  loudOf: (sound: Sound) => number | null;
  hidden: boolean;
  /** Whether wet against dry has been moved. */
  balanced: boolean;
  onCancel: (id: string) => void;
}

/** A loudness; what is heard already is measured a moment later, and is not silent until then. */
export const loudWords = (lufs: number | null, status: string): string =>
  lufs !== null ? num(lufs, 1) : status === "done" ? "silent" : "…";

export function Board({ sounds, heard, match, loudOf, hidden, balanced, onCancel }: BoardProps) {
  return (
    <Table>
      <chakra.thead height={{ base: "auto", md: "101px" }} verticalAlign="bottom">
        <tr>
          <Th display={{ md: "none" }} textAlign="left">
            sound
          </Th>
          <Th>{balanced ? "at this balance, LUFS" : "rendered LUFS"}</Th>
          <Th>matched gain, dB</Th>
          <Th>heard LUFS</Th>
          <Th>peak, dBTP</Th>
        </tr>
      </chakra.thead>
      <tbody>
        {sounds.map((s) => {
          const r = s.render;
          const here = s.id === heard?.id;
          if (!r?.audible || !r.report)
            return (
              <chakra.tr key={s.id} height={{ md: "29px" }}>
                <NameCell sound={s} />
                <Td colSpan={4} textAlign="left" padding="0 8px">
                  <State render={s.next} letter={s.letter} onCancel={onCancel} />
                </Td>
              </chakra.tr>
            );
          const loud = loudOf(s);
          const cells = hidden
            ? ["hidden", "hidden", "hidden", "hidden"]
            : [
                loudWords(loud, r.status),
                signed(match(s), 1),
                loudWords(loud === null ? null : loud + match(s), r.status),
                r.report.true_peak_dbtp === null ? "" : signed(r.report.true_peak_dbtp, 1),
              ];
          return (
            <chakra.tr key={s.id} height={{ md: "29px" }} background={here ? "well" : undefined}>
              <NameCell sound={s} />
              {cells.map((cell, i) => (
                <Td
                  key={i}
                  padding="0 8px"
                  fontWeight={i === 1 ? 650 : 400}
                  color={
                    i === 3 && !hidden && (r.report!.true_peak_dbtp ?? -1) > 0 ? "diff" : undefined
                  }
                >
                  {cell === "hidden" || cell === "" ? (
                    cell
                  ) : (
                    <Figure value={cell} label={`${s.letter}`} strong={i === 1} />
                  )}
                </Td>
              ))}
            </chakra.tr>
          );
        })}
      </tbody>
    </Table>
  );
}

/** Beside the lanes a row needs no name; under them it does. */
function NameCell({ sound }: { sound: Sound }) {
  return (
    <Td display={{ md: "none" }} textAlign="left" fontWeight="650">
      {sound.letter} {sound.name}
    </Td>
  );
}

function State({
  render,
  letter,
  onCancel,
}: {
  render: Sound["next"];
  letter: string;
  onCancel: (id: string) => void;
}) {
  if (!render) return <Box color="ink2">not rendered on this stretch</Box>;
  if (render.status === "queued" || render.status === "running")
    return (
      <Box display="flex" alignItems="center" gap="8px">
        <progress
          aria-label={`Rendering ${letter}`}
          value={render.progress}
          max={1}
          style={{ width: 110 }}
        />
        {render.stage}
        <Press look="quiet" minHeight="24px" onClick={() => onCancel(render.id)}>
          Cancel
        </Press>
      </Box>
    );
  if (render.status === "failed")
    return (
      <Box color="diff" fontWeight="650">
        {render.problem}
      </Box>
    );
  return <Box color="ink2">{render.status}</Box>;
}

export function Toggle({
  word,
  keyName,
  on,
  onTurn,
}: {
  word: string;
  keyName: string;
  on: boolean;
  onTurn: () => void;
}) {
  return (
    <chakra.button
      type="button"
      role="switch"
      aria-checked={on}
      aria-label={word}
      onClick={onTurn}
      display="flex"
      alignItems="center"
      gap="8px"
      minHeight={{ base: "44px", sm: "31px" }}
      paddingInline="10px"
      border="1px solid"
      borderColor="ink"
      marginLeft="-1px"
      background={on ? "ink" : "transparent"}
      color={on ? "paper" : "ink"}
      fontWeight="600"
      cursor="pointer"
    >
      {word}
      <Box as="span" fontWeight="400">
        {on ? "on" : "off"}
      </Box>
      <Hint>{keyName}</Hint>
    </chakra.button>
  );
}

interface CapturesProps {
  rig: Schemas["RigOut"];
  clips: Schemas["ClipOut"][];
  busy: boolean;
  onUse: (variant: string, capture: string) => void;
}

export function Captures({ rig, clips, busy, onUse }: CapturesProps) {
  const [variant, setVariant] = useState(rig.variants[0]!.id);
  const [capture, setCapture] = useState("");
  return (
    <Box as="section" aria-label="Captures">
      <SheetTitle
        sub
        about="a recording of real gear, heard beside its variant, brought to the same time"
      >
        Captures
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        <Labelled label="variant">
          <Choice
            value={variant}
            maxWidth="200px"
            onChange={(event) => setVariant(event.target.value)}
          >
            {rig.variants.map((v) => (
              <option key={v.id} value={v.id}>
                {v.letter} {v.name}
              </option>
            ))}
          </Choice>
        </Labelled>
        <ClipChoice label="recorded as" clips={clips} value={capture} onChoose={setCapture} />
        <Press disabled={!capture || busy} onClick={() => onUse(variant, capture)}>
          Bring it in line
        </Press>
      </Box>
    </Box>
  );
}

export function Log({ songId }: { songId: string }) {
  const log = useQuery({
    queryKey: ["log", songId, "heard"],
    queryFn: () =>
      ask(
        api.GET("/api/v1/songs/{song_id}/log", {
          params: { path: { song_id: songId }, query: { step: "listen", most: 12 } },
        }),
      ),
  });
  return (
    <Box as="section" aria-label="Log">
      <SheetTitle sub about="what was heard, and what was not">
        Log
      </SheetTitle>
      {log.data?.total === 0 && <Box color="ink2">No trial has ended yet.</Box>}
      {log.data?.entries.map((entry) => (
        <Box key={entry.id} paddingBlock="6px" borderTop="1px solid" borderColor="rule">
          <Box as="strong" fontWeight="650">
            {entry.title}
          </Box>{" "}
          <Box as="span" color="ink2" fontSize="13px">
            {entry.kind}, {dateAndTime(entry.created_at)}
          </Box>
          <Box>{entry.text}</Box>
        </Box>
      ))}
    </Box>
  );
}
