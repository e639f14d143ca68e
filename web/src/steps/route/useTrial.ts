/**
 * What an edit would make of the variant, asked for as it is thought of: one question under way at a time,
 * the newest thought next. Shown until it is kept, left, or the variant is another.
 */
import { useCallback, useEffect, useRef, useState } from "react";

import { api, ask, type RigAction, type Schemas, sentenceOf, type Variant } from "../../api/client";
import { isPassing } from "../../rigs/edits";

export type Trial = Schemas["Trial"];

export interface Trying {
  trial: Trial | null;
  /** Why the newest thought cannot be. */
  refused: string;
  look: (action: RigAction | null) => void;
}

interface Asking {
  busy: boolean;
  next: RigAction | null;
  /** Goes up when everything that was asked is forgotten. */
  turn: number;
}

async function askInTurn(
  asking: Asking,
  variant_id: string,
  tell: (found: { trial: Trial | null; refused: string }) => void,
): Promise<void> {
  if (asking.busy) return;
  asking.busy = true;
  while (asking.next) {
    const action = asking.next;
    const turn = asking.turn;
    asking.next = null;
    let found: { trial: Trial | null; refused: string };
    try {
      const trial = await ask(
        api.POST("/api/v1/variants/{variant_id}/try", {
          params: { path: { variant_id } },
          body: { action },
        }),
      );
      found = { trial, refused: "" };
    } catch (fault) {
      // Without a connection nothing is refused: what is meant goes out later.
      found = { trial: null, refused: isPassing(fault) ? "" : sentenceOf(fault) };
    }
    if (turn === asking.turn) tell(found);
  }
  asking.busy = false;
}

export function useTrial(variant: Variant | undefined): Trying {
  const [found, setFound] = useState<{ of: string; trial: Trial | null; refused: string }>({
    of: "",
    trial: null,
    refused: "",
  });
  const state = useRef<Asking>({ busy: false, next: null, turn: 0 });
  const id = variant?.id ?? "";
  const of = `${id} ${variant?.revision ?? 0}`;
  const latest = useRef(of);
  useEffect(() => {
    latest.current = of;
  }, [of]);
  const look = useCallback(
    (action: RigAction | null) => {
      const asking = state.current;
      asking.next = action;
      if (action !== null)
        return void askInTurn(asking, id, (more) => setFound({ of: latest.current, ...more }));
      asking.turn += 1;
      setFound({ of: "", trial: null, refused: "" });
    },
    [id],
  );
  const mine = found.of === of;
  return { trial: mine ? found.trial : null, refused: mine ? found.refused : "", look };
}
