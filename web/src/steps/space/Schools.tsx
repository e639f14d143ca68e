/** Three schools of decay and pre-delay beside each other over shared scales. */
import { Box } from "@chakra-ui/react";
import { scaleLog } from "d3-scale";

import type { Schemas } from "../../api/client";
import { ink } from "../../ui/theme";
import { halo } from "../../charts/axes";
import { Press } from "../../ui/controls";
import { num } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Gloss } from "../../ui/Gloss";
import { Choice } from "../../ui/QuantityField";

type Kept = Schemas["KeptSpace"];
const ROW = 48;
const HEAD = 38;

interface Props {
  space: Kept;
  out: Schemas["SpaceOut"];
  onChange: (more: Partial<Kept>) => void;
}

export function Schools({ space, out, onChange }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(300);
  const names = Math.min(168, width * 0.34);
  const middle = names + (width - names) * 0.44;
  const p = scaleLog([5, 120], [names + 14, middle - 14]).clamp(true);
  const r = scaleLog([0.3, 8], [middle + 14, width - 12]).clamp(true);
  const height = HEAD + ROW * out.schools.length + 26;
  return (
    <Box minWidth="0">
      <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 12px">
        <Box color="ink2">
          Three <Gloss word="school">schools</Gloss>, one in force.
        </Box>
        <Box flex="1" />
        <Choice
          aria-label="Kind of source"
          width="auto"
          value={space.taste}
          onChange={(event) => onChange({ taste: event.target.value })}
        >
          {out.tastes.map((t) => (
            <option key={t.id} value={t.id}>
              {t.name}
            </option>
          ))}
        </Choice>
      </Box>
      <Box ref={frame} minWidth="0">
        <svg
          width={width}
          height={height}
          display="block"
          role="img"
          aria-label={out.schools
            .map((s) => `${s.name}: ${s.clear} of ${out.gaps.length} gaps clear`)
            .join("; ")}
        >
          <text x={p(5)} y="13" fontSize="13" fill={ink("ink2")}>
            Pre-delay, ms
          </text>
          <text x={r(0.3)} y="13" fontSize="13" fill={ink("ink2")}>
            RT60, s
          </text>
          {[
            { scale: p, ticks: [5, 10, 20, 50, 100] },
            { scale: r, ticks: [0.5, 1, 2, 4, 8] },
          ].map(({ scale, ticks }, i) => (
            <g key={i}>
              <rect
                x={scale.range()[0]! - 8}
                y={HEAD}
                width={scale.range()[1]! - scale.range()[0]! + 16}
                height={ROW * out.schools.length}
                fill={ink("sheet")}
              />
              <line
                x1={scale.range()[0]}
                x2={scale.range()[1]}
                y1={HEAD}
                y2={HEAD}
                stroke={ink("ink")}
                strokeWidth="1.5"
              />
              {ticks.map((t) => (
                <g key={t}>
                  <line x1={scale(t)} x2={scale(t)} y1={HEAD} y2={HEAD - 6} stroke={ink("ink")} />
                  <text
                    x={scale(t)}
                    y={HEAD - 9}
                    fontSize="13"
                    textAnchor="middle"
                    fill={ink("ink2")}
                  >
                    {t}
                  </text>
                </g>
              ))}
            </g>
          ))}
          {out.schools.map((s, i) => {
            const top = HEAD + i * ROW;
            const y = top + ROW / 2;
            const inForce = space.school === s.school;
            const [from, to] = [s.rt60_s[0], s.rt60_s.at(-1)];
            return (
              <g key={s.school}>
                {inForce && (
                  <rect x="0" y={top} width={names + 4} height={ROW} fill={ink("well")} />
                )}
                {inForce && <rect x="0" y={top} width="3" height={ROW} fill={ink("ink")} />}
                <line x1="0" x2={width} y1={top + ROW} y2={top + ROW} stroke={ink("rule")} />
                <text x="10" y={top + 20} fontSize="14" fontWeight="650" fill={ink("ink")}>
                  {s.name}
                </text>
                <text x="10" y={top + 37} fontSize="13" fill={ink("ink2")}>
                  {s.clear} of {out.gaps.length} clear
                </text>
                {s.school === "fits"
                  ? [out.pre_delays.filter((m) => m.ms >= 5 && m.ms <= 120)]
                      .flat()
                      .map((m) => (
                        <line
                          key={m.name}
                          x1={p(m.ms)}
                          x2={p(m.ms)}
                          y1={y - 8}
                          y2={y + 8}
                          stroke={ink("ink")}
                          strokeWidth={Math.abs(m.ms - s.pre_delay_ms[0]!) < 0.01 ? 4 : 1.25}
                        />
                      ))
                  : s.pre_delay_ms.length > 1 && (
                      <Range
                        x1={p(Math.max(5, s.pre_delay_ms[0]!))}
                        x2={p(s.pre_delay_ms[1]!)}
                        y={y}
                      />
                    )}
                {s.school === "fits"
                  ? s.rt60_s.map((v) => (
                      <line
                        key={v}
                        x1={r(v)}
                        x2={r(v)}
                        y1={y - 8}
                        y2={y + 8}
                        stroke={ink("ink")}
                        strokeWidth={
                          s.take_rt60_s !== null && Math.abs(v - s.take_rt60_s) < 0.05 * v
                            ? 4
                            : 1.25
                        }
                      />
                    ))
                  : from !== undefined &&
                    to !== undefined && <Range x1={r(from)} x2={r(to)} y={y} />}
                {s.school === "clears" && to !== undefined && (
                  <text x={r(to) + 6} y={y + 4} fontSize="13" fill={ink("ink2")} {...halo()}>
                    to {num(Math.floor(to * 100) / 100, 2)}
                  </text>
                )}
              </g>
            );
          })}
          <line
            x1={p(out.pre_delay_ms)}
            x2={p(out.pre_delay_ms)}
            y1={HEAD}
            y2={height - 22}
            stroke={ink("ink")}
          />
          <line
            x1={r(space.rt60_s)}
            x2={r(space.rt60_s)}
            y1={HEAD}
            y2={height - 22}
            stroke={ink("ink")}
          />
          {[
            { at: p(out.pre_delay_ms), words: `${num(out.pre_delay_ms, 2)} ms` },
            { at: r(space.rt60_s), words: `${num(space.rt60_s, 3)} s` },
          ].map(({ at, words }) => (
            <g key={words}>
              <rect
                x={Math.min(width - 76, Math.max(0, at - 38))}
                y={height - 23}
                width="76"
                height="22"
                fill={ink("ink")}
              />
              <text
                x={Math.min(width - 76, Math.max(0, at - 38)) + 38}
                y={height - 7}
                textAnchor="middle"
                fontSize="14"
                fontWeight="650"
                fill={ink("paper")}
              >
                {words}
              </text>
            </g>
          ))}
        </svg>
      </Box>
      <Box display="flex" flexWrap="wrap" gap="2px 14px">
        {out.schools.map((s) => (
          <Press
            key={s.school}
            look="quiet"
            disabled={s.take_rt60_s === null}
            title={s.about}
            onClick={() =>
              onChange({
                school: s.school,
                rt60_s: Math.max(0.05, Math.min(60, s.take_rt60_s!)),
                ...(s.take_pre_delay ? { pre_delay: s.take_pre_delay } : {}),
              })
            }
          >
            {s.name}:{" "}
            {s.take_rt60_s === null
              ? "nothing to take"
              : `use ${num(s.take_rt60_s, 2)} s${s.take_pre_delay ? `, ${s.take_pre_delay}` : ""}`}
          </Press>
        ))}
      </Box>
      <Box fontSize="13px" color="ink2">
        {out.schools.map((s) => `${s.name}: ${s.about}`).join(". ")}.
      </Box>
    </Box>
  );
}

function Range({ x1, x2, y }: { x1: number; x2: number; y: number }) {
  return (
    <g stroke={ink("ink")} strokeWidth="2">
      <line x1={x1} x2={x2} y1={y} y2={y} />
      <line x1={x1} x2={x1} y1={y - 7} y2={y + 7} />
      <line x1={x2} x2={x2} y1={y - 7} y2={y + 7} />
    </g>
  );
}
