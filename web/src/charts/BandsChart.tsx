/** Power over frequency of each input of a place, against dry: where returns pile up. */
import { Box } from "@chakra-ui/react";
import { scaleLinear, scaleLog } from "d3-scale";

import type { Schemas } from "../api/client";
import { ink } from "../ui/theme";
import { signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { AxisBottom, AxisLeft, Gridlines, halo, linePath } from "./axes";

const LEFT = 46;
const TALL = 150;
const TICKS = [20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000];

export function BandsChart({ out }: { out: Schemas["ReturnsOut"] }) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const right = width - 10;
  const x = scaleLog([20, 20_000], [LEFT, right]);
  const wet = out.bands.filter((b) => b.name !== "dry");
  const dry = out.bands.filter((b) => b.name === "dry");
  const sum = (all: typeof wet) =>
    out.hz.map((_, i) => {
      const power = all.reduce((total, b) => total + 10 ** (b.power_db[i]! / 10), 0);
      return 10 * Math.log10(Math.max(power, 1e-12));
    });
  const wetSum = sum(wet);
  const top = Math.max(6, ...wetSum.map((v) => Math.ceil(v / 6) * 6));
  const y = scaleLinear([top, -42], [6, TALL]).clamp(true);
  const ticks = [top, 0, -12, -24, -36].filter((v, i, all) => all.indexOf(v) === i);
  const xs = out.hz.map((f) => x(f));
  const path = (values: number[]) =>
    linePath(
      xs,
      values.map((v) => y(v)),
    );
  return (
    <Box ref={frame} minWidth="0" marginTop="4px">
      <svg
        width={width}
        height={TALL + 30}
        display="block"
        role="img"
        aria-label={`Power by frequency, dB against dry. ${out.sentence}`}
      >
        <rect x={LEFT} y="6" width={right - LEFT} height={TALL - 6} fill={ink("sheet")} />
        <rect
          x={x(20)}
          y="6"
          width={x(200) - x(20)}
          height={TALL - 6}
          fill={ink("band")}
          opacity="0.16"
        />
        <text x={x(20) + 5} y="20" fontSize="13" fill={ink("ink2")} {...halo()}>
          low end
        </text>
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={right} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => signed(v, 0)} />
        {wet.map((b) => (
          <path
            key={b.name}
            d={path(b.power_db)}
            fill="none"
            stroke={ink("wet")}
            strokeWidth="1.25"
          />
        ))}
        {dry.length > 0 && (
          <path d={path(sum(dry))} fill="none" stroke={ink("ink")} strokeWidth="1.75" />
        )}
        <path
          d={path(wetSum)}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="3"
          strokeDasharray="9 4"
        />
        <text
          x={right - 6}
          y={y(wetSum[Math.round(out.hz.length * 0.62)]!) + 18}
          fontSize="13"
          textAnchor="end"
          fill={ink("wet")}
          {...halo()}
        >
          all wet
        </text>
        <AxisBottom
          scale={x}
          at={TALL}
          ticks={width < 420 ? [20, 200, 2000] : TICKS}
          format={(f) => (f >= 1000 ? `${f / 1000} k` : String(f))}
          unit="Hz"
        />
      </svg>
    </Box>
  );
}
