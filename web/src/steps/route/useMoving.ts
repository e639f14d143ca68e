/**
 * Settings that move: shown while they move, kept a moment after they rest, and where they stood before is
 * remembered until something else is selected, so that one press puts it back.
 */
import { useEffect, useRef, useState } from "react";

import type { RigAction, Variant } from "../../api/client";
import { announce } from "../../ui/controls";
import { useSteady } from "../../ui/hooks";
import type { Values } from "./settings";
import type { Trying } from "./useTrial";

/** Longer than a key that repeats takes from one to the next. */
const REST_MS = 200;
const RIDDEN_MS = 900;

export interface Moving {
  /** The values of what is selected, as they are seen now. */
  values: Values;
  /** Where those that moved stood before. */
  before: Values;
  /** The variant as it was before the first of them moved. */
  was: Variant | null;
  move: (field: string, value: unknown) => void;
  set: (field: string, value: unknown) => void;
  /** Put everything that moved back. */
  back: (field?: string) => void;
  /** What was, is forgotten: it stays as it is. */
  settle: () => void;
}

interface Draft {
  of: string;
  revision: number;
  values: Values;
}

/** Ports of rails have a dot, ids of parts have none; what stands at a siding is written 'frame@3'. */
export function actionOf(at: string, values: Values): RigAction {
  const [frame, place] = at.split("@");
  if (place) return { do: "arrange", frame: frame!, place: Number(place), values, clear: false };
  return at.includes(".") ? { do: "set_strip", rail: at, values } : { do: "set", node: at, values };
}

export function useMoving(
  variant: Variant | undefined,
  selected: string,
  stored: Values,
  edit: (action: RigAction) => void,
  trying: Trying,
  /** Whether a move of a setting is taken as a ride: heard and written, and nothing is set. */
  ridden: (part: string, field: string, value: unknown) => boolean = () => false,
): Moving {
  const key = `${variant?.id ?? ""} ${selected}`;
  const [draft, setDraft] = useState<Draft | null>(null);
  const [was, setWas] = useState<{ of: string; values: Values; variant: Variant } | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const pending = useRef<{ selected: string; values: Values } | null>(null);
  const keep = useSteady(() => {
    clearTimeout(timer.current);
    const held = pending.current;
    pending.current = null;
    if (held) edit(actionOf(held.selected, held.values));
  });
  // Another selection, another variant, another step: what moved is kept, not lost.
  useEffect(() => keep, [key, keep]);
  // What cannot be is taken back at once.
  const refused = trying.refused;
  const onRefused = useSteady(() => {
    if (!pending.current && !draft) return;
    clearTimeout(timer.current);
    pending.current = null;
    setDraft(null);
    announce(refused, { kind: "fault" });
  });
  useEffect(() => {
    if (refused) onRefused();
  }, [refused, onRefused]);
  const mine = draft && draft.of === key && variant && variant.revision <= draft.revision;
  const values = mine ? { ...stored, ...draft.values } : stored;
  const before = was?.of === key ? was.values : {};
  const remember = (field: string) => {
    if (!variant) return;
    const kept = was?.of === key ? was : { of: key, values: {}, variant };
    if (!(field in kept.values))
      setWas({ ...kept, values: { ...kept.values, [field]: stored[field] ?? null } });
  };
  const show = (more: Values) => {
    if (!variant) return;
    const next = { ...pending.current?.values, ...more };
    pending.current = { selected, values: next };
    trying.look(actionOf(selected, next));
    setDraft({
      of: key,
      revision: variant.revision,
      values: { ...(mine ? draft.values : {}), ...more },
    });
  };
  const shown = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  useEffect(() => () => clearTimeout(shown.current), []);
  /** Shown while the hand is on it; then where it rests stands there again. */
  const ride = (field: string, value: unknown): boolean => {
    if (!variant || !ridden(selected, field, value)) return false;
    trying.look(actionOf(selected, { [field]: value }));
    setDraft({
      of: key,
      revision: variant.revision,
      values: { ...(mine ? draft.values : {}), [field]: value },
    });
    clearTimeout(shown.current);
    shown.current = setTimeout(() => {
      setDraft(null);
      trying.look(null);
    }, RIDDEN_MS);
    return true;
  };
  const move = (field: string, value: unknown) => {
    if (ride(field, value)) return;
    remember(field);
    show({ [field]: value });
    clearTimeout(timer.current);
    timer.current = setTimeout(keep, REST_MS);
  };
  const set = (field: string, value: unknown) => {
    if (ride(field, value)) return;
    remember(field);
    show({ [field]: value });
    keep();
  };
  const back = (field?: string) => {
    const fields = field ? [field] : Object.keys(before);
    const values = Object.fromEntries(fields.map((f) => [f, before[f] ?? null]));
    if (!fields.length || !variant) return;
    show(values);
    keep();
    const left = Object.fromEntries(Object.entries(before).filter(([f]) => !fields.includes(f)));
    setWas(Object.keys(left).length && was ? { ...was, values: left } : null);
  };
  return {
    values,
    before,
    was: was?.of === key ? was.variant : null,
    move,
    set,
    back,
    settle: () => setWas(null),
  };
}
