/** The tables behind the drawing: what moves what, send levels, notation. */
import { Box, chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { RigAction, RigView, Variant } from "../../api/client";
import { useDraft } from "../../ui/drafts";
import { Notice, Press, SheetTitle } from "../../ui/controls";
import { signed } from "../../ui/format";
import { TextInput } from "../../ui/QuantityField";
import { nameOf } from "../../rigs/names";
import { Table, Td, Th } from "../../ui/table";

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

export function Writing({
  variant,
  onEdit,
}: {
  variant: Variant;
  onEdit: (action: RigAction) => void;
}) {
  const stored = variant.view.notation;
  const [draft, setDraft] = useDraft(`${variant.id} notation`, stored);
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
