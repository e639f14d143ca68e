/** A room's decay from its size and walls, and what one line inside a reverb does. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { Figure, Notice, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";

const START: Schemas["RoomRequest"] = {
  volume_m3: 200,
  surface_m2: 220,
  absorption: 0.2,
  celsius: 20,
  distance_m: 4,
  line_ms: 40,
  feedback_percent: 82,
};

interface Props {
  onTake: (more: { rt60_s?: number; pre_delay?: string }) => void;
}

export function RoomSheet({ onTake }: Props) {
  const [room, setRoom] = useState(START);
  const change = (more: Partial<typeof START>) => setRoom({ ...room, ...more });
  const query = useQuery({
    queryKey: ["room", room],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/room", { body: room, signal })),
  });
  const out = query.data;
  return (
    <Box as="section" aria-label="Room" minWidth="0">
      <SheetTitle
        sub
        about="decay and pre-delay from a room, and what one line inside a reverb does"
      >
        Room
      </SheetTitle>
      <Box
        display="grid"
        gridTemplateColumns="repeat(auto-fit, minmax(140px, 1fr))"
        gap="4px 30px"
        marginTop="4px"
      >
        <ScaleSlider
          label="volume"
          value={room.volume_m3!}
          low={10}
          high={2000}
          step={10}
          ticks={[10, 1000, 2000]}
          shown={(v) => `${num(v, 0)} m³`}
          onChange={(volume_m3) => change({ volume_m3 })}
        />
        <ScaleSlider
          label="walls"
          value={room.surface_m2!}
          low={30}
          high={1500}
          step={10}
          ticks={[30, 750, 1500]}
          shown={(v) => `${num(v, 0)} m²`}
          onChange={(surface_m2) => change({ surface_m2 })}
        />
        <ScaleSlider
          label="absorbed"
          value={room.absorption! * 100}
          low={2}
          high={90}
          step={1}
          ticks={[2, 45, 90]}
          shown={(v) => `${num(v, 0)} %`}
          onChange={(v) => change({ absorption: v / 100 })}
        />
        <ScaleSlider
          label="nearest wall"
          value={room.distance_m!}
          low={0.5}
          high={30}
          step={0.5}
          ticks={[0.5, 15, 30]}
          shown={(v) => `${num(v, 1)} m`}
          onChange={(distance_m) => change({ distance_m })}
        />
        <ScaleSlider
          label="one line"
          value={room.line_ms!}
          low={2}
          high={120}
          step={1}
          ticks={[2, 60, 120]}
          shown={(v) => `${num(v, 0)} ms`}
          onChange={(line_ms) => change({ line_ms })}
        />
        <ScaleSlider
          label="its feedback"
          value={room.feedback_percent!}
          low={10}
          high={99}
          step={1}
          ticks={[10, 50, 99]}
          shown={(v) => `${num(v, 0)} %`}
          onChange={(feedback_percent) => change({ feedback_percent })}
        />
      </Box>
      {query.isError && <Notice kind="fault">{sentenceOf(query.error)}</Notice>}
      {out && (
        <>
          <Box display="flex" flexWrap="wrap" gap="2px 18px" marginTop="4px">
            <span>
              Sabine <Figure label="Sabine" value={num(out.sabine_s, 2)} unit="s" />
            </span>
            <span>
              Eyring <Figure label="Eyring" value={num(out.eyring_s, 2)} unit="s" />
            </span>
            <span>
              wall answers after{" "}
              <Figure label="Pre-delay" value={num(out.pre_delay_ms, 1)} unit="ms" />
            </span>
            <span>
              1000 echoes a second after{" "}
              <Figure label="Density" value={num(out.dense_after_ms, 1)} unit="ms" />
            </span>
            <span>
              the line dies in <Figure label="Line" value={num(out.line_rt60_s, 2)} unit="s" />
            </span>
          </Box>
          <Box display="flex" flexWrap="wrap" gap="2px 14px">
            <Press
              look="quiet"
              onClick={() =>
                onTake({ rt60_s: Math.max(0.05, Math.min(60, Number(out.eyring_s.toFixed(3)))) })
              }
            >
              Take {num(out.eyring_s, 2)} s
            </Press>
            <Press
              look="quiet"
              onClick={() => onTake({ pre_delay: `${Number(out.pre_delay_ms.toFixed(1))} ms` })}
            >
              Take {num(out.pre_delay_ms, 1)} ms before it
            </Press>
          </Box>
          {out.warnings.map((text) => (
            <Notice key={text} kind="note">
              {text}
            </Notice>
          ))}
        </>
      )}
    </Box>
  );
}
