/** A room's decay from its size and walls, and what one line inside a reverb does. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { type SliderOf, Sliders } from "../../charts/Sliders";
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

const ROOM: SliderOf<Schemas["RoomRequest"]>[] = [
  {
    field: "volume_m3",
    label: "volume",
    low: 10,
    high: 2000,
    step: 10,
    ticks: [10, 1000, 2000],
    shown: (v) => `${num(v, 0)} m³`,
  },
  {
    field: "surface_m2",
    label: "walls",
    low: 30,
    high: 1500,
    step: 10,
    ticks: [30, 750, 1500],
    shown: (v) => `${num(v, 0)} m²`,
  },
  {
    field: "absorption",
    label: "absorbed",
    low: 0.02,
    high: 0.9,
    step: 0.01,
    ticks: [0.02, 0.45, 0.9],
    shown: (v) => `${num(v * 100, 0)} %`,
  },
  {
    field: "distance_m",
    label: "nearest wall",
    low: 0.5,
    high: 30,
    step: 0.5,
    ticks: [0.5, 15, 30],
    shown: (v) => `${num(v, 1)} m`,
  },
  {
    field: "line_ms",
    label: "one line",
    low: 2,
    high: 120,
    step: 1,
    ticks: [2, 60, 120],
    shown: (v) => `${num(v, 0)} ms`,
  },
  {
    field: "feedback_percent",
    label: "its feedback",
    low: 10,
    high: 99,
    step: 1,
    ticks: [10, 50, 99],
    shown: (v) => `${num(v, 0)} %`,
  },
];

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
      <Sliders of={ROOM} values={room} onChange={change} />
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
