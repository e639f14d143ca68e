/** How a device's controls read, as it is typed in, and back to what is kept. */
import type { Schemas } from "../api/client";

export type Panel = Schemas["Panel"];
export type Control = Schemas["Control"];
export type Shows = "plan" | "value" | "percent" | "clock" | "marks";

/** What is typed of one control: words, so that nothing half-typed is lost. */
export interface Typed {
  field: string;
  shows: Shows;
  low: string;
  high: string;
  shownLow: string;
  shownHigh: string;
  step: string;
  unit: string;
  log: boolean;
  marks: string;
}

export const SHOWS: [Shows, string][] = [
  ["plan", "as planned"],
  ["value", "a number"],
  ["percent", "per cent"],
  ["clock", "a knob, by the clock"],
  ["marks", "named marks"],
];

const STEPS: Record<Shows, string> = { plan: "", value: "", percent: "1", clock: "0.5", marks: "" };

export function typedOf(
  field: string,
  control: Control | undefined,
  range: { low: number; high: number; log: boolean } | null,
): Typed {
  if (!control)
    return {
      field,
      shows: "plan",
      low: words(range?.low),
      high: words(range?.high),
      shownLow: "",
      shownHigh: "",
      step: "",
      unit: "",
      log: range?.log ?? false,
      marks: "",
    };
  return {
    field,
    shows: control.shows ?? "value",
    low: words(control.low),
    high: words(control.high),
    shownLow: control.shows === "clock" ? hours(control.shown_low) : words(control.shown_low),
    shownHigh: control.shows === "clock" ? hours(control.shown_high) : words(control.shown_high),
    step: control.step ? words(control.step) : "",
    unit: control.unit ?? "",
    log: control.log ?? false,
    marks: (control.marks ?? []).map((m) => `${m.name} ${words(m.value)}`).join("; "),
  };
}

const words = (value: number | null | undefined): string =>
  value === null || value === undefined ? "" : `${value}`.replace("-", "−");

/** A place of a knob as on a clock face: 13.5 is 1:30. */
export function hours(value: number | null | undefined): string {
  if (value === null || value === undefined) return "";
  const minutes = Math.round(value * 60);
  return `${((Math.floor(minutes / 60) + 11) % 12) + 1}:${`${minutes % 60}`.padStart(2, "0")}`;
}

export class Unreadable extends Error {}

export function number(text: string, label: string): number {
  const plain = text.trim().replace("−", "-").replace(",", ".");
  if (!/^[+-]?(\d+\.?\d*|\.\d+)$/.test(plain))
    throw new Unreadable(`${label}: “${text.trim() || "nothing"}” is no number.`);
  return Number.parseFloat(plain);
}

/** "7:00" or "7" in the morning of the knob, "5:00" in its afternoon: six and below are behind twelve. */
export function clockHours(text: string, label: string): number {
  const match = /^(\d{1,2})(?::([0-5]\d))?$/.exec(text.trim());
  const hour = match ? Number(match[1]) : 0;
  if (!match || hour < 1 || hour > 12)
    throw new Unreadable(`${label}: “${text}” is no place on a clock.`);
  const at = hour + Number(match[2] ?? 0) / 60;
  // A knob begins at the lower left, half past six at the earliest.
  return at < 6.5 ? at + 12 : at;
}

export function marksOf(text: string): { name: string; value: number }[] {
  return text
    .split(/[;\n]/)
    .map((one) => one.trim())
    .filter(Boolean)
    .map((one) => {
      const at = one.lastIndexOf(" ");
      if (at < 1)
        throw new Unreadable(`“${one}”: a mark is its name and what it sets, as in “slow 300”.`);
      return {
        name: one.slice(0, at).trim(),
        value: number(one.slice(at), `Mark “${one.slice(0, at).trim()}”`),
      };
    });
}

/** What is kept of a control; none where it reads as planned. Throws Unreadable with a sentence. */
export function controlOf(typed: Typed, label: string): Control | null {
  if (typed.shows === "plan") return null;
  const read = typed.shows === "clock" ? clockHours : number;
  const shown = (text: string, which: string) =>
    text.trim() ? read(text, `${label}, ${which}`) : null;
  return {
    field: typed.field,
    shows: typed.shows,
    low: number(typed.low, `${label}, at its low end`),
    high: number(typed.high, `${label}, at its high end`),
    log: typed.log,
    shown_low: typed.shows === "marks" ? null : shown(typed.shownLow, "shown at its low end"),
    shown_high: typed.shows === "marks" ? null : shown(typed.shownHigh, "shown at its high end"),
    step: typed.step.trim() ? number(typed.step, `${label}, step`) : 0,
    unit: typed.unit.trim(),
    marks: typed.shows === "marks" ? marksOf(typed.marks) : [],
  };
}

/** A kind of reading that was just chosen, with what is usual for it. */
export function chosen(typed: Typed, shows: Shows): Typed {
  const clock = shows === "clock";
  return {
    ...typed,
    shows,
    step: STEPS[shows],
    shownLow: clock ? "7:00" : "",
    shownHigh: clock ? "5:00" : "",
  };
}
