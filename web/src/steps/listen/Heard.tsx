/** What is heard: its figures, a lane for each sound, loudness of all. */
import { Box } from "@chakra-ui/react";

import type { RigSummary } from "../../api/client";
import { Notice } from "../../ui/controls";
import { clockFine, num, signed } from "../../ui/format";
import { barWords } from "../../playing/bars";
import { usePlayhead } from "../../playing/playhead";
import { Lanes, type Props as LanesProps } from "./Lanes";
import type { Sound } from "../../playing/useRenders";
import { Board, Strip } from "./Parts";
import { LaneHead } from "./Transport";
import type { Listening } from "../../playing/usePlaying";

export function Heard({ l, children }: { l: Listening; children: React.ReactNode }) {
  const {
    stretch,

    renders,
    sounds,
    heard,
    move,
    inTrial,
    curves,
    bars,
    region_s,
    loop,
    player,
    heldMatch,
    hear,
    loudness,
    rig,
  } = l;
  const { trail, playing } = player;
  return (
    <>
      <Needles l={l} />
      {children}
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
        <PlacedLanes
          l={l}
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
          playing={playing}
          trail={trail}
          onSeek={(s) => player.seek(heard?.id, s)}
        />
        <Box order={{ base: 3, md: 0 }}>
          <Board
            sounds={sounds}
            heard={heard}
            match={heldMatch}
            loudOf={(s) => loudness[s.render!.id] ?? l.rendered(s)}
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
          {heard.letter} is older than its rig, what plays into it, its moves or the tempo.{" "}
          {playing ? "It is made anew, and heard as soon as it is there." : "Play makes it anew."}
        </Notice>
      )}
    </>
  );
}

/** What is heard just now, in figures; drawn anew by itself while it plays. */
function Needles({ l }: { l: Listening }) {
  const { stretch, sounds, heard, inTrial, bars, loudOf, heldMatch, loudness, making, awaited } = l;
  const { toggles, playing, head } = l.player;
  const { position, lap, meter } = usePlayhead(head);
  const { momentary, shortTerm } = l.loudAt(position);
  const beside = toggles.difference && sounds.find((s) => s.id === toggles.difference);
  return (
    <Strip
      items={[
        [
          "Hearing",
          inTrial
            ? "by ear alone"
            : beside && heard
              ? `${heard.letter} − ${beside.letter}`
              : (heard?.letter ?? "nothing yet"),
        ],
        ["", clockFine(stretch.start_s + position)],
        ["bar", barWords(bars, position)],
        ["lap", String(lap)],
        ["gain", inTrial ? "hidden" : heard ? `${signed(heldMatch(heard), 1)} dB` : "-"],
        [
          "heard at",
          inTrial
            ? "hidden"
            : beside
              ? "a difference"
              : heard && loudOf(heard) !== null
                ? `${num((loudness[heard.render!.id] ?? l.rendered(heard) ?? 0) + heldMatch(heard), 1)} LUFS`
                : "-",
        ],
        [
          "now",
          inTrial
            ? "-"
            : playing && meter
              ? lufsOf(meter.momentary)
              : lufsOf(toggles.difference ? null : momentary),
        ],
        ["last 3 s", inTrial || toggles.difference ? "-" : lufsOf(shortTerm)],
        [
          "peak",
          meter && playing
            ? `${num(20 * Math.log10(Math.max(meter.peak, 1e-6)), 1)} dBFS${meter.clips ? ", clips" : ""}`
            : "-",
        ],
        ["correlation", meter && playing ? signed(meter.correlation, 2) : "-"],
        ...(making
          ? [
              [
                `${heard?.letter ?? ""} ${playing ? "is made anew" : "is made"}`,
                `${num(100 * making.progress, 0)} %`,
              ] as [string, string],
            ]
          : awaited
            ? [["", "is made"] as [string, string]]
            : []),
      ]}
    />
  );
}

/** The lanes with the playhead in them. */
function PlacedLanes({ l, ...props }: { l: Listening } & Omit<LanesProps, "position">) {
  const { position } = usePlayhead(l.player.head);
  return <Lanes {...props} position={position} />;
}

const lufsOf = (level: number | null) => (level === null ? "-" : `${num(level, 1)} LUFS`);

/** Digits are variants in every step; C is the capture of the one that is heard, 0 the clip itself. */
function keyOf(rig: RigSummary, sound: Sound, heard: Sound | undefined): string {
  if (sound.id === "bare") return "0";
  const at = rig.variants.findIndex((v) => v.id === sound.id);
  if (at >= 0) return String(at + 1);
  return heard && sound.id.startsWith(heard.id.split(" ")[0]!) ? "C" : "";
}
