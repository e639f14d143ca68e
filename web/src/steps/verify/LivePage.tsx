/** Live null: one input taken from the other while it plays. Nothing of it comes out of the speakers. */
import { Box } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { useRef, useState } from "react";

import { AxisLeft, Gridlines, linePath } from "../../charts/axes";
import { InputChoice, InputMeter } from "../../clips/InputMeter";
import { useInput } from "../../clips/useInput";
import { Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { useKey } from "../../ui/keys";
import { NumberField } from "../../ui/NumberField";
import { ink } from "../../ui/theme";
import { LiveNull, liveVerdict, type Reading, type Trims } from "./live";
import { Ways } from "./Ways";

const REST: Trims = { gain_db: 0, early: 0, turned: false };

export default function LivePage() {
  const [open, setOpen] = useState(false);
  return (
    <Box>
      <Ways here="live" />
      <SheetTitle
        page
        about="A into the first input, B into the second of one interface; what is left of A less B, as it plays"
      >
        Live null
      </SheetTitle>
      {open ? (
        <Live />
      ) : (
        <Box marginTop="12px">
          <Box maxWidth="640px" color="ink2" marginBottom="10px">
            Monitors down first: an input that hears the speakers feeds back. Nothing that comes in
            is played here.
          </Box>
          <Press look="primary" onClick={() => setOpen(true)}>
            Open the inputs
          </Press>
        </Box>
      )}
    </Box>
  );
}

function Live() {
  const [device, setDevice] = useState("");
  const [trims, setTrims] = useState<Trims>(REST);
  const [now, setNow] = useState<Reading | null>(null);
  const [line, setLine] = useState<number[]>([]);
  const [best, setBest] = useState<LiveNull["best"]>(null);
  const [floor, setFloor] = useState<number | null>(null);
  const [mono, setMono] = useState(false);
  const live = useRef<LiveNull | null>(null);
  const looking = useRef(false);
  const input = useInput(
    device,
    (block) => {
      if (mono !== block.channels.length < 2) setMono(block.channels.length < 2);
      live.current?.push(block.channels);
    },
    (context) => {
      live.current ??= new LiveNull(context.sampleRate);
      // As soon as something sounds.
      const found = looking.current ? live.current.found() : null;
      if (found) {
        looking.current = false;
        live.current.forget();
        return setTrims(found);
      }
      setNow(live.current.look(trims));
      setLine(live.current.history);
      setBest(live.current.best);
    },
  );
  const change = (more: Partial<Trims>) => setTrims((old) => ({ ...old, ...more }));
  const find = () => {
    looking.current = true;
  };
  const hold = () => best && setFloor(best.relative_db);
  useKey("live", "F", find);
  return (
    <Box marginTop="10px">
      {input.fault && (
        <Box color="diff" role="alert" fontWeight="650" marginBottom="8px">
          {input.fault}
        </Box>
      )}
      <Box
        display="grid"
        gridTemplateColumns={{ base: "minmax(0, 1fr)", lg: "minmax(0, 1fr) 320px" }}
        gap="14px 32px"
      >
        <Box minWidth="0">
          <Box display="flex" flexWrap="wrap" alignItems="baseline" gap="4px 24px">
            <Box
              role="status"
              aria-label="Residual"
              fontFamily="title"
              fontSize="44px"
              lineHeight="52px"
              fontWeight="600"
            >
              {now && now.a_db > -70 ? `${signed(now.relative_db, 1)} dB` : "no sound"}
            </Box>
            <Box color="ink2">
              {now && now.a_db > -70 && (
                <>
                  left of A; {num(now.residual_db, 1)} dBFS. A {num(now.a_db, 1)}, B{" "}
                  {num(now.b_db, 1)} dBFS
                </>
              )}
            </Box>
          </Box>
          {mono && (
            <Box color="caution" fontWeight="650">
              This input has one channel: B needs the second of the same interface.
            </Box>
          )}
          <LineOver values={line} best={best?.relative_db ?? null} floor={floor} />
          <Box fontWeight="650" marginTop="4px">
            {best && now ? liveVerdict(best.relative_db, floor) : ""}
          </Box>
        </Box>
        <Box minWidth="0">
          <InputChoice input={input} value={device} busy={false} onChoose={setDevice} />
          <InputMeter level={input.level} />
          <Box display="flex" flexWrap="wrap" gap="8px 14px" marginTop="12px" alignItems="flex-end">
            <NumberField
              named
              label="gain of B"
              unit="dB"
              width="112px"
              value={trims.gain_db}
              least={-40}
              most={40}
              digits={2}
              step={0.01}
              onCommit={(gain_db) => change({ gain_db })}
            />
            <NumberField
              named
              label="B earlier"
              unit="samples"
              width="136px"
              value={trims.early}
              least={-200}
              most={200}
              digits={2}
              step={0.01}
              onCommit={(early) => change({ early })}
            />
          </Box>
          <Box
            asChild
            display="flex"
            gap="8px"
            alignItems="center"
            minHeight={{ base: "44px", sm: "34px" }}
          >
            <label>
              <input
                type="checkbox"
                checked={trims.turned}
                onChange={(event) => change({ turned: event.target.checked })}
              />
              B turned over
            </label>
          </Box>
          <Box display="flex" flexWrap="wrap" gap="8px" marginTop="6px">
            <Press look="primary" hint="F" onClick={find}>
              Find the trims
            </Press>
            <Press disabled={!best} onClick={() => best && setTrims(best.trims)}>
              Back to the best
            </Press>
            <Press disabled={!best} onClick={hold}>
              Hold as the floor
            </Press>
            <Press
              look="quiet"
              onClick={() => {
                live.current?.forget();
                setTrims(REST);
              }}
            >
              Begin again
            </Press>
          </Box>
          <Box color="ink2" fontSize="13px" marginTop="8px">
            Control run: the same sound into both inputs, find the trims, hold it as the floor.
            {floor !== null && ` Floor: ${num(floor, 1)} dB.`}
          </Box>
        </Box>
      </Box>
    </Box>
  );
}

const TOP = 8;
const TALL = 190;
const LEFT = 46;

function LineOver(props: { values: number[]; best: number | null; floor: number | null }) {
  const [frame, width] = useWidth<HTMLDivElement>(260);
  const y = scaleLinear([10, -120], [TOP, TOP + TALL]);
  const x = scaleLinear([0, 299], [LEFT, width - 6]);
  const ticks = [0, -20, -40, -60, -80, -100];
  const level = (value: number | null, name: string, dash: string) =>
    value !== null && (
      <g>
        <line
          x1={LEFT}
          x2={width - 6}
          y1={y(value)}
          y2={y(value)}
          stroke={ink("ok")}
          strokeWidth="2"
          strokeDasharray={dash}
        />
        <text
          x={width - 10}
          y={y(value) - 5}
          textAnchor="end"
          fontSize="13"
          fontWeight="650"
          fill={ink("ok")}
        >
          {name} {num(value, 1)} dB
        </text>
      </g>
    );
  return (
    <Box ref={frame} minWidth="0" marginTop="6px">
      <svg
        width={width}
        height={TOP + TALL + 22}
        display="block"
        role="img"
        aria-label={`Residual over the last 30 s, ${props.values.length ? num(props.values.at(-1)!, 1) : "no"} dB now`}
      >
        <rect x={LEFT} y={TOP} width={width - 6 - LEFT} height={TALL} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={LEFT} x2={width - 6} />
        <AxisLeft scale={y} at={LEFT} ticks={ticks} format={(v) => num(v, 0)} unit="dB" />
        <path
          d={linePath(
            props.values.map((_, i) => x(300 - props.values.length + i)),
            props.values.map((v) => y(Math.max(-120, Math.min(10, v)))),
          )}
          fill="none"
          stroke={ink("diff")}
          strokeWidth="1.75"
        />
        {level(props.best, "best", "7 4")}
        {level(props.floor, "floor", "2 3")}
        <text x={LEFT} y={TOP + TALL + 17} fontSize="13" fill={ink("ink2")}>
          30 s ago
        </text>
        <text x={width - 6} y={TOP + TALL + 17} textAnchor="end" fontSize="13" fill={ink("ink2")}>
          now
        </text>
      </svg>
    </Box>
  );
}
