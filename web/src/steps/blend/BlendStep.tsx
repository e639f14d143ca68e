/** Blend: dry beside compressed, dry beside wet, left beside right, levels; one question at a time. */
import { usePlay } from "../../playing/usePlaying";
import { useKey } from "../../ui/keys";
import { useParams } from "react-router";

import { useRoute } from "../../rigs/variants";
import { useSongContext } from "../../song/context";
import { Press } from "../../ui/controls";
import { num, onceKnown, signed } from "../../ui/format";
import { ToolFrame } from "../../ui/ToolFrame";
import { AlongCourse, CoursePicture, useCourseLevels } from "./Course";
import { InsertBack, useInsert } from "./InsertBack";
import { LawPicture, SameInsert, useLaws } from "./Laws";
import { asRig, CurvePicture, Hit, Lift, Match, OverClip } from "./Parallel";
import { Centre, CombPicture, Later, Units, useSides, Width } from "./Sides";
import { ToStage } from "./ToStage";
import { useParallel } from "./useParallel";

export default function BlendStep() {
  useKey("blend", "Space", usePlay().toggle);
  const { song } = useSongContext();
  const { tool } = useParams();
  const route = useRoute();
  const p = useParallel();
  const l = useLaws();
  const i = useInsert();
  const h = useSides();
  const c = useCourseLevels(route);
  const curve = <CurvePicture p={p} />;
  const law = <LawPicture l={l} />;
  const comb = <CombPicture h={h} />;
  const levels = <CoursePicture c={c} />;
  const { view, measured: m } = p;
  const lowest = c.out?.places.find((one) => one.node === c.out!.lowest);
  const first = h.out?.notches_hz[0];
  const compresses = ["lift", "hit", "over", "match"].includes(tool ?? "lift");
  return (
    <ToolFrame
      scope="blend"
      title="Blend"
      about="one question at a time"
      base={`/songs/${song.id}/blend`}
      open={tool}
      groups={[
        {
          name: "Dry beside compressed",
          picture: curve,
          tools: [
            {
              id: "lift",
              name: "Lift the quiet",
              answer: view ? `${signed(view.quiet_boost_db, 1)} dB` : "",
              kind: view?.cautions.length ? "caution" : "plain",
              panel: <Lift p={p} />,
            },
            {
              id: "hit",
              name: "What a hit keeps",
              answer: view ? `${num(view.burst.sum_overshoot_db, 1)} dB` : "",
              panel: <Hit p={p} />,
            },
            {
              id: "over",
              name: "Over the clip",
              answer: onceKnown(
                m,
                (m) => `${num(m.most_reduction_db, 1)} dB at most`,
                !!p.clip,
                "no clip",
              ),
              panel: <OverClip p={p} />,
            },
            {
              id: "match",
              name: "Before and after",
              answer: onceKnown(m, (m) => `${signed(m.match_db, 1)} dB`, !!p.clip, "no clip"),
              panel: <Match p={p} />,
            },
          ],
        },
        {
          name: "Dry beside wet",
          picture: law,
          tools: [
            {
              id: "same",
              name: "The same as one insert",
              answer:
                l.out && !l.out.exact ? "none" : l.row ? `${num(l.row.mix_percent, 1)} %` : "",
              kind: l.out && !l.out.exact ? "caution" : "plain",
              panel: <SameInsert l={l} route={route} />,
            },
            {
              id: "pair",
              name: "Back to a pair",
              answer: i.out?.impossible
                ? "none"
                : i.out
                  ? `${faderWord(i.out.dry_db)}, ${faderWord(i.out.wet_db)}`
                  : "",
              kind: i.out?.impossible ? "caution" : "plain",
              panel: <InsertBack i={i} route={route} />,
            },
          ],
        },
        {
          name: "Left beside right",
          picture: comb,
          tools: [
            {
              id: "later",
              name: "One side later",
              answer: first === undefined ? "" : `notch ${num(first, 0)} Hz`,
              kind: first === undefined ? "plain" : "caution",
              panel: <Later h={h} route={route} />,
            },
            {
              id: "centre",
              name: "Centre and sides",
              answer: h.out ? `${signed(h.out.wet_db, 1)} dB` : "",
              panel: <Centre h={h} />,
            },
            {
              id: "width",
              name: "Width and pan",
              answer: `${signed(h.s.width_percent!, 0)} %`,
              panel: <Width h={h} />,
            },
          ],
        },
        {
          name: "Levels",
          picture: levels,
          tools: [
            {
              id: "course",
              name: "Along the course",
              answer: onceKnown(lowest, (p) => headroomWord(p.headroom_db), c.asked, "no rig"),
              kind: lowest && lowest.headroom_db < 0 ? "caution" : "plain",
              panel: <AlongCourse c={c} />,
            },
            { id: "units", name: "In every unit", answer: "dBu, V", panel: <Units /> },
          ],
        },
      ]}
      actions={
        compresses && (
          <>
            <Press
              look="primary"
              onClick={() => route.make("Blend: dry and compressed", asRig(p.s))}
            >
              Make a rig of it and listen
            </Press>
            <ToStage p={p} route={route} />
          </>
        )
      }
    />
  );
}

const faderWord = (db: number | null) => (db === null ? "off" : signed(db, 1));

const headroomWord = (db: number) => (db < 0 ? `${num(-db, 1)} dB over` : `${num(db, 1)} dB left`);
