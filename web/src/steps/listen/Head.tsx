/** The head of Listen: the way that is heard, what is rendered, the stretch of the clip. */
import { Box } from "@chakra-ui/react";

import { Wave } from "../../charts/Wave";
import { NoClip } from "../../clips/NoClip";
import { Record } from "../../clips/Record";
import { nameOf } from "../../rigs/names";
import { Hint, Notice, Press, SheetTitle } from "../../ui/controls";
import { clockFine, num } from "../../ui/format";
import { Choice, Labelled } from "../../ui/QuantityField";
import type { Listening } from "./useListening";

export function Head({ l }: { l: Listening }) {
  const {
    song,
    clips,
    take,
    detail,
    whole,
    stretch,
    setRegion,
    first,
    boards,
    at,
    setAt,
    way,
    renders,

    done,

    matched,
    basis,
    choosing,
    setChoosing,

    quietest,

    stale,
    clip,
    rig,
  } = l;
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
              : "the rig rendered on a clip of the song"
          }
        >
          Listening
        </SheetTitle>
        <Box flex="1" />
        <Box display={{ base: "none", lg: "flex" }} gap="14px" fontSize="13px" color="ink2">
          <span>
            <Hint>1</Hint> to <Hint>9</Hint> variants, <Hint>0</Hint> the clip itself
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
      {(detail?.facts?.channels ?? 0) > 2 && (
        <Notice kind="note" word="Two of them.">
          {detail!.name} is {detail!.facts!.layout}: its first two channels, left and right, go
          through the rig; the others are left out.
        </Notice>
      )}
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
        {boards.length > 1 && first && (
          <Labelled label="played into, heard at">
            <Choice
              value={at}
              maxWidth="260px"
              onChange={(event) => setAt(Number(event.target.value))}
            >
              {boards.map((b, i) => (
                <option key={`${b.source}${b.output}`} value={i}>
                  {nameOf(first, b.source)} at {nameOf(first, b.output)}
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
        <Press
          look={stale ? "primary" : "plain"}
          disabled={!clip || !way || renders.open || renders.start.isPending}
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
          Stretch: {clockFine(stretch.start_s)} to{" "}
          {clockFine(stretch.length_s === null ? whole : stretch.start_s + stretch.length_s)}
        </Press>
        <Record songId={song.id} onClip={(id) => take({ clip: id })} />
      </Box>
      {choosing && detail && (
        <Box marginTop="8px" aria-label="Stretch of the clip" as="section">
          <Wave clip={detail} label="Stretch" region={stretch} onRegion={setRegion} />
          <Box fontSize="13px" color="ink2" marginTop="2px">
            Drag over what is to be heard; a press takes the whole clip. Peak{" "}
            {detail.facts?.peak_dbfs != null ? `${num(detail.facts.peak_dbfs, 1)} dBFS` : "none"},
            level{" "}
            {detail.facts?.rms_dbfs != null
              ? `${num(detail.facts.rms_dbfs, 1)} dBFS RMS`
              : "silent"}
            .
          </Box>
        </Box>
      )}
      {!clips.length && <NoClip>A rig is heard on a clip.</NoClip>}
    </>
  );
}
