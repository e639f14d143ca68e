/** The patch sheet: what to plug into what, what it draws, and where it stands. Prints alone. */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { useState } from "react";

import type { RigAction, Variant } from "../../api/client";
import { ink } from "../../ui/theme";
import { AxisBottom } from "../../charts/axes";
import { Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { Labelled, TextInput } from "../../ui/QuantityField";
import { Table, Td, Th } from "../../ui/table";

interface Props {
  variant: Variant;
  onEdit: (action: RigAction) => void;
}

export function Patch({ variant, onEdit }: Props) {
  const { patch } = variant.view;
  return (
    <Box overflowX="auto" data-print>
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="baseline">
        <SheetTitle
          sub
          about={`${patch.cables.length} connections, ${num(patch.drawn_ma, 0)} mA drawn`}
        >
          Patch sheet
        </SheetTitle>
        <chakra.a
          color="ink"
          fontWeight="600"
          textUnderlineOffset="3px"
          href={`/api/v1/variants/${variant.id}/patch.csv`}
          download
          data-no-print
        >
          Save as CSV
        </chakra.a>
        <Press look="quiet" data-no-print onClick={() => window.print()}>
          Print
        </Press>
      </Box>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">From</Th>
            <Th textAlign="left">To</Th>
            <Th textAlign="left">Connector</Th>
            <Th textAlign="left">Level</Th>
            <Th>Channels</Th>
          </tr>
        </thead>
        <tbody>
          {patch.cables.map((c, i) => (
            <tr key={i}>
              <Td textAlign="left">{c.source}</Td>
              <Td textAlign="left">{c.target}</Td>
              <Td textAlign="left">{c.plug}</Td>
              <Td textAlign="left">{c.level}</Td>
              <Td>{c.channels}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
      {patch.mixer.length > 0 && (
        <Box as="p" marginTop="8px">
          Mixer:{" "}
          {patch.mixer
            .map((m) => `${m.name} (${m.role}, ${signed(m.level_db, 1)} dB) to ${m.feeds}`)
            .join("; ")}
          .
        </Box>
      )}
      {patch.supply.length > 0 && (
        <Box as="p">
          Supply:{" "}
          {patch.supply
            .map((s) => `${s.name} ${num(s.current_ma, 0)} mA at ${num(s.volts, 0)} V`)
            .join(", ")}
          .{patch.rating_ma !== null && ` Rated ${num(patch.rating_ma, 0)} mA.`}
        </Box>
      )}
      <Footprints variant={variant} onEdit={onEdit} />
    </Box>
  );
}

/** The board from above, to scale, with what is given a size. */
function Footprints({ variant, onEdit }: Props) {
  const [frame, width] = useWidth<HTMLDivElement>(280);
  const {
    placed,
    left_over: left,
    board_width_mm: wide,
    board_depth_mm: deepest,
  } = variant.view.patch;
  const size = wide !== null && deepest !== null ? ([wide, deepest] as const) : null;
  const board = variant.document.board ?? {};
  const set = (values: Record<string, number | null>) =>
    onEdit({ do: "rig", board: { ...board, ...values } } as RigAction);
  const across = Math.min(width - 8, 720);
  const x = scaleLinear([0, size?.[0] ?? 1], [4, across]);
  const scale = size ? (across - 4) / size[0] : 1;
  const deep = size ? size[1] * scale : 0;
  return (
    <Box ref={frame} marginTop="10px">
      <SheetTitle
        sub
        about="from above, to scale; a pedal's width and depth are under All settings"
      >
        Board
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" marginBlock="4px" data-no-print>
        <Size
          label="Board width, mm"
          value={board.width_mm ?? null}
          onSet={(v) => set({ width_mm: v })}
        />
        <Size
          label="Board depth, mm"
          value={board.depth_mm ?? null}
          onSet={(v) => set({ depth_mm: v })}
        />
        <Size
          label="Supply rating, mA"
          value={board.supply_ma ?? null}
          onSet={(v) => set({ supply_ma: v })}
        />
      </Box>
      {size && (
        <svg
          width={across + 8}
          height={deep + 34}
          display="block"
          role="img"
          aria-label={`Board of ${size[0]} by ${size[1]} mm with ${placed.length} pedals`}
        >
          <rect
            x="4"
            y="4"
            width={across - 4}
            height={deep}
            fill={ink("sheet")}
            stroke={ink("ink")}
          />
          {placed.map((p) => (
            <g key={`${p.name}${p.x_mm}`}>
              <rect
                x={4 + p.x_mm * scale}
                y={4 + p.y_mm * scale}
                width={p.width_mm * scale}
                height={p.depth_mm * scale}
                fill={ink("well")}
                stroke={ink("ink")}
                strokeWidth="1.25"
              />
              <text
                x={4 + (p.x_mm + p.width_mm / 2) * scale}
                y={4 + (p.y_mm + p.depth_mm / 2) * scale + 4}
                textAnchor="middle"
                fontSize="13"
                fill={ink("ink")}
              >
                {p.width_mm * scale > p.name.length * 7.4
                  ? p.name
                  : `${p.name.slice(0, Math.max(1, Math.floor((p.width_mm * scale) / 8)))}…`}
              </text>
            </g>
          ))}
          <AxisBottom scale={x} at={deep + 6} ticks={x.ticks(5)} unit="mm" />
        </svg>
      )}
      {left.length > 0 && (
        <Box color="diff" fontWeight="650">
          No room for {left.join(", ")}.
        </Box>
      )}
    </Box>
  );
}

function Size({
  label,
  value,
  onSet,
}: {
  label: string;
  value: number | null;
  onSet: (value: number | null) => void;
}) {
  const stored = value === null ? "" : String(value);
  const [draft, setDraft] = useState<string | null>(null);
  const commit = () => {
    if (draft === null || draft === stored) return;
    const number = Number.parseFloat(draft.replace(",", "."));
    onSet(draft.trim() === "" || Number.isNaN(number) ? null : number);
    setDraft(null);
  };
  return (
    <Labelled label={label}>
      <TextInput
        width="120px"
        value={draft ?? stored}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => event.key === "Enter" && commit()}
      />
    </Labelled>
  );
}
