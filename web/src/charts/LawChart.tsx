/** All mix laws together: the chosen one's dry, wet and sum, the others' sums thin. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

const LEFT = 42;
const TOP = 8;
const TALL = 190;

interface Props {
  out: Schemas["BlendOut"];
  law: string;
  mix: number | null;
}

export function LawChart({ out, law, mix }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const x = scaleLinear([0, 100], [LEFT, width - 10]);
  const y = scaleLinear([7, -18], [TOP, TOP + TALL]);
  const xs = out.mix_percent.map((v) => x(v));
  const chosen = out.laws.find((l) => l.law === law) ?? out.laws[0]!;
  const path = (values: (number | null)[]) =>
    linePath(
      xs,
      values.map((v) => (v === null || v < -18 ? null : y(v))),
    );
  const index = mix === null ? null : Math.round(mix);
  const marks =
    index === null
      ? []
      : ([
          ["sum", chosen.sum_db[index], "ink"],
          ["dry", chosen.dry_db[index], "ink"],
          ["wet", chosen.wet_db[index], "wet"],
        ] as const);
  const ticks = [6, 0, -6, -12, -18];
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={TOP + TALL + 32}
        display="block"
        role="img"
        aria-label={`${chosen.name}: ${out.sentence}`}
      >
        <rect x={LEFT} y={TOP} width={width - 10 - LEFT} height={TALL} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 10} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
        {out.laws
          .filter((l) => l.law !== chosen.law)
          .map((l) => (
            <path
              key={l.law}
              d={path(l.sum_db)}
              fill="none"
              stroke={ink("band")}
              strokeWidth="1.25"
            />
          ))}
        <path d={path(chosen.dry_db)} fill="none" stroke={ink("ink")} strokeWidth="1.75" />
        <path
          d={path(chosen.wet_db)}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="2.25"
          strokeDasharray="9 4"
        />
        <path d={path(chosen.sum_db)} fill="none" stroke={ink("ink")} strokeWidth="4" />
        <text x={x(1)} y={TOP + 15} fontSize="13" fill={ink("ink2")} {...halo()}>
          {chosen.name}; thin: the sums of the other laws
        </text>
        {mix !== null && (
          <g>
            <line x1={x(mix)} x2={x(mix)} y1={TOP} y2={TOP + TALL} stroke={ink("ink")} />
            {marks.map(([name, v, colour]) =>
              v == null || v < -18 ? null : (
                <g key={name}>
                  <circle
                    cx={x(mix)}
                    cy={y(v)}
                    r="4.5"
                    fill={ink("sheet")}
                    stroke={ink(colour)}
                    strokeWidth="1.75"
                  />
                  <text
                    x={x(mix) + (name === "wet" || mix < 15 ? 9 : -9)}
                    y={y(v) + (name === "sum" ? -6 : 14)}
                    textAnchor={name === "wet" || mix < 15 ? "start" : "end"}
                    fontSize="13"
                    fontWeight="650"
                    fontStyle={name === "wet" ? "italic" : undefined}
                    fill={ink(colour)}
                    {...halo()}
                  >
                    {name} {signed(v, 2)}
                  </text>
                </g>
              ),
            )}
          </g>
        )}
        <AxisBottom
          scale={x}
          at={TOP + TALL}
          ticks={[0, 20, 40, 60, 80, 100]}
          format={(v) => num(v, 0)}
          unit="% mix"
        />
      </svg>
    </Box>
  );
}
