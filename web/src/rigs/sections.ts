/** Sections of a frame: dry paths that lie round what its line calls at. */

export interface Section {
  of?: "stop" | "turn";
  at: number;
}
interface Line<S extends Section> {
  calls?: number[];
  beside?: S[];
}

/** The dry path round a siding: its own, or that of the turn at which the line calls there. */
export function besideOf<S extends Section>(
  frame: Line<S> | undefined,
  place: number,
  turn = (frame?.calls ?? []).indexOf(place) + 1,
): S | undefined {
  return frame?.beside?.find((b) => b.at === (b.of === "turn" ? turn : place));
}
