/** A room's decay from its size and walls, and what one line inside a reverb does. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useState } from "react";

import { api, ask, type Schemas, sentenceOf } from "../../api/client";
import { roomRequest, limits } from "../../api/defaults.gen";
import { AxisBottom, AxisLeft, halo } from "../../charts/axes";
import { type SliderOf, Sliders } from "../../charts/Sliders";
import { Figure, Notice, Press, SheetTitle } from "../../ui/controls";
import { num } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { ink } from "../../ui/theme";

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
  room: RoomHandle;
  onTake: (more: { rt60_s?: number; pre_delay?: string }) => void;
}

export function useRoom() {
  const [room, setRoom] = useState<Schemas["RoomRequest"]>(roomRequest);
  const query = useQuery({
    queryKey: ["room", room],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    queryFn: ({ signal }) => ask(api.POST("/api/v1/compute/room", { body: room, signal })),
  });
  return {
    room,
    change: (more: Partial<typeof room>) => setRoom({ ...room, ...more }),
    out: query.data,
    fault: query.error,
  };
}

export type RoomHandle = ReturnType<typeof useRoom>;

/** What the room is: its size, what its walls swallow, and one line inside a reverb. */
export function RoomPicture({ room: r }: { room: RoomHandle }) {
  return (
    <Box>
      <SheetTitle sub about="and one line inside a reverb">
        The room
      </SheetTitle>
      <Sliders
        of={ROOM}
        values={r.room}
        onChange={r.change}
        limits={limits.RoomRequest}
        rests={roomRequest}
      />
      {r.out && <Decays out={r.out} />}
    </Box>
  );
}

/** How the two formulas and the line inside fall by 60 dB. */
function Decays({ out }: { out: Schemas["RoomOut"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(260);
  const most = Math.max(0.1, ...[out.sabine_s, out.eyring_s, out.line_rt60_s].map((v) => v * 1.08));
  const x = scaleLinear([0, most], [46, width - 10]);
  const y = scaleLinear([0, -60], [14, 150]);
  const lines = [
    { name: "Sabine", s: out.sabine_s, dash: undefined, wide: 1.5 },
    { name: "Eyring", s: out.eyring_s, dash: undefined, wide: 3 },
    { name: "one line", s: out.line_rt60_s, dash: "7 3", wide: 2 },
  ];
  return (
    <Box ref={frame} minWidth="0" marginTop="10px">
      <svg
        width={width}
        height="186"
        display="block"
        role="img"
        aria-label={lines.map((l) => `${l.name} falls by 60 dB in ${num(l.s, 2)} s`).join(", ")}
      >
        <rect x="46" y="14" width={width - 56} height="136" fill={ink("sheet")} />
        <AxisLeft scale={y} at={46} ticks={[0, -20, -40, -60]} unit="dB" />
        {lines.map((l, i) => (
          <g key={l.name}>
            <line
              x1={x(0)}
              y1={y(0)}
              x2={x(l.s)}
              y2={y(-60)}
              stroke={ink(l.dash ? "wet" : "ink")}
              strokeWidth={l.wide}
              strokeDasharray={l.dash}
            />
            <text
              x={x(l.s * (0.3 + 0.2 * i)) + 6}
              y={y(-60 * (0.3 + 0.2 * i)) - 2}
              fontSize="13"
              fill={ink("ink2")}
              {...halo()}
            >
              {l.name}
            </text>
          </g>
        ))}
        <AxisBottom scale={x} at={154} ticks={x.ticks(5)} unit="s" />
      </svg>
    </Box>
  );
}

export function RoomSheet({ room: r, onTake }: Props) {
  const { out } = r;
  return (
    <Box minWidth="0">
      {r.fault && <Notice kind="fault">{sentenceOf(r.fault)}</Notice>}
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
