/** Which places of a course are told of, and what was measured there. */
import type { Kind, Schemas } from "../../api/client";
import { hasTrait } from "../../rigs/traits";

export type CoursePlace = Schemas["CourseLevels"]["places"][number];

/** The ends, the place with the least headroom, and all that changes the sound or its level. */
export function toldOf(
  places: CoursePlace[],
  lowest: string | null,
  kinds: Kind[] | undefined,
): CoursePlace[] {
  return places.filter(
    (p, i) =>
      i === 0 ||
      i === places.length - 1 ||
      p.node === lowest ||
      Math.abs(p.change_db) >= 0.05 ||
      !hasTrait(kinds, p.kind, "transparent"),
  );
}

/** RMS of the louder side; null where nothing was measured, or all was silent. */
export function loudestOf(measured: CoursePlace["measured"]): number | null {
  const heard = (measured?.rms_dbfs ?? []).filter((v): v is number => v !== null);
  return heard.length ? Math.max(...heard) : null;
}
