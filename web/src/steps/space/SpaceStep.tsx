/** Space: a reverb's tail over the phrases of a clip, and what follows from it, one question at a time. */
import { usePlay } from "../../playing/usePlaying";
import { useParams } from "react-router";

import { useSongContext } from "../../song/context";
import { num, onceKnown, signed } from "../../ui/format";
import { useKey } from "../../ui/keys";
import { ToolFrame } from "../../ui/ToolFrame";
import { DuckingSheet } from "./DuckingSheet";
import { Finder } from "./Finder";
import { FitSheet } from "./FitSheet";
import { Gaps } from "./Gaps";
import { Octaves } from "./Octaves";
import { PartsSheet } from "./PartsSheet";
import { Levels, ReturnsPicture, useReturns, WholeReturns } from "./Returns";
import { RoomPicture, RoomSheet, useRoom } from "./RoomSheet";
import { Schools } from "./Schools";
import { TailPicture } from "./TailPicture";
import { ToStage } from "./ToStage";
import { useSpace } from "./useSpace";
import { gapsSaid } from "./words";

export default function SpaceStep() {
  useKey("space", "Space", usePlay().toggle);
  const { song, clips } = useSongContext();
  const { tool } = useParams();
  const s = useSpace();
  const r = useReturns(s.route);
  const room = useRoom();
  const { space, data, duck, worst, change, frame } = s;
  useKey("space", "[", () => s.step(1 / 1.05));
  useKey("space", "]", () => s.step(1.05));
  useKey("space", "U", () => duck.setOn(!duck.on));
  useKey("space", "F", () => worst && s.take(worst.longest_rt60_s));
  const out = data?.space;
  const tail = <TailPicture s={s} />;
  const shares = space.ratios!;
  const even = shares.every((v) => Math.abs(v - shares[0]!) < 1e-6);
  return (
    <ToolFrame
      scope="space"
      title="Space"
      about="what is left when the next phrase enters"
      base={`/songs/${song.id}/space`}
      open={tool}
      groups={[
        {
          name: "The tail over the phrases",
          picture: tail,
          wide: true,
          tools: [
            {
              id: "gaps",
              name: "Gaps",
              answer: onceKnown(out, gapsSaid, !!s.clip, "no clip"),
              kind: !out?.gaps.length ? "plain" : worst ? "caution" : "passed",
              panel: <Gaps s={s} />,
            },
            {
              id: "schools",
              name: "Pre-delay and decay",
              answer: `${num(space.rt60_s!, 2)} s`,
              panel: out ? (
                <Schools space={space} out={out} onChange={change} />
              ) : (
                !s.clip && "With a clip in hand three schools stand here."
              ),
            },
            {
              id: "fit",
              name: "Fit a length",
              answer: out ? `${num(out.whole_ms / out.bar_ms, 2)} bars` : "",
              panel: <FitSheet space={space} frame={frame} onTake={change} />,
            },
            {
              id: "octaves",
              name: "By octave",
              answer: even ? "even" : `${num(shares[0]!, 2)} to ${num(shares.at(-1)!, 2)}`,
              panel: (
                <Octaves
                  ratios={shares}
                  rt60={space.rt60_s!}
                  out={out?.octave_rt60_s ?? []}
                  onChange={(ratios) => change({ ratios })}
                />
              ),
            },
            {
              id: "ducking",
              name: "Ducking",
              answer: !duck.on
                ? "off"
                : duck.data
                  ? `${signed(duck.data.in_phrases_db ?? 0, 1)} dB`
                  : "on",
              panel: (
                <DuckingSheet
                  duck={duck}
                  clips={clips}
                  frame={frame}
                  asked={worst?.ducking_db ?? 0}
                  bar_s={(out?.bar_ms ?? 2000) / 1000}
                  route={s.route}
                />
              ),
            },
            {
              id: "phrases",
              name: "Phrases",
              answer: out ? `${out.phrases.length} ${out.by_hand ? "by hand" : "found"}` : "",
              panel: <Finder s={s} />,
            },
          ],
        },
        {
          name: "The returns of the rig",
          picture: <ReturnsPicture r={r} />,
          wide: true,
          tools: [
            {
              id: "returns",
              name: "Low end together",
              answer:
                r.out?.low_lift_db == null ? "no rig" : `lifts ${num(r.out.low_lift_db, 1)} dB`,
              panel: <WholeReturns r={r} />,
            },
            {
              id: "levels",
              name: "Each return",
              answer: r.out ? `${r.out.returns.filter((one) => one.wet).length} wet` : "",
              panel: <Levels r={r} />,
            },
            {
              id: "parts",
              name: "Early part and tail",
              answer: "of a reverb",
              panel: <PartsSheet key={s.route.id} route={s.route} />,
            },
          ],
        },
        {
          name: "From a room",
          picture: <RoomPicture room={room} />,
          tools: [
            {
              id: "room",
              name: "Room",
              answer: room.out ? `${num(room.out.eyring_s, 2)} s` : "",
              panel: (
                <RoomSheet room={room} onTake={(more) => change({ ...more, school: "taste" })} />
              ),
            },
          ],
        },
      ]}
      actions={s.route.id && <ToStage s={s} />}
    />
  );
}
