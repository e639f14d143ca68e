/** Evidence, drawn: what was found as a line, what would fit it as a broad one under it. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import { ink } from "../ui/theme";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";
import {
  domainOf,
  hollowOf,
  insetOf,
  labelOf,
  octaveTicks,
  type Picture,
  upright,
} from "./picture";

const LEFT = 48;
const TOP = 6;

export function PictureChart({ picture, tall = 132 }: { picture: Picture; tall?: number }) {
  const [frame, width] = useWidth<HTMLDivElement>(240);
  const domain = domainOf(picture);
  const span: [number, number] = [LEFT, width - 6];
  const inset = insetOf(picture);
  const across: [number, number] = [span[0] + inset, span[1] - inset];
  const x = picture.x_log ? scaleLog(domain.x, across) : scaleLinear(domain.x, across);
  const y = scaleLinear([domain.y[1], domain.y[0]], [TOP, TOP + tall]);
  const yTicks = y.ticks(4);
  const xTicks = picture.x_log
    ? octaveTicks(domain.x, span[1] - span[0])
    : x
        .ticks(Math.max(2, Math.floor((span[1] - span[0]) / 70)))
        .filter((v) => picture.x_unit !== "order" || Number.isInteger(v));
  const zero = domain.y[0] < 0 && domain.y[1] > 0;
  const unit = picture.x_unit === "s" || picture.x_unit === "order" ? undefined : picture.x_unit;
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={TOP + tall + 32}
        display="block"
        role="img"
        aria-label={`${picture.title}, ${picture.about}: ${picture.series.map((s) => s.name).join(", ")}`}
      >
        <rect x={LEFT} y={TOP} width={span[1] - LEFT} height={tall} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={yTicks} x1={LEFT} x2={span[1]} />
        {zero && <line x1={LEFT} x2={span[1]} y1={y(0)} y2={y(0)} stroke={ink("edge")} />}
        <AxisLeft scale={y} at={LEFT} ticks={yTicks} format={(v) => upright(picture, v)} />
        {picture.series.map((series) => {
          const xs = series.x.map((v) => x(v));
          const ys = series.y.map((v) => (v === null ? null : y(v)));
          if (series.look === "points") {
            const hollow = hollowOf(picture.series, series);
            return (
              <g key={series.name} fill={ink(hollow ? "sheet" : "ink")} stroke={ink("ink")}>
                {xs.map(
                  (cx, i) =>
                    ys[i] !== null && <circle key={i} cx={cx} cy={ys[i]!} r={hollow ? 3.2 : 2.4} />,
                )}
              </g>
            );
          }
          const fit = series.look === "fit";
          return (
            <path
              key={series.name}
              d={linePath(xs, ys)}
              fill="none"
              stroke={ink(fit ? "band" : "ink")}
              strokeWidth={fit ? 6 : 1.5}
              strokeLinejoin="round"
            />
          );
        })}
        {picture.marks.map((mark) => (
          <g key={`${mark.x} ${mark.label}`}>
            <line
              x1={x(mark.x)}
              x2={x(mark.x)}
              y1={TOP}
              y2={TOP + tall}
              stroke={ink("ink2")}
              strokeDasharray="1 3"
            />
            <text
              x={x(mark.x) + (x(mark.x) > width * 0.66 ? -5 : 5)}
              y={TOP + 14}
              textAnchor={x(mark.x) > width * 0.66 ? "end" : "start"}
              fontSize="13"
              fill={ink("ink")}
              {...halo()}
            >
              {mark.label}
            </text>
          </g>
        ))}
        <AxisBottom
          scale={x}
          at={TOP + tall}
          ticks={xTicks}
          format={(v) => labelOf(picture.x_unit, v)}
          unit={unit}
        />
      </svg>
    </Box>
  );
}
