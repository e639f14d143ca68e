/** What an edit would change of a variant, in words, before it is sent. */
import type { Kind, RigAction, Variant } from "../api/client";
import { num } from "../ui/format";
import { nameOf } from "./names";

export interface Change {
  /** Of what: the stage's or the way's name. */
  of: string;
  what: string;
  before: string;
  after: string;
}

type Values = Record<string, unknown>;

const STRIP: Record<string, [string, string]> = {
  level_db: ["level", "dB"],
  pan_percent: ["pan", "%"],
  width_percent: ["width", "%"],
  delay_ms: ["delay", "ms"],
};
const STRIP_RESTS: Values = { level_db: 0, pan_percent: 0, width_percent: 100, delay_ms: 0 };

/** A value as it is written beside its name. */
export function valueWords(value: unknown, unit: string): string {
  if (value === null || value === undefined || value === "") return "not set";
  if (typeof value === "boolean") return value ? "on" : "off";
  if (typeof value !== "number") return String(value);
  const digits = Math.min(3, (String(Number(value.toFixed(3))).split(".")[1] ?? "").length);
  return `${num(value, digits)}${unit === "ratio" ? ":1" : unit ? ` ${unit}` : ""}`;
}

const alike = (a: unknown, b: unknown) =>
  a === b ||
  (a ?? null) === (b ?? null) ||
  (typeof a === "number" && typeof b === "number" && Math.abs(a - b) < 1e-9);

/** Every value that an edit of settings would change; nothing that already is so. */
export function changesOf(actions: RigAction[], variant: Variant, kinds: Kind[]): Change[] {
  return actions.flatMap((action): Change[] => {
    if (action.do === "several") return changesOf(action.actions, variant, kinds);
    if (action.do === "set") {
      const node = variant.document.nodes?.[action.node] as (Values & { kind: string }) | undefined;
      const known = kinds.find((k) => k.kind === node?.kind)?.parameters ?? [];
      return Object.entries(action.values)
        .filter(([field, value]) => !alike(node?.[field], value))
        .map(([field, value]) => {
          const parameter = known.find((p) => p.field === field);
          const unit = parameter?.unit ?? "";
          return {
            of: nameOf(variant, action.node),
            what: parameter?.label ?? field,
            before: valueWords(node?.[field], unit),
            after: valueWords(value, unit),
          };
        });
    }
    if (action.do === "set_strip") {
      const rail = variant.document.rails?.[action.rail];
      const strip = { ...STRIP_RESTS, ...(rail?.strip as Values | undefined) };
      return Object.entries(action.values)
        .filter(([field, value]) => !alike(strip[field], value))
        .map(([field, value]) => {
          const [what, unit] = STRIP[field] ?? [field, ""];
          return {
            of: rail ? `into ${nameOf(variant, rail.target)}` : action.rail,
            what,
            before: valueWords(strip[field], unit),
            after: valueWords(value, unit),
          };
        });
    }
    if (action.do === "insert")
      return Object.entries(action.values ?? {}).map(([field, value]) => {
        const parameter = kinds
          .find((k) => k.kind === action.kind)
          ?.parameters.find((p) => p.field === field);
        return {
          of: `a new ${action.kind}`,
          what: parameter?.label ?? field,
          before: "not there",
          after: valueWords(value, parameter?.unit ?? ""),
        };
      });
    return [];
  });
}
