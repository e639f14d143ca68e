/**
 * What an edit would make of the variant, asked for as it is thought of: one question under way at a time,
 * the newest thought next. Shown until it is kept, left, or the variant is another.
 */
import { useRef, useState } from "react";

import { api, ask, type RigAction, type Schemas, sentenceOf, type Variant } from "../../api/client";
import { isPassing } from "../../rigs/edits";
import { useSteady } from "../../ui/hooks";

export type Trial = Schemas["Trial"];

export interface Trying {
  trial: Trial | null;
  /** Why the newest thought cannot be. */
  refused: string;
  look: (action: RigAction | null) => void;
}

interface Found {
  /** The variant and revision that it was asked of: of another it says nothing. */
  of: string;
  trial: Trial | null;
  refused: string;
}
const NOTHING: Found = { of: "", trial: null, refused: "" };

/** How the rig and its song stand where something is thought of. */
interface Seen {
  revision?: number;
  song_revision: number;
}

interface Asking {
  busy: boolean;
  next: { action: RigAction; of: string; seen: Seen } | null;
  /** Goes up when everything that was asked is forgotten. */
  turn: number;
}

async function askInTurn(
  asking: Asking,
  variant_id: string,
  tell: (found: Found) => void,
): Promise<void> {
  if (asking.busy) return;
  asking.busy = true;
  while (asking.next) {
    const { action, of, seen } = asking.next;
    const turn = asking.turn;
    asking.next = null;
    let found: Found;
    try {
      const trial = await ask(
        api.POST("/api/v1/variants/{variant_id}/try", {
          params: { path: { variant_id } },
          body: { action, ...seen },
        }),
      );
      found = { of, trial, refused: "" };
    } catch (fault) {
      // Without a connection nothing is refused: what is meant goes out later.
      found = { of, trial: null, refused: isPassing(fault) ? "" : sentenceOf(fault) };
    }
    if (turn === asking.turn) tell(found);
  }
  asking.busy = false;
}

export function useTrial(variant: Variant | undefined, song_revision: number): Trying {
  const [found, setFound] = useState(NOTHING);
  const state = useRef<Asking>({ busy: false, next: null, turn: 0 });
  const id = variant?.id ?? "";
  const of = `${id} ${variant?.revision ?? 0}`;
  const look = useSteady((action: RigAction | null) => {
    const asking = state.current;
    asking.next = action && { action, of, seen: { revision: variant?.revision, song_revision } };
    if (action !== null) return void askInTurn(asking, id, setFound);
    asking.turn += 1;
    setFound(NOTHING);
  });
  const mine = found.of === of;
  return { trial: mine ? found.trial : null, refused: mine ? found.refused : "", look };
}
