/** The rig on a narrow screen: its stages from top to bottom, the ways between them in a gutter. */
import { Box, chakra } from "@chakra-ui/react";
import { type KeyboardEvent, type ReactNode, useRef } from "react";

import type { Variant } from "../../api/client";
import { nameOf } from "../../rigs/names";
import { Pennant } from "../../ui/controls";
import { ink } from "../../ui/theme";
import type { Flag } from "./Plan";
import { downRows, type DownRow, type Strand } from "./rows";

const ROW = 48;
const EDGE = 14;
const WIDEST = 78;

interface Props {
  variant: Variant;
  selected: string;
  flags: Flag[];
  onSelect: (id: string) => void;
  /** Under the row that is selected: its settings. */
  children: ReactNode;
}

export function DownList({ variant, selected, flags, onSelect, children }: Props) {
  const list = useRef<HTMLDivElement>(null);
  const { layout } = variant.view;
  const targets = Object.fromEntries(
    Object.entries(variant.document.rails ?? {}).map(([port, rail]) => [port, rail.target]),
  );
  const rows = downRows(layout, targets);
  const apart = Math.min(20, WIDEST / Math.max(1, layout.lanes - 1));
  const x = (lane: number) => EDGE + lane * apart;
  const gutter = EDGE * 2 + (layout.lanes - 1) * apart;
  const here = rows.some((r) => r.node.id === selected) ? selected : rows[0]?.node.id;
  const go = (event: KeyboardEvent, i: number) => {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const next = by && rows[i + by];
    if (!next) return;
    event.preventDefault();
    onSelect(next.node.id);
    list.current?.querySelector<HTMLElement>(`[data-node="${CSS.escape(next.node.id)}"]`)?.focus();
  };
  return (
    <Box
      ref={list}
      role="radiogroup"
      aria-label="Course"
      background="sheet"
      borderTop="1.5px solid"
      borderBottom="1.5px solid"
      borderColor="ink"
    >
      {rows.map((row, i) => {
        const { node } = row;
        const flag = flags.find((f) => f.at === node.id);
        // The strip of a way stands under what it goes into.
        const mine = node.id === selected || targets[selected] === node.id;
        return (
          <Box key={node.id} position="relative" background={mine ? "well" : undefined}>
            <Strands row={row} x={x} width={gutter} />
            <chakra.div
              role="radio"
              aria-checked={mine}
              tabIndex={node.id === here ? 0 : -1}
              data-node={node.id}
              onClick={() => onSelect(node.id === selected ? "" : node.id)}
              onKeyDown={(event) => go(event, i)}
              display="flex"
              alignItems="center"
              gap="8px"
              minHeight={`${ROW}px`}
              paddingLeft={`${gutter}px`}
              paddingRight="10px"
              cursor="pointer"
            >
              <Box flex="1" minWidth="0" lineHeight="19px" color={node.off ? "ink2" : undefined}>
                <Box fontWeight="650" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                  {node.shown}
                </Box>
                <Box fontSize="13px" color={node.wet ? "wet" : "ink2"}>
                  {[
                    node.off ? "off" : "",
                    node.caption,
                    ...row.back.map((id) => `back to ${nameOf(variant, id)}`),
                  ]
                    .filter(Boolean)
                    .join(", ")}
                </Box>
              </Box>
              {flag && <Pennant kind={flag.kind} small />}
            </chakra.div>
            {mine && (
              <Box paddingLeft={`${gutter}px`} paddingRight="10px" paddingBottom="12px">
                {children}
              </Box>
            )}
          </Box>
        );
      })}
    </Box>
  );
}

/** What runs past a row: drawn over its whole height, however much stands in it. */
function Strands({ row, x, width }: { row: DownRow; x: (lane: number) => number; width: number }) {
  const own = x(row.node.lane);
  const middle = ROW / 2;
  const line = (s: Strand) => ({
    stroke: ink(s.wet ? "wet" : "ink"),
    strokeWidth: 2,
    strokeDasharray: s.wet ? "7 3" : undefined,
    fill: "none",
  });
  return (
    <>
      <Box position="absolute" insetBlock="0" left="0" width={`${width}px`} aria-hidden>
        {[...row.through, ...row.out].map((s, i) => (
          <Box
            key={i}
            position="absolute"
            left={`${x(s.lane) - 1}px`}
            top={row.through.includes(s) ? 0 : `${ROW}px`}
            bottom="0"
            style={{
              borderLeft: `2px ${s.wet ? "dashed" : "solid"} ${ink(s.wet ? "wet" : "ink")}`,
            }}
          />
        ))}
      </Box>
      <svg
        width={width}
        height={ROW}
        aria-hidden
        style={{ position: "absolute", left: 0, top: 0, pointerEvents: "none" }}
      >
        {row.in.map((s, i) => (
          <path key={`in ${i}`} d={`M${x(s.lane)} 0V8L${own} ${middle}`} {...line(s)} />
        ))}
        {row.out.map((s, i) => (
          <path
            key={`out ${i}`}
            d={`M${own} ${middle}L${x(s.lane)} ${ROW - 8}V${ROW}`}
            {...line(s)}
          />
        ))}
        <circle
          cx={own}
          cy={middle}
          r="6"
          fill={ink("sheet")}
          stroke={ink(row.node.wet ? "wet" : "ink")}
          strokeWidth="2"
          strokeDasharray={row.node.off ? "2 2" : undefined}
        />
      </svg>
    </>
  );
}
