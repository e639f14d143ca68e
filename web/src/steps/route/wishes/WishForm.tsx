/** Write down a wish: what, of which part, how much. */
import { Box } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";

import type { Variant } from "../../../api/client";
import { Press } from "../../../ui/controls";
import { Choice, Labelled, TextInput } from "../../../ui/QuantityField";
import {
  begun,
  type Draft,
  likely,
  meant,
  partsFor,
  type Wish,
  type WishKind,
} from "../../../wishes/wishes";

interface Props {
  kinds: WishKind[];
  variant: Variant;
  /** Letters of the other variants of the rig. */
  others: string[];
  first: boolean;
  onWish: (wish: Wish) => void;
}

const named = (kind: WishKind) =>
  kind.kind === "balance" ? "level against another way" : kind.words;

export function WishForm({ kinds, variant, others, first, onWish }: Props) {
  const start = kinds.find((k) => k.kind === "balance") ?? kinds[0]!;
  const [draft, setDraft] = useState<Draft>(() =>
    begun(start, likely(partsFor(start, variant), variant)),
  );
  const [said, setSaid] = useState("");
  const kind = kinds.find((k) => k.kind === draft.kind)!;
  const parts = partsFor(kind, variant);
  const takes = (slot: WishKind["takes"][number]) => kind.takes.includes(slot);
  const change = (more: Partial<Draft>) => {
    setDraft({ ...draft, ...more });
    setSaid("");
  };
  const send = () => {
    const wish = meant(draft, kind);
    if (typeof wish === "string") setSaid(wish);
    else onWish(wish);
  };
  const several = takes("parts");
  return (
    <Box
      asChild
      display="flex"
      flexWrap="wrap"
      gap="8px 12px"
      alignItems="flex-end"
      marginTop={first ? "4px" : "10px"}
    >
      <form
        aria-label="A wish"
        onSubmit={(event) => {
          event.preventDefault();
          send();
        }}
      >
        <Cell flex="1 1 190px" label="Wish for">
          <Choice
            value={draft.kind}
            onChange={(event) => {
              const next = kinds.find((k) => k.kind === event.target.value)!;
              setDraft(begun(next, likely(partsFor(next, variant), variant)));
              setSaid("");
            }}
          >
            {kinds.map((k) => (
              <option key={k.kind} value={k.kind}>
                {named(k)}
              </option>
            ))}
          </Choice>
        </Cell>
        {(takes("part") || takes("reverb")) && (
          <Cell flex="1 1 150px" label="Of">
            <Choice
              value={draft.parts[0] ?? ""}
              onChange={(event) =>
                change({ parts: event.target.value ? [event.target.value] : [] })
              }
            >
              {takes("reverb") && <option value="">the first reverb</option>}
              {parts.map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Choice>
          </Cell>
        )}
        {takes("against") && (
          <Cell flex="1 1 150px" label="Against">
            <Choice
              value={draft.against}
              onChange={(event) => change({ against: event.target.value })}
            >
              <option value="">the dry sound</option>
              {parts
                .filter(([id]) => id !== draft.parts[0])
                .map(([id, name]) => (
                  <option key={id} value={id}>
                    {name}
                  </option>
                ))}
            </Choice>
          </Cell>
        )}
        {takes("during") && (
          <Cell width="130px" label="Over the clip">
            <Choice
              value={draft.during}
              onChange={(event) => change({ during: event.target.value })}
            >
              <option value="">as planned</option>
              <option value="phrases">in phrases</option>
              <option value="gaps">in gaps</option>
            </Choice>
          </Cell>
        )}
        {takes("variant") && (
          <Cell width="120px" label="Against variant">
            <Choice
              value={draft.variant}
              onChange={(event) => change({ variant: event.target.value })}
            >
              <option value="">{others.length ? "choose" : "there is none"}</option>
              {others.map((letter) => (
                <option key={letter} value={letter}>
                  {letter}
                </option>
              ))}
            </Choice>
          </Cell>
        )}
        {(takes("when") || takes("note")) && (
          <Cell width="110px" label={takes("note") ? "From" : "After"}>
            <TextInput
              value={draft.when}
              maxLength={40}
              onChange={(event) => change({ when: event.target.value })}
            />
          </Cell>
        )}
        {takes("band") && (
          <>
            <Cell width="90px" label="Above, Hz">
              <TextInput
                value={draft.low}
                onChange={(event) => change({ low: event.target.value })}
              />
            </Cell>
            <Cell width="90px" label="Below, Hz">
              <TextInput
                value={draft.high}
                onChange={(event) => change({ high: event.target.value })}
              />
            </Cell>
          </>
        )}
        <Cell width="96px" label="Shall be">
          <Choice
            value={draft.bound}
            onChange={(event) => change({ bound: event.target.value as Draft["bound"] })}
          >
            <option value="under">under</option>
            <option value="over">over</option>
            <option value="about">about</option>
          </Choice>
        </Cell>
        <Cell width="84px" label={kind.unit}>
          <TextInput
            aria-label={`How much, ${kind.unit}`}
            textAlign="right"
            value={draft.value}
            maxLength={12}
            onChange={(event) => change({ value: event.target.value })}
          />
        </Cell>
        {draft.bound === "about" && (
          <Cell width="76px" label="give or take">
            <TextInput
              textAlign="right"
              placeholder="0.5"
              value={draft.within}
              maxLength={12}
              onChange={(event) => change({ within: event.target.value })}
            />
          </Cell>
        )}
        <Cell width="104px" label="It">
          <Choice
            value={draft.must ? "must" : "should"}
            onChange={(event) => change({ must: event.target.value === "must" })}
          >
            <option value="must">must hold</option>
            <option value="should">should</option>
          </Choice>
        </Cell>
        <Press type="submit">Wish it</Press>
        {several && (
          <Box
            role="group"
            aria-label="Of which parts"
            flex="1 1 100%"
            display="flex"
            flexWrap="wrap"
            gap="2px 14px"
          >
            {parts.map(([id, name]) => (
              <label key={id} style={{ display: "inline-flex", gap: 6, alignItems: "center" }}>
                <input
                  type="checkbox"
                  checked={draft.parts.includes(id)}
                  onChange={(event) =>
                    change({
                      parts: event.target.checked
                        ? [...draft.parts, id]
                        : draft.parts.filter((p) => p !== id),
                    })
                  }
                />
                {name}
              </label>
            ))}
            <Box color="ink2">none: all that is dry</Box>
          </Box>
        )}
        <Box
          flex="1 1 100%"
          color={said ? "diff" : "ink2"}
          fontSize="13px"
          role={said ? "alert" : undefined}
        >
          {said || kind.about}
        </Box>
      </form>
    </Box>
  );
}

/** A field with its label, as wide as is said. */
function Cell({
  label,
  children,
  ...size
}: {
  label: string;
  flex?: string;
  width?: string;
  children: ReactNode;
}) {
  return (
    <Box {...size}>
      <Labelled label={label}>{children}</Labelled>
    </Box>
  );
}
