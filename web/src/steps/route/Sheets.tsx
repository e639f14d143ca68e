/** The tables behind the drawing: what moves what, send levels, scenes, patch sheet, notation. */
import { Box, chakra } from "@chakra-ui/react";
import { scaleLinear } from "d3-scale";
import { useState } from "react";

import type { RigAction, RigView, Variant } from "../../api/client";
import { ink } from "../../app/theme";
import { AxisBottom, AxisLeft, Gridlines, linePath } from "../../charts/axes";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { num, signed } from "../../ui/format";
import { useWidth } from "../../ui/hooks";
import { TextInput } from "../../ui/QuantityField";
import { nameOf } from "./Inspector";

const Table = chakra("table", {
  base: { borderCollapse: "collapse", fontSize: "14px", width: "100%" },
});
const Th = chakra("th", {
  base: {
    textAlign: "right",
    fontWeight: 400,
    color: "ink2",
    fontSize: "13px",
    padding: "3px 8px",
  },
});
const Td = chakra("td", {
  base: { textAlign: "right", padding: "3px 8px", borderTop: "1px solid", borderColor: "rule" },
});

function change(value: number | null): string {
  if (value === null) return "silent";
  return Math.abs(value) < 0.005 ? "0" : signed(value, 1);
}

export function ControlTable({ view }: { view: RigView }) {
  const table = view.controls[0];
  if (!table || !table.rows.length)
    return <Box color="ink2">There is no fader, send or return yet.</Box>;
  return (
    <Box overflowX="auto">
      <SheetTitle
        sub
        about="change in dB of each group at the first output; 0 where it does nothing"
      >
        What each control moves
      </SheetTitle>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">Control</Th>
            <Th textAlign="left">Move</Th>
            {table.groups.map((g) => (
              <Th key={g}>{g}</Th>
            ))}
            <Th>All</Th>
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row) => (
            <tr key={row.control + row.move}>
              <Td textAlign="left" fontWeight="650">
                {row.label}
              </Td>
              <Td textAlign="left">{row.move}</Td>
              {row.changes_db.map((v, i) => (
                <Td
                  key={table.groups[i]}
                  color={v === 0 ? "ink2" : "ink"}
                  fontWeight={v === 0 ? 400 : 650}
                >
                  {change(v)}
                </Td>
              ))}
              <Td>{change(row.total_db)}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Box>
  );
}

export function SendTable({
  variant,
  onEdit,
}: {
  variant: Variant;
  onEdit: (action: RigAction) => void;
}) {
  const { sends } = variant.view;
  if (!sends.buses.length)
    return <Box color="ink2">There is no send yet: E adds one with its return.</Box>;
  return (
    <Box overflowX="auto">
      <SheetTitle
        sub
        about="level of each source's send to each return, dB; type a level, or send where there is none"
      >
        Send levels
      </SheetTitle>
      <Table width="auto">
        <thead>
          <tr>
            <Th textAlign="left">Source</Th>
            {sends.buses.map((bus, i) => (
              <Th key={bus}>{sends.devices[i] || nameOf(variant, bus)}</Th>
            ))}
          </tr>
        </thead>
        <tbody>
          {sends.sources.map((source) => (
            <tr key={source}>
              <Td textAlign="left" fontWeight="650">
                {nameOf(variant, source)}
              </Td>
              {sends.buses.map((bus) => {
                const cell = sends.cells.find((c) => c.source === source && c.bus === bus);
                return (
                  <Td key={bus}>
                    {cell ? (
                      <SendLevel
                        key={cell.levels_db[0]}
                        label={`${nameOf(variant, source)} to ${nameOf(variant, bus)}`}
                        level={cell.levels_db[0]!}
                        onSet={(level_db) =>
                          onEdit({ do: "set", node: cell.sends[0]!, values: { level_db } })
                        }
                      />
                    ) : (
                      <Press
                        look="quiet"
                        onClick={() =>
                          onEdit({
                            do: "send",
                            at: `${source}.0`,
                            to: bus,
                            level_db: -12,
                            kind: null,
                            values: {},
                          } as RigAction)
                        }
                      >
                        send
                      </Press>
                    )}
                  </Td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </Table>
    </Box>
  );
}

function SendLevel({
  label,
  level,
  onSet,
}: {
  label: string;
  level: number;
  onSet: (v: number) => void;
}) {
  const [draft, setDraft] = useState(String(level));
  const commit = () => {
    const value = Number.parseFloat(draft.replace(",", ".").replace("−", "-"));
    if (Number.isNaN(value)) setDraft(String(level));
    else if (value !== level) onSet(value);
  };
  return (
    <TextInput
      aria-label={`Send from ${label}, dB`}
      width="84px"
      textAlign="right"
      value={draft}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape") setDraft(String(level));
      }}
    />
  );
}

export function Scenes({ view }: { view: RigView }) {
  if (!view.scenes.length) {
    return (
      <Box color="ink2">
        No scenes yet. Write one in the notation: scene &quot;Verse&quot; program 1: off delay1
      </Box>
    );
  }
  return (
    <Box>
      <SheetTitle sub about="what changes when it is called up from the rig as it stands">
        Scenes
      </SheetTitle>
      <Table>
        <thead>
          <tr>
            <Th textAlign="left">Scene</Th>
            <Th>program</Th>
            <Th>loops</Th>
            <Th>level, dB</Th>
            <Th textAlign="left">changes</Th>
          </tr>
        </thead>
        <tbody>
          {view.scenes.map((scene) => (
            <tr key={scene.name}>
              <Td textAlign="left" fontWeight="650">
                {scene.name}
              </Td>
              <Td>{scene.program ?? "none"}</Td>
              <Td>{scene.loops.join(", ") || "none"}</Td>
              <Td
                fontWeight="650"
                color={Math.abs(scene.level_change_db ?? 0) > 3 ? "diff" : "ink"}
              >
                {scene.level_change_db === null ? "silent" : signed(scene.level_change_db, 1)}
                {Math.abs(scene.level_change_db ?? 0) > 3 ? " jumps" : ""}
              </Td>
              <Td textAlign="left">{scene.said.join("; ") || "nothing"}</Td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Box>
  );
}

export function Patch({ variant }: { variant: Variant }) {
  const { patch } = variant.view;
  return (
    <Box overflowX="auto">
      <Box display="flex" flexWrap="wrap" gap="6px 14px" alignItems="baseline">
        <SheetTitle
          sub
          about={`${patch.cables.length} connections, ${num(patch.drawn_ma, 0)} mA drawn`}
        >
          Patch sheet
        </SheetTitle>
        <a href={`/api/v1/variants/${variant.id}/patch.csv`} download>
          Save as CSV
        </a>
        <Press look="quiet" onClick={() => window.print()}>
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
      {patch.placed.length > 0 && (
        <Box as="p">
          On the board: {patch.placed.join(", ")}.
          {patch.left_over.length > 0 && ` No room for ${patch.left_over.join(", ")}.`}
        </Box>
      )}
    </Box>
  );
}

export function Writing({
  variant,
  onEdit,
}: {
  variant: Variant;
  onEdit: (action: RigAction) => void;
}) {
  const stored = variant.view.notation;
  const [draft, setDraft] = useState<string | null>(null);
  const text = draft ?? stored;
  return (
    <Box>
      <SheetTitle
        sub
        about="the same rig, one path a line; what you change here is drawn, and the other way round"
      >
        In writing
      </SheetTitle>
      <chakra.textarea
        aria-label="Notation"
        value={text}
        spellCheck={false}
        rows={Math.min(18, text.split("\n").length + 1)}
        width="100%"
        padding="8px"
        background="sheet"
        color="ink"
        border="1px solid"
        borderColor="edge"
        fontFamily="ui-monospace, 'DejaVu Sans Mono', monospace"
        fontSize="13px"
        lineHeight="20px"
        onChange={(event) => setDraft(event.target.value)}
      />
      <Box display="flex" gap="10px" marginTop="6px">
        <Press
          look="primary"
          disabled={draft === null || draft === stored}
          onClick={() => draft !== null && onEdit({ do: "notate", text: draft })}
        >
          Draw what is written
        </Press>
        <Press look="quiet" disabled={draft === null} onClick={() => setDraft(null)}>
          Back to what is drawn
        </Press>
      </Box>
      {draft !== null && draft !== stored && (
        <Notice kind="note">Not drawn yet. Your text stays here until it is.</Notice>
      )}
    </Box>
  );
}

export function Travel({ variant }: { variant: Variant }) {
  const [frame, width] = useWidth<HTMLDivElement>(240);
  const travel = variant.view.travel[0];
  if (!travel) return null;
  const left = 40;
  const height = 140;
  const levels = [...travel.dry_db, ...travel.wet_db].filter((v) => v > -60);
  const high = Math.max(0, ...levels);
  const x = scaleLinear([0, 100], [left, width - 8]);
  const y = scaleLinear([-48, Math.ceil(high / 6) * 6], [height - 26, 8]).clamp(true);
  const ticks = y.ticks(5);
  const line = (values: number[]) =>
    linePath(
      travel.position_percent.map((p) => x(p)),
      values.map((v) => (v <= -60 ? null : y(v))),
    );
  return (
    <Box ref={frame}>
      <SheetTitle sub about="dry solid, wet dashed, dB at the output, by position from heel to toe">
        {nameOf(variant, travel.pedal)}
      </SheetTitle>
      <svg
        width={width}
        height={height}
        display="block"
        role="img"
        aria-label={`${nameOf(variant, travel.pedal)}: wet against dry from heel to toe`}
      >
        <rect x={left} y="8" width={width - left - 8} height={height - 34} fill={ink("sheet")} />
        <Gridlines scale={y} ticks={ticks} x1={left} x2={width - 8} />
        <AxisLeft scale={y} at={left} ticks={ticks} />
        <AxisBottom scale={x} at={height - 26} ticks={[0, 25, 50, 75, 100]} unit="%" />
        <path d={line(travel.dry_db)} fill="none" stroke={ink("ink")} strokeWidth="2" />
        <path
          d={line(travel.wet_db)}
          fill="none"
          stroke={ink("wet")}
          strokeWidth="2"
          strokeDasharray="11 4"
        />
      </svg>
    </Box>
  );
}
