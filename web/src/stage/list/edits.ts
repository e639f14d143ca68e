/** What is done to a set list, as plain functions of what it is. */
import type { Schemas } from "../../api/client";

export type Values = Schemas["SetListValues"];
export type Entry = Schemas["Entry"];

export const newEntry = (key: string, more: Partial<Entry>): Entry => ({
  key,
  kind: "song",
  title: "",
  song: null,
  variant: null,
  scene: "",
  count_bars: 2,
  programs: [],
  note: "",
  hidden: null,
  ...more,
});

export const changed = (values: Values, key: string, more: Partial<Entry>): Values => ({
  ...values,
  entries: values.entries.map((e) => (e.key === key ? { ...e, ...more } : e)),
});

export const without = (values: Values, key: string): Values => ({
  ...values,
  entries: values.entries.filter((e) => e.key !== key),
});

/** One place further up (-1) or down (1); at an end it stays. */
export function moved(values: Values, key: string, by: number): Values {
  const from = values.entries.findIndex((e) => e.key === key);
  const to = from + by;
  if (from < 0 || to < 0 || to >= values.entries.length) return values;
  const entries = [...values.entries];
  entries.splice(to, 0, ...entries.splice(from, 1));
  return { ...values, entries };
}

/** '12' or '12 on 3': a program as it is sent, and its channel where it is another. */
export function programsRead(text: string, channel: number): Entry["programs"] | string {
  const parts = text
    .split(/[,;]+/)
    .map((p) => p.trim())
    .filter(Boolean);
  const found = [];
  for (const part of parts) {
    const match = /^(\d{1,3})(?:\s*(?:on|@|ch(?:annel)?)\s*(\d{1,2}))?$/i.exec(part);
    const [program, on] = [Number(match?.[1]), Number(match?.[2] ?? channel)];
    if (!match || program > 127 || on < 1 || on > 16)
      return `“${part}” is no program: 0 to 127, and where it is not channel ${channel}, “12 on 3”.`;
    found.push({ program, channel: on });
  }
  return found.length > 8 ? "At most 8 programs are sent at once." : found;
}

export const programsWritten = (programs: Entry["programs"], channel: number) =>
  programs
    .map((p) => (p.channel === channel ? `${p.program}` : `${p.program} on ${p.channel}`))
    .join(", ");

interface Shown {
  name: string;
  shown: boolean;
}
/** What is left away: as it was chosen, else as the card has it. */
const awayNow = (chosen: string[] | null, lines: readonly Shown[]): string[] =>
  chosen ?? lines.filter((l) => !l.shown).map((l) => l.name);

export const isShown = (chosen: string[] | null, lines: readonly Shown[], name: string) =>
  !awayNow(chosen, lines).includes(name);

/** What is left away once a line is shown that was not, or the other way round. */
export function toggled(chosen: string[] | null, lines: readonly Shown[], name: string): string[] {
  const now = awayNow(chosen, lines);
  return now.includes(name) ? now.filter((n) => n !== name) : [...now, name];
}
