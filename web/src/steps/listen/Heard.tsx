/** What is heard: its figures, a lane for each sound, loudness of all. */
import { Box } from "@chakra-ui/react";

import type { RigSummary } from "../../api/client";
import { Notice } from "../../ui/controls";
import { clockFine, num, signed } from "../../ui/format";
import { barWords } from "./bars";
import { Lanes } from "./Lanes";
import { Board, type Sound, Strip } from "./Parts";
import { LaneHead } from "./Transport";
import type { Listening } from "./useListening";

export function Heard({ l }: { l: Listening }) {
  const {
    stretch,

    renders,
    sounds,
    heard,
    move,
    inTrial,
    curves,
    bars,
    loudOf,
    region_s,
    loop,
    player,
    heldMatch,
    hear,
    momentary,
    shortTerm,
    loudness,
    rig,
  } = l;
  const { position, lap, meter, trail, playing } = player;
  return (
    <>
      <Strip
        items={[
          ["Hearing", inTrial ? "by ear alone" : (heard?.letter ?? "nothing yet")],
          ["", clockFine(stretch.start_s + position)],
          ["bar", barWords(bars, position)],
          ["lap", String(lap)],
          ["gain", inTrial ? "hidden" : heard ? `${signed(heldMatch(heard), 1)} dB` : "-"],
          [
            "heard at",
            inTrial
              ? "hidden"
              : heard && loudOf(heard) !== null
                ? `${num((loudness[heard.render!.id] ?? heard.render!.report!.loudness_lufs ?? 0) + heldMatch(heard), 1)} LUFS`
                : "-",
          ],
          ["now", inTrial ? "-" : lufsOf(momentary)],
          ["last 3 s", inTrial ? "-" : lufsOf(shortTerm)],
          [
            "peak",
            meter && playing ? `${num(20 * Math.log10(Math.max(meter.peak, 1e-6)), 1)} dBFS` : "-",
          ],
          ["correlation", meter && playing ? signed(meter.correlation, 2) : "-"],
        ]}
      />
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", md: "200px minmax(0, 1fr) 340px" }}
        gap="0 14px"
        marginTop="4px"
      >
        <Box paddingTop={{ base: 0, md: "102px" }} order={{ base: 2, md: 0 }}>
          {sounds.map((s) => (
            <LaneHead
              key={s.id}
              sound={s}
              keyName={keyOf(rig, s, heard)}
              heard={heard?.id === s.id}
              playing={playing}
              locked={inTrial}
              onHear={() => hear(s.id)}
            />
          ))}
        </Box>
        <Lanes
          lanes={sounds.map((s) => ({
            id: s.id,
            letter: s.letter,
            waveform: s.id === heard?.id && curves ? curves : null,
          }))}
          heard={heard?.id ?? ""}
          seconds={heard?.render?.report?.seconds ?? Math.max(1, region_s || 1)}
          start={stretch.start_s}
          loop={loop}
          bars={bars}
          position={position}
          playing={playing}
          trail={trail}
          onSeek={(s) => player.seek(heard?.id, s)}
        />
        <Box order={{ base: 3, md: 0 }}>
          <Board
            sounds={sounds}
            heard={heard}
            match={heldMatch}
            loudOf={(s) => loudness[s.render!.id] ?? s.render!.report!.loudness_lufs}
            hidden={inTrial}
            balanced={move !== 0}
            onCancel={renders.cancel}
          />
        </Box>
      </Box>
      {heard?.render?.report?.alarm && (
        <Notice kind="fault" word="Alarm">
          {heard.render.report.alarm}
        </Notice>
      )}
      {heard?.render?.older && (
        <Notice kind="note">
          {heard.letter} is older than its rig, its moves or the tempo. Render again to hear what is
          set now.
        </Notice>
      )}
    </>
  );
}

const lufsOf = (level: number | null) => (level === null ? "-" : `${num(level, 1)} LUFS`);

/** Digits are variants in every step; C is the capture of the one that is heard, 0 the clip itself. */
function keyOf(rig: RigSummary, sound: Sound, heard: Sound | undefined): string {
  if (sound.id === "bare") return "0";
  const at = rig.variants.findIndex((v) => v.id === sound.id);
  if (at >= 0) return String(at + 1);
  return heard && sound.id.startsWith(heard.id.split(" ")[0]!) ? "C" : "";
}
