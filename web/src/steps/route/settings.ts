/** Settings of a part: which are seen first, how the others are grouped and found, what was typed. */
import type { Frame, Kind, Parameter } from "../../api/client";
import { valueWords } from "../../rigs/changes";
import { noteMs, wholeOf } from "../../song/notes";
import { num } from "../../ui/format";
import { readTyped } from "../../ui/typed";

export type Values = Record<string, unknown>;

export function mainOf(kind: Kind): Parameter[] {
  return kind.main.flatMap((field) => kind.parameters.find((p) => p.field === field) ?? []);
}

export interface Group {
  name: Parameter["group"];
  parameters: Parameter[];
}

/** What is not seen first, by group, in the order in which the core gives them. */
export function groupsOf(kind: Kind): Group[] {
  const groups: Group[] = [];
  for (const p of kind.parameters) {
    if (kind.main.includes(p.field)) continue;
    const known = groups.find((g) => g.name === p.group);
    if (known) known.parameters.push(p);
    else groups.push({ name: p.group, parameters: [p] });
  }
  return groups.sort((a, b) => rank(a) - rank(b));
}

const LAST = ["switching", "role", "gear"];
const rank = (group: Group) => LAST.indexOf(group.name) + 1;

/** Settings whose name, group or explanation holds all the words that were typed. */
export function searched(kind: Kind, typed: string): Parameter[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return [];
  return kind.parameters.filter((p) => {
    const text = `${p.label} ${p.group} ${p.about} ${p.choices.join(" ")}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
}

/** Whether a setting is other than at rest. A name is not a setting that was changed. */
export function isChanged(p: Parameter, value: unknown): boolean {
  if (p.field === "name") return false;
  const [now, rest] = [value ?? null, p.default ?? null];
  if (typeof now === "number" && typeof rest === "number") return Math.abs(now - rest) > 1e-9;
  return String(now) !== String(rest);
}

export function changedOf(kind: Kind, values: Values): Parameter[] {
  return kind.parameters.filter((p) => isChanged(p, values[p.field]));
}

/** 0 to 1 along a scale; beyond its ends it stays at them. */
export function along(p: Parameter, value: number): number {
  const { low, high, log } = p.scale!;
  const from = log && low <= 0 ? 1e-3 : low;
  if (log && value <= 0) return 0;
  const part = log
    ? Math.log(value / from) / Math.log(high / from)
    : (value - from) / (high - from);
  return Math.min(1, Math.max(0, part));
}

/** The value at a place of a scale, as round as a hand can set it there. */
export function valueAt(p: Parameter, part: number): number {
  const { low, high, log } = p.scale!;
  const clear = Math.min(1, Math.max(0, part));
  if (log) {
    const from = low <= 0 ? 1e-3 : low;
    return figures(from * (high / from) ** clear, 3);
  }
  const raw = low + (high - low) * clear;
  const step = grain(p);
  const value = Math.round(raw / step) * step;
  return Number(Math.min(high, Math.max(low, value)).toFixed(4));
}

/** How finely a linear scale is set: a two-hundredth of it, made round. */
export function grain(p: Parameter): number {
  if (p.sort === "whole") return 1;
  const { low, high } = p.scale!;
  const rough = (high - low) / 200;
  const power = 10 ** Math.floor(Math.log10(rough));
  return [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough - 1e-12)!;
}

/** One press of an arrow key: 1 %, with Shift 10, with Alt 0.1; of the value itself on a log scale. */
export function stepped(p: Parameter, value: number, way: 1 | -1, size: 1 | 10 | 0.1): number {
  const least = p.low ?? -Infinity;
  const most = p.high ?? Infinity;
  let next: number;
  if (p.scale!.log) {
    next = figures(Math.max(value, 1e-3) * (1 + size / 100) ** way, 4);
    if (next === value) next = value + way * 0.001;
  } else {
    const unit = p.sort === "whole" ? Math.max(1, size) : grain(p) * 2 * size;
    next = Number((value + way * unit).toFixed(4));
  }
  return Math.min(most, Math.max(least, next));
}

function figures(value: number, count: number): number {
  return Number(value.toPrecision(count));
}

/** Ticks with words, round and not too many. */
export function ticksOf(p: Parameter, room: number): number[] {
  const { low, high, log } = p.scale!;
  const most = Math.max(2, Math.floor(room / 52));
  if (log) {
    const from = low <= 0 ? 1e-3 : low;
    const all: number[] = [];
    for (let power = Math.floor(Math.log10(from)); power <= Math.ceil(Math.log10(high)); power++)
      for (const n of [1, 2, 5]) {
        const tick = Number((n * 10 ** power).toPrecision(6));
        if (tick >= from * 0.999 && tick <= high * 1.001) all.push(tick);
      }
    for (const keep of [[1, 2, 5], [1, 5], [1]]) {
      const some = all.filter((t) => keep.includes(Number(t.toExponential()[0])));
      if (some.length <= most || keep.length === 1) return some;
    }
    return all;
  }
  for (const step of [1, 2, 5, 10, 20, 25, 50, 100, 200, 500, 1000, 0.5, 0.2, 0.1].sort(
    (a, b) => a - b,
  )) {
    const first = Math.ceil(low / step - 1e-9) * step;
    const count = Math.floor((high - first) / step + 1e-9) + 1;
    if (count <= most && count >= 2)
      return Array.from({ length: count }, (_, i) => Number((first + i * step).toFixed(4)));
  }
  return [low, high];
}

/**
 * What a time of a part comes to, in ms: by its part and field where the plan tells that apart, else the
 * part's own time.
 */
export function resolvedOf(
  timesMs: Record<string, number>,
  part: string,
  p: Parameter,
): number | undefined {
  if (p.sort !== "time") return undefined;
  return p.optional ? timesMs[`${part}.${p.field}`] : timesMs[part];
}

/** The number that stands for a setting on its scale; times by what they come to, in ms. */
export function numberOf(
  p: Parameter,
  value: unknown,
  resolvedMs: number | undefined,
  frame?: Frame,
): number | null {
  if (p.sort === "time") {
    const text = String(value ?? "");
    return resolvedMs ?? (frame ? noteMs(text, frame) : null) ?? plainMs(text);
  }
  return typeof value === "number" ? value : null;
}

function plainMs(text: string): number | null {
  const read = readTyped(text, "0 ms", 0, Infinity);
  return "value" in read ? read.value : null;
}

/** What a field shows: its number, or a time as it was written. */
export function shownOf(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (typeof value !== "number") return String(value);
  return num(value, Math.min(4, (String(Number(value.toFixed(4))).split(".")[1] ?? "").length));
}

/** A value in words with its unit: '60 %', '1/64', 'off'. */
export function wordsOf(p: Parameter, value: unknown): string {
  if (value === null || value === undefined) return p.sort === "text" ? "none" : "off";
  return p.sort === "time" ? String(value) : valueWords(value, p.unit);
}

export type Read = { value: unknown } | { said: string } | null;

/**
 * What was typed into a setting's field: null where it says what stands there already. A number may carry
 * a unit of its sort; a time may be a note value or one of the song's delays.
 */
export function readSetting(p: Parameter, typed: string, value: unknown, frame: Frame): Read {
  const text = typed.trim();
  if (text === shownOf(value)) return null;
  if (!text) {
    if (p.optional) return value === null || value === undefined ? null : { value: null };
    return { said: `${capital(p.label)} needs a value.` };
  }
  if (p.sort === "text") return { value: text };
  if (p.sort === "time") return readTime(text);
  const unit = p.unit;
  if ((unit === "ms" || unit === "s") && wholeOf(text) !== null) {
    const ms = noteMs(text, frame)!;
    return inRange(p, Number((unit === "ms" ? ms : ms / 1000).toPrecision(7)), `${text} is `);
  }
  const read = readTyped(
    text,
    unit === "ratio" ? "1:1" : `0 ${unit}`,
    p.low ?? -Infinity,
    p.high ?? Infinity,
  );
  if ("said" in read) return read;
  return { value: p.sort === "whole" ? Math.round(read.value) : read.value };
}

function readTime(text: string): Read {
  if (text.startsWith("@") || wholeOf(text) !== null) return { value: text };
  const read = readTyped(text, "0 ms", 0, 60_000);
  if ("said" in read)
    return {
      said: `“${text.slice(0, 20)}” is no time: type a note value (1/8.), ms or s, or @ and a delay's name.`,
    };
  // Written with a unit it stays as it was written; a bare number is in ms.
  return { value: /[a-zµ]/i.test(text) ? text : `${Number(read.value.toPrecision(9))} ms` };
}

function inRange(p: Parameter, value: number, before: string): Read {
  const [least, most] = [p.low ?? -Infinity, p.high ?? Infinity];
  if (value < least || value > most)
    return {
      said: `${before}${num(value, 1)} ${p.unit}: ${num(least, 0)} to ${num(most, 0)} ${p.unit} can be set.`,
    };
  return { value };
}

export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
