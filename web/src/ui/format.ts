/** Write numbers as the charts do: true minus, decimal point, thin digit groups. */
const THIN = "\u202f";

export function num(value: number, decimals: number): string {
  const fixed = Math.abs(value).toFixed(decimals);
  const [whole = "0", part] = fixed.split(".");
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
  const text = part ? `${grouped}.${part}` : grouped;
  return value < 0 && /[1-9]/.test(fixed) ? `\u2212${text}` : text;
}

export function signed(value: number, decimals: number): string {
  const text = num(value, decimals);
  return value > 0 && /[1-9]/.test(text) ? `+${text}` : text;
}

/** Milliseconds with about five figures: 319.149, 1276.6, 13.298. */
export function ms(value: number): string {
  return num(value, value >= 1000 ? 1 : 3);
}

/** Short milliseconds for crowded places: 319.15, 53.19, 1702.1. */
export function msShort(value: number): string {
  return num(value, value >= 10_000 ? 0 : value >= 100 ? 1 : 2);
}

export function dB(value: number | null, decimals = 1): string {
  return value === null ? "silent" : num(value, decimals);
}

export function clock(seconds: number): string {
  const whole = Math.floor(seconds);
  const rest = String(whole % 60).padStart(2, "0");
  return `${Math.floor(whole / 60)}:${rest}`;
}

export function clockFine(seconds: number): string {
  const tenths = Math.round(seconds * 10);
  const rest = String(Math.floor(tenths / 10) % 60).padStart(2, "0");
  return `${Math.floor(tenths / 600)}:${rest}.${tenths % 10}`;
}

/** "09:05", where it is read. To make a formatter costs tens of milliseconds: for two numbers none is made. */
export function timeOfDay(date: Date): string {
  const two = (n: number) => String(n).padStart(2, "0");
  return `${two(date.getHours())}:${two(date.getMinutes())}`;
}

/** A figure in words once it is known. Until then nothing: what is missing is said only where nothing is being asked. */
export function onceKnown<T>(
  found: T | undefined,
  words: (found: T) => string,
  asked: boolean,
  missing: string,
): string {
  if (found !== undefined) return words(found);
  return asked ? "" : missing;
}

const formatters = new Map<string, Intl.DateTimeFormat>();

/** One formatter of each form, made when it is first asked for. */
function formatted(at: Date | string, form: Intl.DateTimeFormatOptions): string {
  const key = JSON.stringify(form);
  let found = formatters.get(key);
  if (!found) formatters.set(key, (found = new Intl.DateTimeFormat("en-GB", form)));
  return found.format(new Date(at));
}

/** "29 Nov 2026, 14:20" */
export const dateAndTime = (at: Date | string): string =>
  formatted(at, { dateStyle: "medium", timeStyle: "short" });

/** "29 Nov 2026" */
export const dateOf = (at: Date | string): string => formatted(at, { dateStyle: "medium" });

/** "Sunday 29 November 2026": in two, as browsers differ in whether they set a comma between. */
export const wholeDay = (at: Date | string): string =>
  `${formatted(at, { weekday: "long" })} ${formatted(at, { dateStyle: "long" })}`;

/** As many decimals as the value has, up to three: what was set is never shown as another value. */
export function exact(value: number): string {
  const digits = [0, 1, 2].find(
    (d) => Math.abs(value * 10 ** d - Math.round(value * 10 ** d)) < 1e-6,
  );
  return num(value, digits ?? 3);
}
