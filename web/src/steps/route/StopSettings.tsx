/** What stands at a siding: its name, its switches, its settings, the dry path beside it. */
import { Box } from "@chakra-ui/react";

import type { Kind, Parameter, RigAction, Variant } from "../../api/client";
import { useSongContext } from "../../song/context";
import { Press, SheetTitle } from "../../ui/controls";
import { Choice } from "../../ui/QuantityField";
import { Rows } from "./Inspector";
import { SettingRow } from "./SettingRow";
import { besideOf } from "../../rigs/sections";
import { type Frame, ordinal, turnOf } from "./sidings";
import type { Moving } from "./useMoving";

interface Props {
  variant: Variant;
  frame: Frame;
  kinds: Kind[];
  stop: number;
  moving: Moving;
  onEdit: (action: RigAction) => void;
  onTake: (variant: Variant) => void;
}

const path = (
  field: string,
  label: string,
  unit: string,
  low: number,
  high: number,
): Parameter => ({
  field,
  label,
  sort: "number",
  unit,
  low,
  high,
  choices: [],
  about: label,
  optional: false,
  own: true,
  group: "level",
  default: field === "mix_percent" ? 50 : 0,
  scale: { low: Math.max(low, -24), high, log: false },
});
const SHARE = path("mix_percent", "through it", "%", 0, 100);
const AFTER = path("level_db", "after the two", "dB", -60, 24);

export function StopSettings({ variant, frame, kinds, stop, moving, onEdit, onTake }: Props) {
  const { frame: song } = useSongContext();
  const stage = (frame.sidings ?? []).find((s) => s.place === stop)?.stage;
  const kind = kinds.find((k) => k.kind === stage?.kind);
  const own = kinds.find((k) => k.kind === "frame");
  if (stop === 0 && own)
    return (
      <Box as="section" aria-label="Settings">
        <SheetTitle sub about="its places, and what stands behind them all">
          The whole
        </SheetTitle>
        <Rows
          key={frame.id}
          {...{ variant, kinds, moving, onEdit, onTake }}
          kind={own}
          selected={frame.id}
          rows={4}
        />
      </Box>
    );
  if (!stage || !kind)
    return (
      <Box as="section" aria-label="Settings" color="ink2">
        Siding {stop} is empty. Enter puts something there.
      </Box>
    );
  const calls = frame.calls ?? [];
  const turn = turnOf(calls, stop);
  const beside = besideOf(frame, stop, turn);
  const all = frame.beside ?? [];
  const arrange = (more: object) =>
    onEdit({ do: "arrange", frame: frame.id, values: {}, clear: false, ...more } as RigAction);
  const change = (more: object) =>
    arrange({ beside: all.map((b) => (b === beside ? { ...b, ...more } : b)) });
  return (
    <Box as="section" aria-label="Settings">
      <SheetTitle
        sub
        about={`${stage.name ? `${kind.title}, ` : ""}siding ${stop}, ${turn ? `${ordinal(turn)} turn` : "stands by"}`}
      >
        {stage.name ?? kind.title}
      </SheetTitle>
      <Box borderTop="1.5px solid" borderColor="ink" marginTop="3px">
        <Rows
          key={`${frame.id} ${stop}`}
          variant={variant}
          kinds={kinds}
          kind={kind}
          selected={`${frame.id}@${stop}`}
          moving={moving}
          onEdit={onEdit}
          onTake={onTake}
          rows={4}
        />
      </Box>
      {beside ? (
        <Box borderTop="1px solid" borderColor="rule">
          {[SHARE, AFTER].map((p) => (
            <SettingRow
              key={p.field}
              parameter={p}
              value={(beside as Record<string, unknown>)[p.field] ?? p.default}
              frame={song}
              onMove={(field, value) => change({ [field]: value })}
              onSet={(field, value) => change({ [field]: value })}
              onBack={() => undefined}
            />
          ))}
          <Box display="flex" flexWrap="wrap" gap="4px 10px" alignItems="center">
            <Choice
              aria-label="The path stays with"
              width="auto"
              value={beside.of ?? "stop"}
              onChange={(event) =>
                change({ of: event.target.value, at: event.target.value === "turn" ? turn : stop })
              }
            >
              <option value="stop">stays with {stage.name ?? kind.title}</option>
              <option value="turn">stays with the turn</option>
            </Choice>
            <Press
              look="quiet"
              onClick={() => arrange({ beside: all.filter((b) => b !== beside) })}
            >
              Take the path out
            </Press>
          </Box>
        </Box>
      ) : (
        <Press
          look="quiet"
          disabled={!turn || all.length >= 2}
          onClick={() =>
            arrange({
              beside: [...all, { of: "stop", at: stop, mix_percent: 60, level_db: 0 }],
            })
          }
        >
          A dry path beside it
        </Press>
      )}
    </Box>
  );
}
