/** The settable steps round the wanted time, and the error between the two, much enlarged. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { memo } from "react";

import type { Device, TimeRuler } from "../api/client";
import { ink } from "../ui/theme";
import { num, signed } from "../ui/format";
import { useWidth } from "../ui/hooks";
import { halo } from "./axes";

const LEFT = 84;
const HEIGHT = 62;
const AXIS = 30;

export const Vernier = memo(function Vernier({
  ruler,
  device,
}: {
  ruler: TimeRuler;
  device: Device;
}) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const setting = ruler.setting;
  if (!setting) return null;
  const { step_ms: step } = device;
  const wanted = ruler.chosen.ms;
  const spread = Math.max(2.4 * step, Math.abs(setting.error_ms) * 1.3);
  const middle = setting.set_ms;
  const x = scaleLinear([middle - spread, middle + spread], [LEFT, width]);
  const decimals = Math.min(4, Math.max(0, -Math.floor(Math.log10(step) + 1e-9)));
  const steps: number[] = [];
  for (let k = -2; k <= 2; k++) {
    const value = middle + k * step;
    if (value >= device.min_ms - 1e-9 && value <= device.max_ms + 1e-9) steps.push(value);
  }
  const [a, b] = [x(wanted), x(setting.set_ms)];
  const exact = Math.abs(setting.error_ms) < 5e-7;
  const right = a >= b;
  return (
    <Box ref={frame} overflow="hidden">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Can be set to ${num(setting.set_ms, decimals)} ms; wanted ${num(wanted, 3)} ms; error ${signed(setting.error_ms, 3)} ms`}
        display="block"
      >
        <text x="0" y={AXIS + 4.5} fontSize="14" fill={ink("ink2")}>
          Can be set
        </text>
        <line x1={LEFT} x2={width} y1={AXIS} y2={AXIS} stroke={ink("ink")} strokeWidth="1.5" />
        {steps.map((value) => (
          <g key={value}>
            <line
              x1={x(value)}
              x2={x(value)}
              y1={AXIS - 8}
              y2={AXIS + 8}
              stroke={ink("ink")}
              strokeWidth="2"
            />
            {width > 620 && Math.abs(value - setting.set_ms) > step / 2 && (
              <text x={x(value)} y={AXIS + 25} textAnchor="middle" fontSize="14" fill={ink("ink2")}>
                {num(value, decimals)}
              </text>
            )}
          </g>
        ))}
        {!exact && (
          <g>
            <rect
              x={Math.min(a, b)}
              y={AXIS - 6}
              width={Math.abs(a - b)}
              height="12"
              fill={ink("diff")}
            />
            <line
              x1={a}
              x2={a}
              y1={AXIS - 12}
              y2={AXIS + 12}
              stroke={ink("ink")}
              strokeWidth="1.5"
            />
          </g>
        )}
        <line x1={b} x2={b} y1={AXIS - 9} y2={AXIS + 9} stroke={ink("ink")} strokeWidth="4.5" />
        <text
          x={right ? b - 8 : b + 8}
          y={AXIS + 25}
          textAnchor={right ? "end" : "start"}
          fontSize="14"
          fontWeight="650"
          fill={ink("ink")}
          {...halo("paper")}
        >
          {num(setting.set_ms, decimals)} ms, nearest{width > 620 ? " step" : ""}
        </text>
        <text
          x={right ? a + 8 : a - 8}
          y={AXIS + 25}
          textAnchor={right ? "start" : "end"}
          fontSize="14"
          fontWeight="650"
          fill={ink("ink")}
          {...halo("paper")}
        >
          {exact ? "" : `${num(wanted, 3)}${width > 620 ? " ms" : ""} wanted`}
        </text>
        <text
          x={right ? a + 8 : a - 8}
          y={AXIS - 12}
          textAnchor={right ? "start" : "end"}
          fontSize="14"
          fontWeight="650"
          fill={ink(exact ? "ok" : "diff")}
        >
          {exact ? "no error" : `error ${signed(setting.error_ms, 3)} ms`}
        </text>
      </svg>
    </Box>
  );
});
