/** The head of Listen: where it is heard, what is rendered, the stretch of the song. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import { NoClip } from "../../clips/NoClip";
import { Record } from "../../clips/Record";
import type { Listening } from "../../playing/usePlaying";
import { nameOf } from "../../rigs/names";
import { Hint, Press, SheetTitle } from "../../ui/controls";
import { clockFine, num } from "../../ui/format";
import { NumberField } from "../../ui/NumberField";
import { Choice, Labelled } from "../../ui/QuantityField";

export function Head({ l }: { l: Listening }) {
  const { song, clips, take, whole, stretch, first, outputs, at, setAt, renders, rig } = l;
  const { done, matched, basis, quietest, stale } = l;
  const [choosing, setChoosing] = useState(false);
  const end = stretch.length_s === null ? whole : stretch.start_s + stretch.length_s;
  return (
    <>
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 20px">
        <SheetTitle
          page
          about={
            done.length > 1 && matched && quietest !== null
              ? basis === "wet"
                ? `${done.length} sounds, the wet of each equally loud`
                : `${done.length} sounds, all at ${num(quietest, 1)} LUFS`
              : "the rig on clips of the song"
          }
        >
          Listening
        </SheetTitle>
        <Box flex="1" />
        <Box display={{ base: "none", lg: "flex" }} gap="14px" fontSize="13px" color="ink2">
          <span>
            <Hint>1</Hint> to <Hint>9</Hint> variants, <Hint>0</Hint> the clips themselves
          </span>
          <span>
            <Hint>R</Hint> loop
          </span>
          <span>
            <Hint>E</Hint> hold: exaggerate
          </span>
          <span>
            <Hint>Home</Hint> to the start
          </span>
        </Box>
      </Box>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        {outputs.length > 1 && first && (
          <Labelled label="heard at">
            <Choice
              value={Math.min(at, outputs.length - 1)}
              maxWidth="260px"
              onChange={(event) => setAt(Number(event.target.value))}
            >
              {outputs.map((output, i) => (
                <option key={output} value={i}>
                  {nameOf(first, output)}
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
        <Press
          look={stale ? "primary" : "plain"}
          disabled={!outputs.length || renders.open || renders.start.isPending}
          onClick={() =>
            renders.start.mutate({
              ids: rig.variants.map((v) => v.id),
              bare: rig.variants[0]!.id,
            })
          }
        >
          {rig.variants.length > 1 ? `Render all ${rig.variants.length} variants` : "Render"}
        </Press>
        <Press aria-expanded={choosing} onClick={() => setChoosing(!choosing)}>
          Stretch: {clockFine(stretch.start_s)} to {clockFine(end)}
        </Press>
        <Record songId={song.id} onClip={(id) => take({ clip: id })} />
      </Box>
      {choosing && <StretchFields l={l} />}
      {!clips.length && <NoClip>A rig is heard on a clip.</NoClip>}
    </>
  );
}

/** Which part of the song is rendered and played, typed; the bars stand over the lanes. */
function StretchFields({ l }: { l: Listening }) {
  const { stretch, setRegion, whole } = l;
  const length = stretch.length_s ?? Math.max(0, whole - stretch.start_s);
  return (
    <Box
      as="section"
      aria-label="Stretch of the song"
      display="flex"
      flexWrap="wrap"
      gap="8px 12px"
      alignItems="center"
      marginTop="8px"
    >
      <span>from</span>
      <NumberField
        label="Stretch begins at"
        unit="s"
        value={stretch.start_s}
        least={0}
        most={Math.max(0, whole - 0.1)}
        digits={2}
        onCommit={(start_s) =>
          setRegion({ start_s, length_s: Math.min(length, Math.max(0.1, whole - start_s)) })
        }
      />
      <span>for</span>
      <NumberField
        label="Stretch lasts"
        unit="s"
        value={length}
        least={0.1}
        most={Math.max(0.1, whole - stretch.start_s)}
        digits={2}
        onCommit={(length_s) => setRegion({ start_s: stretch.start_s, length_s })}
      />
      <Press look="quiet" onClick={() => setRegion({ start_s: 0, length_s: null })}>
        All {num(whole, 1)} s of the song
      </Press>
    </Box>
  );
}
