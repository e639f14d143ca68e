/** Wet against dry on one scale: decibels above, the wet share of the level below; the rig's own value and the live one. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { type KeyboardEvent, type PointerEvent } from "react";

import { ink } from "../../ui/theme";
import { signed } from "../../ui/format";
import { useDrag, useWidth } from "../../ui/hooks";
import { HIGH, LOW, type Sides, stepped, WET_DRY, type WetDb, wetWords } from "../../playing/wet";

const END = 54;
const AXIS = 34;
const HEIGHT = 92;
const TICKS = [-30, -24, -18, -12, -9, -6, -3, 0, 3, 6, 12];
const SHARES = [5, 10, 20, 30, 40, 50, 60, 70];

interface Props {
  value: WetDb;
  route: number;
  disabled: boolean;
  sides: Sides;
  /** What the moved path is set to, in the unit of its control; empty where it has none. */
  setting: string;
  onChange: (value: WetDb) => void;
}

export function Balance({ value, route, disabled, sides, setting, onChange }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(320);
  const x = scaleLinear([LOW, HIGH], [END, width - END]);
  const place = (db: WetDb) => (db === -Infinity ? 4 : db === Infinity ? width - 7 : x(db));
  const take = (event: PointerEvent<SVGSVGElement>) => {
    const at = event.clientX - event.currentTarget.getBoundingClientRect().left;
    const db = Math.round(x.invert(at) * 10) / 10;
    onChange(
      db < LOW - 1 ? -Infinity : db > HIGH + 1 ? Infinity : Math.max(LOW, Math.min(HIGH, db)),
    );
  };
  const drag = useDrag({ begin: () => !disabled, take });
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (event.key === "Home") onChange(-Infinity);
    else if (event.key === "End") onChange(Infinity);
    else if (event.key === "Escape") onChange(route);
    else if (way) onChange(stepped(value, way * (event.shiftKey ? 3 : event.altKey ? 0.1 : 0.5)));
    else return;
    event.preventDefault();
  };
  const at = place(value);
  const ring = place(Math.max(LOW, Math.min(HIGH, route)));
  const words = wetWords(value, sides) + (setting && `; ${setting}`);
  const boxWidth = words.length * 7.4 + 18;
  const boxAt = Math.max(0, Math.min(width - boxWidth, at - boxWidth / 2));
  const crowded = width < 560;
  return (
    <Box ref={frame} minWidth="0">
      <svg
        width={width}
        height={HEIGHT}
        display="block"
        role="slider"
        tabIndex={disabled ? -1 : 0}
        aria-disabled={disabled}
        aria-label={sides === WET_DRY ? "Wet against dry" : `${sides.moves} against ${sides.rest}`}
        aria-valuemin={LOW}
        aria-valuemax={HIGH}
        aria-valuenow={Math.max(LOW, Math.min(HIGH, value))}
        aria-valuetext={words}
        style={{
          cursor: disabled ? "default" : "ew-resize",
          touchAction: "pan-y",
          opacity: disabled ? 0.55 : 1,
        }}
        onKeyDown={disabled ? undefined : onKeyDown}
        onDoubleClick={() => !disabled && onChange(route)}
        {...drag}
      >
        <rect x={END} y={AXIS - 8} width={width - 2 * END} height="16" fill={ink("sheet")} />
        <line x1="2" x2={width - END} y1={AXIS} y2={AXIS} stroke={ink("ink")} strokeWidth="1.5" />
        <line x1="4" x2="4" y1={AXIS - 10} y2={AXIS + 10} stroke={ink("ink")} strokeWidth="4" />
        <line
          x1={width - END}
          x2={width - 8}
          y1={AXIS}
          y2={AXIS}
          stroke={ink("wet")}
          strokeWidth="2"
          strokeDasharray="9 4"
        />
        {[width - 9, width - 4].map((edge) => (
          <line
            key={edge}
            x1={edge}
            x2={edge}
            y1={AXIS - 10}
            y2={AXIS + 10}
            stroke={ink("ink")}
            strokeWidth="1.75"
          />
        ))}
        {Array.from({ length: HIGH - LOW + 1 }, (_, i) => LOW + i).map((db) => (
          <line
            key={db}
            x1={x(db)}
            x2={x(db)}
            y1={AXIS}
            y2={AXIS - (TICKS.includes(db) ? 10 : 4)}
            stroke={ink("ink")}
          />
        ))}
        {TICKS.filter((db) => !crowded || db % 6 === 0).map((db) => (
          <text
            key={db}
            x={x(db)}
            y="16"
            textAnchor="middle"
            fontSize="13"
            fill={ink(db === 0 ? "ink" : "ink2")}
            fontWeight={db === 0 ? 650 : 400}
          >
            {db === 0 ? (crowded ? "0" : "0, equal") : `${signed(db, 0)}${db === LOW ? " dB" : ""}`}
          </text>
        ))}
        {SHARES.map((share) => {
          const db = 20 * Math.log10(share / (100 - share));
          return (
            <g key={share}>
              <line x1={x(db)} x2={x(db)} y1={AXIS} y2={AXIS + 7} stroke={ink("edge")} />
              {(!crowded || share % 20 === 10) && (
                <text x={x(db)} y={AXIS + 24} textAnchor="middle" fontSize="13" fill={ink("ink2")}>
                  {share === (crowded ? 10 : 5) ? `${share} %` : share}
                </text>
              )}
            </g>
          );
        })}
        <text x="0" y={AXIS + 26} fontSize="13" fontWeight="650" fill={ink("ink")}>
          {sides.rest} only
        </text>
        <text
          x={width}
          y={AXIS + 26}
          textAnchor="end"
          fontSize="13"
          fontWeight="650"
          fontStyle="italic"
          fill={ink("wet")}
        >
          {sides.moves} only
        </text>
        <rect
          x={Math.min(at, ring)}
          y={AXIS - 4}
          width={Math.abs(at - ring)}
          height="8"
          fill={ink("diff")}
        />
        <circle
          cx={ring}
          cy={AXIS}
          r="5.5"
          fill={ink("sheet")}
          stroke={ink("ink")}
          strokeWidth="1.75"
        />
        <line x1={at} x2={at} y1={AXIS - 18} y2={AXIS + 18} stroke={ink("ink")} strokeWidth="4" />
        <rect x={boxAt} y={HEIGHT - 26} width={boxWidth} height="25" fill={ink("ink")} />
        <text
          x={boxAt + boxWidth / 2}
          y={HEIGHT - 9}
          textAnchor="middle"
          fontSize="14"
          fontWeight="650"
          fill={ink("paper")}
        >
          {words}
        </text>
      </svg>
    </Box>
  );
}
