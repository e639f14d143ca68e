/**
 * What is in hand through all steps: variant, clip, step, open tools. Kept in this browser at once and
 * with the song soon after; the newest of the two is taken up when the song is opened.
 */
import { useCallback, useEffect, useRef, useState } from "react";

import {
  api,
  ask,
  type Clip,
  type RigSummary,
  type Schemas,
  type VariantSummary,
} from "../api/client";

export type Hand = Schemas["Hand"];

const SEND_AFTER_MS = 400;
const keyOf = (id: string) => `fonodrome.hand.${id}`;

/** The one that was kept later; without times, the song's own. */
export function newest(ofSong: Hand, ofBrowser: Hand | null): Hand {
  return ofBrowser && (ofBrowser.at ?? 0) > (ofSong.at ?? 0) ? ofBrowser : ofSong;
}

export function keptHere(text: string | null): Hand | null {
  if (!text) return null;
  try {
    const found: unknown = JSON.parse(text);
    return found && typeof found === "object" ? (found as Hand) : null;
  } catch {
    return null;
  }
}

export interface Held {
  rig: RigSummary | undefined;
  variant: VariantSummary | undefined;
  clip: Clip | undefined;
}

/**
 * Rig, variant and clip that a hand means; where it means none, or one that is gone, the first ones.
 * known: the name of the clip that Space was thought of on.
 */
export function heldOf(hand: Hand, rigs: RigSummary[], clips: Clip[], known = ""): Held {
  const rig = rigs.find((r) => r.variants.some((v) => v.id === hand.variant)) ?? rigs[0];
  return {
    rig,
    variant: rig?.variants.find((v) => v.id === hand.variant) ?? rig?.variants[0],
    clip: clips.find((c) => c.id === hand.clip) ?? clips.find((c) => c.name === known) ?? clips[0],
  };
}

/** A song whose hand was never kept. */
export const EMPTY: Hand = {
  step: "route",
  selected: "",
  tools: {},
  found: [],
  put_away: false,
  at: 0,
};

/** Where a song is opened: the step that was left, at its tool. */
export function placeOf(hand: Hand): string {
  const step = hand.step || "route";
  const tool = hand.tools?.[step];
  return tool ? `${step}/${tool}` : step;
}

export function useHand(id: string, ofSong: Hand | undefined) {
  const [hand, setHand] = useState<Hand | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const now = hand ?? (ofSong ? newest(ofSong, keptHere(localStorage.getItem(keyOf(id)))) : null);
  const held = useRef(now);
  useEffect(() => {
    held.current = now;
  }, [now]);
  const send = useCallback(() => {
    const body = held.current;
    if (body)
      // What fails here is kept in the browser, and goes with the next change.
      ask(
        api.PUT("/api/v1/songs/{song_id}/hand", { params: { path: { song_id: id } }, body }),
      ).catch(() => undefined);
  }, [id]);
  const take = useCallback(
    (more: Partial<Hand>) => {
      const before = held.current;
      if (!before) return;
      const next = { ...before, ...more, at: Date.now() };
      held.current = next;
      localStorage.setItem(keyOf(id), JSON.stringify(next));
      setHand(next);
      clearTimeout(timer.current);
      timer.current = setTimeout(send, SEND_AFTER_MS);
    },
    [id, send],
  );
  return { hand: now, take };
}

/** Step and tool of an address: all that follows the step, or a measurement would lose its id. */
export function leftAt(pathname: string): [step: string, tool: string] {
  const [, , , step = "", ...rest] = pathname.split("/");
  return [step, rest.filter(Boolean).join("/")];
}
