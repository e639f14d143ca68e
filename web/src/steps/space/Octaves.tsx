/** Decay by octave: small slopes against the whole one, each with its share to set. */
import { Box } from "@chakra-ui/react";

import { ink } from "../../ui/theme";
import { num } from "../../ui/format";
import { Choice } from "../../ui/QuantityField";

const NAMES = ["125", "250", "500", "1 k", "2 k", "4 k"];
const WIDE = 74;
const TALL = 56;
const SHAPES: [string, number[]][] = [
  ["even", [1, 1, 1, 1, 1, 1]],
  ["warm", [1.15, 1.08, 1, 0.96, 0.8, 0.6]],
  ["dark", [1.2, 1.1, 1, 0.8, 0.55, 0.35]],
  ["bright", [0.7, 0.8, 1, 1.05, 1.05, 0.95]],
];

interface Props {
  ratios: number[];
  rt60: number;
  out: number[];
  onChange: (ratios: number[]) => void;
}

export function Octaves({ ratios, rt60, out, onChange }: Props) {
  const span = Math.max(...out, rt60, 0.1);
  const known = SHAPES.find(([, shape]) => shape.every((v, i) => Math.abs(v - ratios[i]!) < 1e-6));
  return (
    <Box minWidth="0">
      <Box display="flex" alignItems="baseline" gap="10px" flexWrap="wrap">
        <Box color="ink2">RT60 in s, and its share of the whole</Box>
        <Choice
          aria-label="Shape of the decay"
          width="auto"
          value={known?.[0] ?? "own"}
          onChange={(event) =>
            onChange(SHAPES.find(([n]) => n === event.target.value)?.[1] ?? ratios)
          }
        >
          {SHAPES.map(([name]) => (
            <option key={name}>{name}</option>
          ))}
          {!known && <option>own</option>}
        </Choice>
      </Box>
      <Box display="grid" gridTemplateColumns="repeat(auto-fill, 78px)" gap="6px">
        {NAMES.map((name, i) => (
          <Box key={name}>
            <Box display="flex" justifyContent="space-between" fontSize="13px">
              <Box as="span" color="ink2">
                {name}
              </Box>
              <strong>{num(out[i] ?? 0, 2)}</strong>
            </Box>
            <svg
              width={WIDE}
              height={TALL}
              display="block"
              role="img"
              aria-label={`${name} Hz: ${num(out[i] ?? 0, 2)} s`}
            >
              <rect width={WIDE} height={TALL} fill={ink("sheet")} />
              <line x1="0" y1="0" x2={(rt60 / span) * WIDE} y2={TALL} stroke={ink("edge")} />
              <line
                x1="0"
                y1="0"
                x2={((out[i] ?? 0) / span) * WIDE}
                y2={TALL}
                stroke={ink("wet")}
                strokeWidth="2.25"
                strokeDasharray="6 3"
              />
              <path d={`M0 0V${TALL}H${WIDE}`} fill="none" stroke={ink("ink")} strokeWidth="1.5" />
            </svg>
            <input
              type="range"
              aria-label={`Share of the decay at ${name} Hz`}
              min="20"
              max="150"
              value={Math.round(ratios[i]! * 100)}
              onChange={(event) =>
                onChange(ratios.map((v, j) => (j === i ? Number(event.target.value) / 100 : v)))
              }
              style={{ width: WIDE, accentColor: ink("ink") }}
            />
          </Box>
        ))}
      </Box>
    </Box>
  );
}
