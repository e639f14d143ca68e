/** Which input of a rig a correction goes to, and the edit that writes it. */
import type { RigAction, Schemas } from "../../api/client";

type Corrections = Schemas["Corrections"];
type Place = Corrections["places"][number];

/** The one that was picked; else the first that takes all of it, else the first. */
export function placeOf(found: Corrections, picked: string | null): Place | undefined {
  return (
    found.places.find((p) => p.rail === picked) ??
    found.places.find((p) => p.rest.length === 0 && p.actions.length > 0) ??
    found.places[0]
  );
}

/** One edit; null where nothing is to set, or where the rig is not what was tested any more. */
export function writing(found: Corrections, place: Place): RigAction | null {
  if (found.changed || place.actions.length === 0) return null;
  const actions = place.actions as RigAction[];
  return actions.length === 1 ? actions[0]! : ({ do: "several", actions } as RigAction);
}
