/** A field for a quantity as people type it; the core reads it, the line below reads it back. */
import { Box, chakra } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { type KeyboardEvent, useEffect, useId, useRef, useState } from "react";

import { useDraft, useTakes } from "./drafts";
import { Said } from "./Said";
import { api, ask, type Frame, Refused, type Schemas, sentenceOf } from "../api/client";

type Kind = Schemas["QuantityRequest"]["kind"];
export type Quantity = Schemas["Quantity"];

const AGAIN_MS = 3000;
const underWay = new Set<Promise<void>>();

function track(reading: Promise<void>): Promise<void> {
  underWay.add(reading);
  return reading.finally(() => underWay.delete(reading));
}

/** Resolves when every field that is being read has been: a form waits for it before it sends. */
export async function fieldsRead(): Promise<void> {
  await Promise.all(underWay);
}

interface Props {
  label: string;
  kind: Kind;
  /** What is stored now, as text. */
  value: string;
  unit?: string;
  frame?: Frame;
  /** Called with what was understood, on Enter, on leaving, and on stepping. */
  onCommit: (read: Quantity, text: string) => void;
  /** One press of an arrow key; Shift ten times, Alt a tenth. */
  step?: number;
  hideLabel?: boolean;
  width?: string;
  help?: string;
}

const inputCss = {
  width: "100%",
  minHeight: { base: "44px", sm: "31px" },
  paddingInline: "9px",
  background: "sheet",
  color: "ink",
  border: "1px solid",
  borderColor: "edge",
  borderBottom: "2px solid",
  borderBottomColor: "ink",
  borderRadius: 0,
  fontSize: "15px",
  fontWeight: 600,
  fontVariantNumeric: "tabular-nums",
  _invalid: { borderColor: "diff" },
} as const;

export const TextInput = chakra("input", { base: inputCss });
export const TextArea = chakra("textarea", {
  base: { ...inputCss, fontWeight: 400, paddingBlock: "6px", resize: "vertical" },
});
export const Choice = chakra("select", {
  base: { ...inputCss, fontWeight: 400, fontSize: "14px" },
});

export function Labelled({
  label,
  children,
}: {
  label: React.ReactNode;
  children: React.ReactNode;
}) {
  return (
    <chakra.label display="block">
      <Box as="span" display="block" color="ink2" fontSize="13px" marginBottom="2px">
        {label}
      </Box>
      {children}
    </chakra.label>
  );
}

export function QuantityField(props: Props) {
  const { label, kind, value, unit, frame, onCommit, step = 1, hideLabel, width, help } = props;
  const id = useId();
  const [draft, setDraft, takes] = useDraft(label, value);
  // Looks while typing and acceptances are counted apart: a look never undoes an acceptance.
  const lastLook = useRef(0);
  const latest = useRef(0);
  const read = useMutation({
    mutationFn: (text: string) =>
      ask(
        api.POST("/api/v1/compute/quantity", {
          body: { kind, text, ...(frame && { frame }) } as Schemas["QuantityRequest"],
        }),
      ),
  });
  const { mutateAsync, reset } = read;
  const [said, setSaid] = useState<{ text: string; bad: boolean } | null>(null);

  useEffect(() => {
    if (draft === null) return;
    const turn = ++lastLook.current;
    const timer = setTimeout(() => {
      mutateAsync(draft)
        .then(
          (found) => turn === lastLook.current && setSaid({ text: found.read_back, bad: false }),
        )
        .catch(
          (fault) => turn === lastLook.current && setSaid({ text: sentenceOf(fault), bad: true }),
        );
    }, 120);
    return () => clearTimeout(timer);
  }, [draft, mutateAsync]);

  const restore = () => {
    lastLook.current++;
    latest.current++;
    setDraft(null);
    setSaid(null);
    reset();
  };

  const commit = (text: string) => track(readIt(text));

  const readIt = async (text: string) => {
    const turn = ++latest.current;
    try {
      const found = await mutateAsync(text);
      if (turn !== latest.current) return;
      lastLook.current++;
      setDraft(null);
      setSaid(null);
      onCommit(found, text);
    } catch (fault) {
      setSaid({ text: sentenceOf(fault), bad: true });
      if (fault instanceof Refused && fault.offline) {
        // It was typed: it is read as soon as the line is back, unless something else is typed.
        setDraft(text);
        setTimeout(() => turn === latest.current && void readIt(text), AGAIN_MS);
      }
    }
  };

  useTakes(takes, (text) => void commit(text));

  const onKeyDown = (event: KeyboardEvent<HTMLInputElement>) => {
    if (event.key === "Enter") {
      // Enter accepts the field; it does not send the form with what stood here before.
      event.preventDefault();
      void commit(draft ?? value);
    } else if (event.key === "Escape") restore();
    else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
      const now = Number.parseFloat((draft ?? value).replace(",", "."));
      if (Number.isNaN(now) || (draft ?? value).includes("/")) return;
      event.preventDefault();
      const size = step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
      const next = now + (event.key === "ArrowUp" ? size : -size);
      const text = String(Number(next.toFixed(4)));
      setDraft(text);
      void commit(text);
    }
  };

  return (
    <Box width={width} minWidth="0">
      <chakra.label
        htmlFor={id}
        display="block"
        color="ink2"
        fontSize="13px"
        marginBottom="2px"
        srOnly={hideLabel}
      >
        {label}
      </chakra.label>
      <Box position="relative">
        <TextInput
          id={id}
          value={draft ?? value}
          inputMode="text"
          autoComplete="off"
          spellCheck={false}
          aria-invalid={said?.bad || undefined}
          aria-describedby={`${id}-said`}
          paddingRight={unit ? `${unit.length * 8 + 16}px` : undefined}
          onChange={(event) => setDraft(event.target.value)}
          onBlur={() => draft !== null && draft !== value && void commit(draft)}
          onDoubleClick={restore}
          onKeyDown={onKeyDown}
        />
        {unit && (
          <Box
            as="span"
            aria-hidden
            position="absolute"
            right="9px"
            top="50%"
            transform="translateY(-50%)"
            color="ink2"
            fontSize="13px"
            pointerEvents="none"
          >
            {unit}
          </Box>
        )}
        <Said id={`${id}-said`} text={said?.text ?? ""} bad={said?.bad ?? false} />
      </Box>
      {help && (
        <Box fontSize="13px" lineHeight="17px" color="ink2">
          {help}
        </Box>
      )}
    </Box>
  );
}
