/** Writing what is moved while it plays: armed in one press, kept when the hand rests. */
import { useEffect, useRef, useState } from "react";

import type { Kind, Variant } from "../api/client";
import { nameOf } from "../rigs/names";
import { announce } from "../ui/controls";
import { useSteady } from "../ui/hooks";
import type { Bar } from "./bars";
import { type Movable, movableOf, type useMoves, type WrittenMove } from "./moves";
import { type Touch, withRide } from "./ride";

/** A hand that rests for so long has done what it was about to do. */
export const RESTS_MS = 700;

export interface Ride {
  /** Whether what is moved while it plays is written. */
  on: boolean;
  turn: () => void;
  /** A setting of a variant is moved; whether that was taken as a ride, and not as a setting. */
  touch: (variant: string, part: string, field: string, value: unknown) => boolean;
}
export const NO_RIDE: Ride = { on: false, turn: () => undefined, touch: () => false };

interface Given {
  playing: boolean;
  /** Seconds into the stretch. */
  at: () => number;
  bars: Bar[];
  /** Whose render is heard; undefined where what is heard has no rig. */
  variant: Variant | undefined;
  kinds: Kind[] | undefined;
  moves: ReturnType<typeof useMoves>;
}

const saidOf = (of: Movable, before: WrittenMove[], after: WrittenMove[]): string => {
  const mine = (m: WrittenMove) => m.part === of.part && m.field === of.field;
  const old = before.find(mine)?.points ?? [];
  const points = after.find(mine)?.points ?? [];
  const fresh = points.filter((p) => !old.includes(p));
  const [first, last] = [fresh[0]?.bar, fresh.at(-1)?.bar];
  const where = first === last ? `bar ${first}` : `bars ${first} to ${last}`;
  return `${of.name} is written in ${where}, ${fresh.length} point${fresh.length === 1 ? "" : "s"}.`;
};

/** What a scale gives while it moves, as the number that a move is written in; a time in ms. */
export function riddenValue(field: string, value: unknown): number | null {
  if (typeof value === "number" || typeof value === "boolean") return Number(value);
  const ms = field === "time" && typeof value === "string" ? /^([\d.]+) ms$/.exec(value) : null;
  return ms ? Number(ms[1]) : null;
}

export function useRide(given: Given): Ride {
  const [on, setOn] = useState(false);
  const held = useRef(new Map<string, { of: Movable; touches: Touch[] }>());
  const sent = useRef<WrittenMove[] | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  const { playing } = given;
  const keep = useSteady(() => {
    clearTimeout(timer.current);
    const rides = [...held.current.values()];
    held.current.clear();
    // What was sent last counts until it has come back: of two rides neither is lost.
    const before = sent.current ?? given.moves.moves;
    const all = rides.reduce((m, r) => withRide(m, r.of, r.touches, given.bars), before);
    if (!rides.length || all === before) return;
    const save = given.moves.save.mutate;
    sent.current = all;
    save(all, {
      onSettled: () => {
        if (sent.current === all) sent.current = null;
      },
      onSuccess: () =>
        announce(rides.map((r) => saidOf(r.of, before, all)).join(" "), {
          action: { word: "Take it out", run: () => save(before) },
        }),
    });
  });
  // When it stops, or is not to be written any more, or is another variant: what was moved is kept.
  const whose = given.variant?.id;
  useEffect(() => keep, [playing, on, whose, keep]);
  const touch = useSteady((variant: string, part: string, field: string, value: unknown) => {
    const { variant: heard, kinds } = given;
    if (!on || !playing || !heard || heard.id !== variant || !kinds) return false;
    const number = riddenValue(field, value);
    if (number === null) return false;
    const { nodes = {}, rails = {} } = heard.document;
    const all = movableOf(nodes as never, rails as never, kinds, (id) => nameOf(heard, id));
    const of = all.find((m) => m.part === part && m.field === field);
    if (!of) return false;
    const key = `${part} ${field}`;
    const ride = held.current.get(key) ?? { of, touches: [] };
    ride.touches.push({ at: given.at(), value: number });
    held.current.set(key, ride);
    clearTimeout(timer.current);
    timer.current = setTimeout(keep, RESTS_MS);
    return true;
  });
  const turn = useSteady(() => setOn(!on));
  return { on, turn, touch };
}
