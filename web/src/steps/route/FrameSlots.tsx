/** An insert frame: what stands in each slot, in which order they run, parallel sections. */
import { Box } from "@chakra-ui/react";
import { useState } from "react";

import type { Kind, RigAction, Schemas } from "../../api/client";
import { Press, SheetTitle } from "../../ui/controls";
import { Choice, Labelled, TextInput } from "../../ui/QuantityField";

type Frame = Schemas["Frame"];
type Section = Schemas["ParallelSection"];

interface Props {
  frame: Frame;
  kinds: Kind[];
  onEdit: (action: RigAction) => void;
}

export function FrameSlots({ frame, kinds, onEdit }: Props) {
  const [draft, setDraft] = useState<string | null>(null);
  const order = frame.order ?? "";
  const size = frame.size ?? 8;
  const letters = Array.from({ length: size }, (_, i) => String.fromCharCode(65 + i));
  const slots = new Map((frame.slots ?? []).map((s) => [s.label, s.stage]));
  const sections = (frame.sections ?? []) as Section[];
  const arrange = (values: object) =>
    onEdit({ do: "arrange", frame: frame.id, values: {}, ...values } as RigAction);
  const section = (i: number, values: Partial<Section>) =>
    arrange({ sections: sections.map((s, n) => (n === i ? { ...s, ...values } : s)) });
  return (
    <Box marginTop="10px">
      <SheetTitle sub about="each processor runs once; typing the letters sets the order">
        Slots
      </SheetTitle>
      <Box display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginBlock="6px">
        <Labelled label="Slots in the order they run">
          <TextInput
            value={draft ?? order}
            maxLength={16}
            onChange={(event) => setDraft(event.target.value.toUpperCase())}
            onBlur={() => setDraft(null)}
            onKeyDown={(event) => {
              if (event.key === "Enter" && draft !== null) arrange({ order: draft });
              if (event.key === "Escape") setDraft(null);
            }}
          />
        </Labelled>
        <Labelled label="Half that is heard">
          <Choice
            value={frame.half ?? "whole"}
            onChange={(event) => arrange({ half: event.target.value })}
          >
            <option value="whole">the whole order</option>
            <option value="first">its first half</option>
            <option value="second">its second half</option>
          </Choice>
        </Labelled>
      </Box>
      <Box
        as="ol"
        display="grid"
        gridTemplateColumns="repeat(auto-fill, minmax(150px, 1fr))"
        gap="6px 12px"
      >
        {letters.map((letter) => {
          const stage = slots.get(letter) as { kind: string } | undefined;
          return (
            <Box as="li" key={letter} display="flex" gap="6px" alignItems="center">
              <Box fontWeight="650" width="16px" color={order.includes(letter) ? "ink" : "ink2"}>
                {letter}
              </Box>
              <Choice
                aria-label={`Slot ${letter}`}
                value={stage?.kind ?? ""}
                onChange={(event) => arrange({ slot: letter, kind: event.target.value || null })}
              >
                <option value="">empty</option>
                {kinds
                  .filter((k) => k.traits.includes("fits_frame"))
                  .map((k) => (
                    <option key={k.kind} value={k.kind}>
                      {k.title}
                    </option>
                  ))}
              </Choice>
            </Box>
          );
        })}
      </Box>
      {sections.map((s, i) => (
        <Box key={i} display="flex" flexWrap="wrap" gap="8px 12px" alignItems="end" marginTop="8px">
          <Labelled label={`Parallel section ${i + 1} follows`}>
            <Choice
              value={s.follows ?? "processor"}
              onChange={(event) => {
                const follows = event.target.value as "processor" | "position";
                const place = order.indexOf(s.at);
                const at =
                  follows === "position"
                    ? String(Math.max(0, place) + 1)
                    : (order[Number(s.at) - 1] ?? order[0] ?? "A");
                section(i, { follows, at });
              }}
            >
              <option value="processor">the processor</option>
              <option value="position">the position</option>
            </Choice>
          </Labelled>
          <Labelled label={s.follows === "position" ? "at position" : "beside slot"}>
            <Choice value={s.at} onChange={(event) => section(i, { at: event.target.value })}>
              {(s.follows === "position"
                ? [...order].map((_, n) => String(n + 1))
                : [...order]
              ).map((at) => (
                <option key={at}>{at}</option>
              ))}
            </Choice>
          </Labelled>
          <Labelled label="wet share, %">
            <Share
              value={s.mix_percent ?? 50}
              onSet={(mix_percent) => section(i, { mix_percent })}
            />
          </Labelled>
          <Labelled label="level after it, dB">
            <Share value={s.level_db ?? 0} onSet={(level_db) => section(i, { level_db })} />
          </Labelled>
          <Press
            look="quiet"
            onClick={() => arrange({ sections: sections.filter((_, n) => n !== i) })}
          >
            Take section {i + 1} out
          </Press>
        </Box>
      ))}
      {sections.length < 2 && order.length > 0 && (
        <Box marginTop="6px">
          <Press
            look="quiet"
            onClick={() =>
              arrange({
                sections: [
                  ...sections,
                  { follows: "processor", at: order[0], mix_percent: 50, level_db: 0 },
                ],
              })
            }
          >
            Lay a parallel section beside slot {order[0]}
          </Press>
        </Box>
      )}
    </Box>
  );
}

function Share({ value, onSet }: { value: number; onSet: (value: number) => void }) {
  const [draft, setDraft] = useState<string | null>(null);
  const commit = () => {
    const number = Number.parseFloat((draft ?? "").replace(",", ".").replace("−", "-"));
    if (draft !== null && !Number.isNaN(number) && number !== value) onSet(number);
    setDraft(null);
  };
  return (
    <TextInput
      width="84px"
      value={draft ?? String(value)}
      onChange={(event) => setDraft(event.target.value)}
      onBlur={commit}
      onKeyDown={(event) => event.key === "Enter" && commit()}
    />
  );
}
