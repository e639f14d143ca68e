/** A player's own take against the slots: where each note lies, early or late, and how evenly. */
import { Box } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useState } from "react";

import { api, ask, type Pattern, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { ink } from "../../ui/theme";
import { AxisLeft, Gridlines } from "../../charts/axes";
import { NoClip } from "../../clips/NoClip";
import { HowComputed, Notice, Press } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";

type Take = Schemas["TakeOut"];

export function TakeSheet() {
  const { song, frame, clip } = useSongContext();
  const [starts, setStarts] = useState("");
  const [slots, setSlots] = useState(song.figure?.pattern?.slots_per_beat ?? 4);
  const pattern: Pattern = {
    slots_per_beat: slots,
    bars: 1,
    swing_percent: song.figure?.pattern?.swing_percent ?? 50,
    played: [],
  };
  const found = useMutation({
    mutationFn: () => {
      const at = Number.parseFloat(starts.replace(",", "."));
      return ask(
        api.POST("/api/v1/clips/{clip_id}/take", {
          params: { path: { clip_id: clip!.id } },
          body: { frame, pattern, starts_s: Number.isNaN(at) ? null : at },
        }),
      );
    },
  });
  return (
    <Box minWidth="0">
      <Box color="ink2">
        Notes found in the clip in hand, set against the slots of the first section.
      </Box>
      {!clip ? (
        <NoClip>A take is a clip: its notes are found and set against the slots.</NoClip>
      ) : (
        <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="4px">
          <Box paddingBottom="5px" maxWidth="240px">
            {clip.name}
          </Box>
          <Labelled label="Bar 1 begins at, s">
            <TextInput
              width="110px"
              placeholder="first note"
              value={starts}
              onChange={(event) => setStarts(event.target.value)}
            />
          </Labelled>
          <Labelled label="Slots a beat">
            <Choice
              width="auto"
              value={slots}
              onChange={(event) => setSlots(Number(event.target.value))}
            >
              {[1, 2, 3, 4, 6, 8, 12].map((n) => (
                <option key={n}>{n}</option>
              ))}
            </Choice>
          </Labelled>
          <Press look="primary" disabled={found.isPending} onClick={() => found.mutate()}>
            {found.isPending ? "Listening …" : "Set it against the slots"}
          </Press>
        </Box>
      )}
      {found.isError && (
        <Notice kind="caution" word="Not measured.">
          {sentenceOf(found.error)}
        </Notice>
      )}
      {found.data && <Spread take={found.data} slots={slots} />}
    </Box>
  );
}

function Spread({ take, slots }: { take: Take; slots: number }) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const left = 48;
  const height = 190;
  const reach = Math.max(10, ...take.notes.map((n) => Math.abs(n.offset_ms))) * 1.1;
  const y = scaleLinear([-reach, reach], [height - 28, 10]).nice();
  const x = scaleLinear([-0.5, slots - 0.5], [left, Math.min(width, 720)]);
  const ticks = y.ticks(5);
  return (
    <Box ref={frame} marginTop="8px">
      <Box fontWeight="650">{take.sentence}</Box>
      <svg
        width={width}
        height={height}
        display="block"
        role="img"
        aria-label={`Offsets of ${take.notes.length} notes by slot of the beat, ms. ${take.sentence}`}
      >
        <rect
          x={left}
          y="10"
          width={x(slots - 0.5) - left}
          height={height - 38}
          fill={ink("sheet")}
        />
        <Gridlines scale={y} ticks={ticks} x1={left} x2={x(slots - 0.5)} />
        <AxisLeft scale={y} at={left} ticks={ticks} />
        <line
          x1={left}
          x2={x(slots - 0.5)}
          y1={y(0)}
          y2={y(0)}
          stroke={ink("ink")}
          strokeWidth="1.5"
        />
        {take.notes.map((n, i) => (
          <line
            key={i}
            x1={x(n.slot % slots) - 12 + ((i * 5) % 24)}
            x2={x(n.slot % slots) - 12 + ((i * 5) % 24)}
            y1={y(n.offset_ms) - 3}
            y2={y(n.offset_ms) + 3}
            stroke={ink("edge")}
            strokeWidth="2"
          >
            <title>{`${num(n.time_s, 3)} s: ${signed(n.offset_ms, 1)} ms`}</title>
          </line>
        ))}
        {take.by_slot.map((s) => (
          <g key={s.slot}>
            <line
              x1={x(s.slot) - 14}
              x2={x(s.slot) + 14}
              y1={y(s.mean_ms)}
              y2={y(s.mean_ms)}
              stroke={ink("diff")}
              strokeWidth="3"
            />
            <text x={x(s.slot)} y={height - 8} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
              slot {s.slot + 1}: {signed(s.mean_ms, 1)}
            </text>
          </g>
        ))}
        <text x="0" y="20" fontSize="13" fill={ink("ink2")}>
          late
        </text>
        <text x="0" y={height - 32} fontSize="13" fill={ink("ink2")}>
          early
        </text>
      </svg>
      <HowComputed>{take.computed_how}</HowComputed>
    </Box>
  );
}
