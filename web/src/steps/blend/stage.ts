/** A compressor's settings as Blend has them, and as a stage of a rig has them. */
import type { Schemas } from "../../api/client";
import type { Stage } from "../../rigs/stages";

type Settings = Schemas["ParallelSettings"];

const SHARED = [
  "threshold_db",
  "ratio",
  "knee_db",
  "makeup_db",
  "attack_ms",
  "release_ms",
] as const;

/** What a stage says of a compressor; dry path and detector stay as they are. */
export function fromStage(stage: Stage): Partial<Settings> {
  const values = stage as unknown as Record<string, unknown>;
  const found: Partial<Settings> = { detector_db: 0, follow: false };
  for (const field of SHARED)
    if (typeof values[field] === "number") found[field] = values[field] as number;
  return found;
}

/** What a stage is set to: gain into the detector lowers the threshold by as much; make-up as in force. */
export function toStage(s: Settings, makeup_db = s.makeup_db!): Record<string, number> {
  const values = Object.fromEntries(SHARED.map((field) => [field, s[field]!]));
  return { ...values, makeup_db, threshold_db: s.threshold_db! - s.detector_db! };
}
