/**
 * One setting: its name, its scale, its field. The scale is drawn on the range that people work in; the
 * field takes whatever can be set, with units. Where it was before is a ring, what lies between is a bar.
 */
import { Box, chakra } from "@chakra-ui/react";
import { memo, type KeyboardEvent, type PointerEvent, useId, useState } from "react";

import type { Frame, Parameter } from "../../api/client";
import { halo } from "../../charts/axes";
import { useDraft, useTakes } from "../../ui/drafts";
import { Press, Unseen } from "../../ui/controls";
import { num } from "../../ui/format";
import { useDrag, useWidth } from "../../ui/hooks";
import { Choice } from "../../ui/QuantityField";
import { Said } from "../../ui/Said";
import { ink } from "../../ui/theme";
import {
  along,
  capital,
  isChanged,
  numberOf,
  readSetting,
  shownOf,
  stepped,
  ticksOf,
  valueAt,
  wordsOf,
} from "./settings";

export interface RowProps {
  parameter: Parameter;
  value: unknown;
  /** What a time comes to under the tempo. */
  resolvedMs?: number;
  /** Points of its written move; undefined where it rests. */
  moved?: number | undefined;
  /** Where it stood before the change that is being made; undefined where nothing moved. */
  before?: unknown;
  frame: Frame;
  /** It moves: shown at once, kept a moment after it rests. */
  onMove: (field: string, value: unknown) => void;
  /** It is set: kept at once. A sentence where it cannot be. */
  onSet: (field: string, value: unknown) => void | Promise<string>;
  /** Back to where it stood. */
  onBack: (field: string) => void;
  /** Open it under Time. */
  onTime?: (field: string) => void;
}

/** The hands of one setting: what they move is known. */
type Own = Omit<RowProps, "onMove" | "onSet" | "onBack" | "onTime"> & {
  onMove: (value: unknown) => void;
  onSet: (value: unknown) => void | Promise<string>;
  onBack: () => void;
};

const Field = chakra("input", {
  base: {
    width: "100%",
    height: { base: "44px", sm: "30px" },
    background: "sheet",
    color: "ink",
    border: "1px solid",
    borderColor: "edge",
    borderBottom: "2px solid",
    borderBottomColor: "ink",
    borderRadius: 0,
    paddingInlineStart: "7px",
    fontSize: "15px",
    fontWeight: 650,
    fontVariantNumeric: "tabular-nums",
    _invalid: { borderColor: "diff", color: "diff" },
  },
});

export const SettingRow = memo(function SettingRow(row: RowProps) {
  const { parameter: p, value, onTime } = row;
  const props: Own = {
    ...row,
    onMove: (next) => row.onMove(p.field, next),
    onSet: (next) => row.onSet(p.field, next),
    onBack: () => row.onBack(p.field),
  };
  const { onSet } = props;
  const changed = isChanged(p, value);
  const sub = changed ? (
    <>
      <Box as="span" color="diff" aria-hidden>
        ●{" "}
      </Box>
      <Press
        look="quiet"
        minHeight="0"
        padding="0"
        fontSize="13px"
        fontWeight="400"
        color="ink2"
        whiteSpace="nowrap"
        title={`It rests at ${wordsOf(p, p.default)}`}
        onClick={() => void onSet(p.default)}
      >
        <Unseen>{capital(p.label)}: back</Unseen> to {wordsOf(p, p.default)}
      </Press>
    </>
  ) : (
    ""
  );
  return (
    <Box
      data-setting={p.field}
      display="grid"
      gridTemplateColumns={{ base: "minmax(0, 1fr) 104px", sm: "132px minmax(0, 1fr) 104px" }}
      gap="2px 12px"
      alignItems="center"
      minHeight="44px"
      borderBottom="1px solid"
      borderColor="fine"
    >
      <Box minWidth="0" lineHeight="17px" title={p.about}>
        <Box fontWeight="650">{capital(p.label)}</Box>
        <Box fontSize="13px" color="ink2" minHeight="17px" whiteSpace="nowrap">
          {sub}{" "}
          {row.moved !== undefined && (
            <Box as="span" color="diff" title="A move is written for it: drawn under Listen">
              {row.moved} point{row.moved === 1 ? "" : "s"} written
            </Box>
          )}{" "}
          {onTime && (
            <Press
              look="quiet"
              minHeight="0"
              padding="0"
              fontSize="13px"
              fontWeight="400"
              onClick={() => onTime(p.field)}
            >
              in Time <Unseen>{p.label}</Unseen>
            </Press>
          )}
        </Box>
      </Box>
      {p.scale ? (
        <>
          <Scale {...props} />
          <ValueField {...props} />
        </>
      ) : (
        <Box
          gridColumn={{ base: "1 / -1", sm: "2 / -1" }}
          display="flex"
          justifyContent="flex-end"
          paddingBlock="4px"
        >
          <Plain {...props} />
        </Box>
      )}
    </Box>
  );
});

/** What is switched, chosen or written. */
function Plain({ parameter: p, value, onSet, frame, ...rest }: Own) {
  if (p.sort === "flag")
    return (
      <chakra.button
        type="button"
        role="switch"
        aria-checked={value === true}
        aria-label={capital(p.label)}
        onClick={() => void onSet(value !== true)}
        minWidth="92px"
        minHeight={{ base: "44px", sm: "30px" }}
        border="1px solid"
        borderColor="ink"
        background={value === true ? "ink" : "transparent"}
        color={value === true ? "paper" : "ink"}
        fontWeight="650"
        cursor="pointer"
      >
        {value === true ? "on" : "off"}
      </chakra.button>
    );
  if (p.sort === "choice")
    return (
      <Choice
        aria-label={capital(p.label)}
        width="auto"
        minWidth="150px"
        value={String(value ?? "")}
        onChange={(event) => {
          const text = event.target.value;
          void onSet(text === "" ? null : /^\d+$/.test(text) ? Number(text) : text);
        }}
      >
        {p.optional && <option value="">by its kind</option>}
        {p.choices.map((c) => (
          <option key={c}>{c}</option>
        ))}
      </Choice>
    );
  return (
    <Box width="min(100%, 260px)">
      <ValueField parameter={p} value={value} onSet={onSet} frame={frame} {...rest} />
    </Box>
  );
}

const EDGE = 12;
const HEIGHT = 40;

function Scale({ parameter: p, value, resolvedMs, before, frame: song, onMove, onBack }: Own) {
  const [frame, width] = useWidth<HTMLDivElement>(96);
  const { low, high } = p.scale!;
  const at = numberOf(p, value, resolvedMs, song);
  const x = (v: number) => EDGE + along(p, v) * (width - 2 * EDGE);
  const give = (next: number) => onMove(p.sort === "time" ? `${next} ms` : next);
  const take = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const next = valueAt(p, (event.clientX - box.left - EDGE) / (width - 2 * EDGE));
    if (next !== at) give(next);
  };
  const drag = useDrag({ take });
  const onKeyDown = (event: KeyboardEvent) => {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key] as
      1 | -1 | undefined;
    if (event.key === "Home") give(low);
    else if (event.key === "End") give(high);
    else if (event.key === "Escape" && before !== undefined) onBack();
    else if (way)
      give(stepped(p, at ?? restingOf(p), way, event.shiftKey ? 10 : event.altKey ? 0.1 : 1));
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const was = before === undefined ? null : numberOf(p, before, undefined, song);
  const ticks = ticksOf(p, width - 2 * EDGE);
  const post = at === null ? null : x(at);
  return (
    <Box
      ref={frame}
      minWidth="0"
      gridRow={{ base: "2", sm: "auto" }}
      gridColumn={{ base: "1 / -1", sm: "auto" }}
    >
      <chakra.svg
        width={width}
        height={HEIGHT}
        display="block"
        role="slider"
        tabIndex={0}
        aria-label={capital(p.label)}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={at ?? restingOf(p)}
        aria-valuetext={value === null || value === undefined ? "off" : wordsOf(p, value)}
        cursor="ew-resize"
        style={{ touchAction: "pan-y" }}
        onKeyDown={onKeyDown}
        {...drag}
        onDoubleClick={() => onMove(p.default)}
      >
        <rect x="0" y="0" width={width} height={HEIGHT} fill="transparent" />
        <line x1={EDGE} x2={width - EDGE} y1="14" y2="14" stroke={ink("ink")} strokeWidth="1.5" />
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={x(tick)} x2={x(tick)} y1="14" y2="20" stroke={ink("ink")} />
            <text
              x={x(tick)}
              y="35"
              textAnchor="middle"
              fontSize="13"
              fill={ink("ink2")}
              {...halo("paper")}
            >
              {tickWords(tick)}
            </text>
          </g>
        ))}
        {was !== null && post !== null && Math.abs(x(was) - post) > 1 && (
          <rect
            x={Math.min(x(was), post)}
            y="10"
            width={Math.abs(post - x(was))}
            height="8"
            fill={ink("diff")}
          />
        )}
        {was !== null && (
          <circle
            cx={x(was)}
            cy="14"
            r="4.5"
            fill={ink("paper")}
            stroke={ink("ink")}
            strokeWidth="1.75"
          />
        )}
        {post !== null ? (
          <line x1={post} x2={post} y1="3" y2="25" stroke={ink("ink")} strokeWidth="5" />
        ) : (
          <text x={width / 2} y="9" textAnchor="middle" fontSize="13" fill={ink("ink2")}>
            off
          </text>
        )}
      </chakra.svg>
    </Box>
  );
}

/** Where a scale begins to move from when nothing is set. */
function restingOf(p: Parameter): number {
  if (typeof p.default === "number") return p.default;
  const { low, high, log } = p.scale!;
  return log ? Math.sqrt(Math.max(low, 1e-3) * high) : (low + high) / 2;
}

function tickWords(tick: number): string {
  if (tick >= 1000) return `${num(tick / 1000, tick % 1000 ? 1 : 0)} k`;
  return num(tick, Number.isInteger(tick) ? 0 : Math.abs(tick) < 0.1 ? 2 : 1);
}

/** The value, to be typed over. What is not understood is said here, and nothing moves. */
function ValueField({ parameter: p, value, frame, onSet, onBack, before }: Own) {
  const id = useId();
  const [said, setSaid] = useState("");
  const shown = shownOf(value);
  const [draft, setDraft, takes] = useDraft(p.label, shown);
  const leave = () => {
    setDraft(null);
    setSaid("");
  };
  const accept = async (typed = draft) => {
    if (typed === null) return;
    const read = readSetting(p, typed, value, frame);
    if (read === null) return leave();
    if ("said" in read) return setSaid(read.said);
    const refused = await onSet(read.value);
    if (refused) setSaid(refused);
    else leave();
  };
  useTakes(takes, (text) => void accept(text));
  const unit = p.unit === "ratio" ? "to 1" : p.unit;
  return (
    <Box position="relative">
      <Field
        aria-label={`${capital(p.label)}, typed`}
        aria-invalid={said ? true : undefined}
        aria-describedby={said ? id : undefined}
        list={p.sort === "time" ? "delays-of-the-song" : undefined}
        placeholder={p.optional && p.sort !== "text" ? "off" : ""}
        style={{ paddingInlineEnd: unit ? `${unit.length * 8 + 10}px` : "7px" }}
        value={draft ?? shown}
        maxLength={200}
        spellCheck={false}
        autoComplete="off"
        onFocus={(event) => event.currentTarget.select()}
        onChange={(event) => {
          setDraft(event.target.value);
          setSaid("");
        }}
        onBlur={() => void accept()}
        onKeyDown={(event) => {
          if (event.key === "Enter") void accept();
          else if (event.key === "Escape") {
            event.stopPropagation();
            if (draft === null && before !== undefined) onBack();
            leave();
          }
        }}
      />
      {unit && (
        <Box
          as="span"
          aria-hidden
          position="absolute"
          right="8px"
          top={{ base: "12px", sm: "6px" }}
          fontSize="13px"
          color="ink2"
          pointerEvents="none"
        >
          {unit}
        </Box>
      )}
      {said && <Said id={id} text={said} bad side="right" />}
    </Box>
  );
}
