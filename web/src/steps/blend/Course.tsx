/** Levels along the course of a rig: from source to output, headroom at every stage. */
import { Box } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import { useState } from "react";

import { api, ask, type Kind, type Schemas, sentenceOf } from "../../api/client";
import { useSongContext } from "../../song/context";
import { ink } from "../../ui/theme";
import { AxisLeft, Gridlines } from "../../charts/axes";
import { ScaleSlider } from "../../charts/ScaleSlider";
import { Answer } from "../../ui/Answer";
import { SendTo } from "../../rigs/SendTo";
import { Empty, HowComputed, Notice, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { useKinds } from "../../rigs/kinds";
import { Choice, Labelled } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";
import type { RouteHandle } from "../../rigs/variants";
import { nameOf } from "../../rigs/names";
import { type CoursePlace, loudestOf, toldOf } from "./places";
import { useKeptBlend } from "./kept";

export function useCourseLevels(route: RouteHandle) {
  const { song } = useSongContext();
  const { kept, keep } = useKeptBlend();
  // Null: what each source has.
  const [crest, setCrest] = useState<number | null>(null);
  const [at, setAt] = useState(0);
  const boards = route.variant?.view.report.boards ?? [];
  const way = boards[Math.min(at, boards.length - 1)];
  const body = {
    source: way?.source ?? null,
    output: way?.output ?? null,
    full_scale_dbu: kept.full_scale_dbu!,
    crest_db: crest,
  };
  const query = useQuery({
    queryKey: ["course", route.id, route.variant?.revision, song.revision, body],
    enabled: !!route.variant && !!way,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/variants/{variant_id}/course-levels", {
          params: { path: { variant_id: route.id } },
          body,
          signal,
        }),
      ),
  });
  const out = query.data;
  // A variant on its way may have a way through; one that is there either has one or not.
  const asked = !!route.id && (!route.variant || !!way);
  return { route, kept, keep, crest, setCrest, at, setAt, boards, out, asked, fault: query.error };
}

interface Props {
  c: ReturnType<typeof useCourseLevels>;
}

export function CoursePicture({ c }: Props) {
  const { route, kept, keep, crest, setCrest, at, setAt, boards, out } = c;
  const kinds = useKinds();
  return (
    <Box as="section" aria-label="Levels along the course" minWidth="0">
      <SheetTitle about={`${route.named}: after each stage, nominal and peak at most, dBFS`}>
        Levels
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 14px" alignItems="end" marginTop="4px">
        {boards.length > 1 && route.variant && (
          <Labelled label="from, to">
            <Choice value={at} maxWidth="240px" onChange={(e) => setAt(Number(e.target.value))}>
              {boards.map((b, i) => (
                <option key={`${b.source}${b.output}`} value={i}>
                  {nameOf(route.variant!, b.source)} to {nameOf(route.variant!, b.output)}
                </option>
              ))}
            </Choice>
          </Labelled>
        )}
        <Labelled label="full scale is">
          <Choice
            value={kept.full_scale_dbu}
            onChange={(event) => keep({ full_scale_dbu: Number(event.target.value) })}
          >
            {[18, 20, 22, 24].map((v) => (
              <option key={v} value={v}>
                +{v} dBu
              </option>
            ))}
          </Choice>
        </Labelled>
        <Box width="210px">
          <ScaleSlider
            label="peak above RMS"
            value={crest ?? 12}
            low={3}
            high={24}
            step={1}
            ticks={[3, 12, 24]}
            shown={(v) => (crest === null ? "each its own" : `${num(v, 0)} dB`)}
            onChange={setCrest}
          />
        </Box>
      </Box>
      {c.fault && <Notice kind="fault">{sentenceOf(c.fault)}</Notice>}
      {out && out.places.length > 0 && <Stairs out={out} kinds={kinds.data} />}
    </Box>
  );
}

export function AlongCourse({ c }: Props) {
  const { route, out } = c;
  const kinds = useKinds();
  if (!out?.places.length) return <Empty>Begin a rig under Route: its levels stand here.</Empty>;
  const trims = out.places.filter((p) => p.trim_db !== null);
  return (
    <>
      <Answer>{out.sentence}</Answer>
      {trims.length > 0 && (
        <SendTo
          route={route}
          actions={trims.map((p) => ({
            do: "set" as const,
            node: p.node,
            values: { output_db: p.trim_db! },
          }))}
          label={`Make ${trims.map((p) => p.name).join(" and ")} of ${route.named} as loud after as before`}
          said={`${trims.map((p) => `${p.name} ${signed(p.trim_db!, 1)} dB`).join(", ")}: as loud after as before.`}
        />
      )}
      {out.cautions.map((text) => (
        <Notice key={text} kind="caution">
          {text}
        </Notice>
      ))}
      <Box overflowX="auto">
        <Table>
          <thead>
            <tr>
              <Th textAlign="left">after</Th>
              <Th>dBFS</Th>
              <Th>dBu</Th>
              <Th>dBV</Th>
              <Th>change, dB</Th>
              <Th title="A bound: everything in step">peak at most, dBFS</Th>
              <Th>headroom, dB</Th>
              {out.measured_clip !== null && (
                <>
                  <Th title={`In the render of “${out.measured_clip}”`}>measured, dBFS</Th>
                  <Th>true peak, dBTP</Th>
                  <Th title="Share of the time in which it turns down">acts, %</Th>
                </>
              )}
            </tr>
          </thead>
          <tbody>
            {toldOf(out.places, out.lowest, kinds.data).map((p) => (
              <Box as="tr" key={p.node} background={p.node === out.lowest ? "well" : undefined}>
                <Td textAlign="left" fontWeight="650">
                  {p.name}
                </Td>
                <Td>{signed(p.level_dbfs, 1)}</Td>
                <Td>{signed(p.dbu, 1)}</Td>
                <Td>{signed(p.dbv, 1)}</Td>
                <Td>{Math.abs(p.change_db) < 0.05 ? "0.0" : signed(p.change_db, 1)}</Td>
                <Td>{signed(p.peak_dbfs, 1)}</Td>
                <Td color={p.headroom_db < 0 ? "diff" : undefined} fontWeight="650">
                  {signed(p.headroom_db, 1)}
                </Td>
                {out.measured_clip !== null && <MeasuredCells place={p} />}
              </Box>
            ))}
          </tbody>
        </Table>
      </Box>
      <HowComputed>{out.computed_how}</HowComputed>
    </>
  );
}

function MeasuredCells({ place }: { place: CoursePlace }) {
  const { measured } = place;
  const level = loudestOf(measured);
  const peaks = (measured?.true_peak_dbtp ?? []).filter((v): v is number => v !== null);
  return (
    <>
      <Td>{level === null ? "" : signed(level, 1)}</Td>
      <Td>{peaks.length ? signed(Math.max(...peaks), 1) : ""}</Td>
      <Td>{measured?.acting == null ? "" : num(100 * measured.acting, 0)}</Td>
    </>
  );
}

const LEFT = 46;
const TALL = 190;

/** Nominal level (thick) and peak (thin) behind each stage, as stairs. */
function Stairs({ out, kinds }: { out: Schemas["CourseLevels"]; kinds: Kind[] | undefined }) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const places = toldOf(out.places, out.lowest, kinds);
  const step = (width - LEFT - 10) / Math.max(1, places.length);
  const low = Math.min(-48, ...places.map((p) => Math.floor(p.level_dbfs / 12) * 12));
  const top = Math.max(0, ...places.map((p) => Math.ceil(p.peak_dbfs / 6) * 6));
  const y = scaleLinear([top, low], [8, TALL]);
  const ticks = y.ticks(5);
  const at = (i: number) => LEFT + i * step;
  const slanted = step < 76;
  const within = places.filter((_, i) => at(i) < LEFT + 76);
  const free = out.measured_clip === null && within.every((p) => y(p.peak_dbfs) > y(0) + 17);
  return (
    <Box ref={frame} minWidth="0" marginTop="6px">
      <svg
        width={width}
        height={TALL + (slanted ? 78 : 30)}
        display="block"
        role="img"
        aria-label={`Levels from ${out.source} to ${out.output}. ${out.sentence}`}
      >
        <rect x={LEFT} y="8" width={width - 10 - LEFT} height={TALL - 8} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 10} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
        <line x1={LEFT} x2={width - 10} y1={y(0)} y2={y(0)} stroke={ink("diff")} strokeWidth="2" />
        {out.measured_clip !== null && (
          <text x={LEFT + 8} y={y(0) + 15} fontSize="13" fill={ink("ink2")}>
            ○ measured on “{out.measured_clip}”
          </text>
        )}
        {places.map((p, i) => (
          <g key={p.node}>
            <line
              x1={at(i)}
              x2={at(i)}
              y1="8"
              y2={TALL}
              stroke={ink("rule")}
              strokeWidth={i ? 1 : 0}
            />
            <rect
              x={at(i) + 3}
              y={y(p.peak_dbfs)}
              width={Math.max(2, step - 6)}
              height={Math.max(1, y(p.level_dbfs) - y(p.peak_dbfs))}
              fill={ink(p.headroom_db < 0 ? "diff" : "band")}
              opacity="0.45"
            />
            <line
              x1={at(i) + 3}
              x2={at(i) + step - 3}
              y1={y(p.level_dbfs)}
              y2={y(p.level_dbfs)}
              stroke={ink("ink")}
              strokeWidth="4"
            />
            {loudestOf(p.measured) !== null && (
              <circle
                cx={at(i) + step / 2}
                cy={y(loudestOf(p.measured)!)}
                r="5"
                fill={ink("sheet")}
                stroke={ink("ink")}
                strokeWidth="2"
              />
            )}
            <text
              x={at(i) + step / 2}
              y={TALL + 18}
              fontSize="13"
              fontWeight={p.node === out.lowest ? 650 : 400}
              fill={ink("ink")}
              textAnchor={slanted ? "end" : "middle"}
              transform={slanted ? `rotate(-40 ${at(i) + step / 2} ${TALL + 18})` : undefined}
            >
              {p.name.length > 14 ? `${p.name.slice(0, 13)}…` : p.name}
            </text>
          </g>
        ))}
        {/* Over the bars, where the first of them leaves room if it does. */}
        <text
          x={free ? LEFT + 8 : width - 14}
          y={y(0) + 15}
          fontSize="13"
          fill={ink("diff")}
          textAnchor={free ? "start" : "end"}
          stroke={ink("sheet")}
          strokeWidth="4"
          paintOrder="stroke"
        >
          full scale
        </text>
      </svg>
    </Box>
  );
}
