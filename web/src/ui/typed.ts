/**
 * What a person types at a scale: a number, with or without its unit, in the scripts that people have.
 * The unit is the one that the scale shows; what stands in another of the same sort is converted.
 */

export type Typed = { value: number } | { said: string };

/** By the unit that is shown, what other units are worth in it. */
const WORTH: Record<string, Record<string, number>> = {
  ms: { ms: 1, s: 1000, sec: 1000, us: 0.001, µs: 0.001 },
  s: { s: 1, sec: 1, ms: 0.001 },
  Hz: { hz: 1, khz: 1000, k: 1000 },
  kHz: { khz: 1, k: 1, hz: 0.001 },
  dB: { db: 1, dbfs: 1, dbu: 1, dbv: 1 },
  "%": { "%": 1, percent: 1, x: 100 },
  ":1": { ":1": 1, to1: 1, x: 1 },
  m: { m: 1, cm: 0.01, mm: 0.001, km: 1000 },
};
const UNLIMITED = /^(inf(inity)?|∞|limit(er)?)(:1)?$/i;
const LONGEST = 60;

/** The unit in what a scale shows: 'dB' in '−34.0 dB', ':1' in '4.0:1'. */
export function unitIn(shown: string): string {
  const rest = shown.replace(/[+−-]?[\d\u202f.,]+/u, "").trim();
  if (rest.startsWith(":1")) return ":1";
  const word = rest.split(" ")[0] ?? "";
  return /^dB/.test(word) ? "dB" : word;
}

/** Arabic, Devanagari and other decimal digits as the ones that a computer reads. */
function plainDigits(text: string): string {
  return text.replace(/\p{Nd}/gu, (digit) => {
    const code = digit.codePointAt(0)!;
    // Blocks of decimal digits begin at a multiple of 16, or at 6 past one.
    for (const start of [code & ~15, (code & ~15) + 6])
      if (code >= start && code < start + 10 && /\p{Nd}/u.test(String.fromCodePoint(start)))
        return String(code - start);
    return digit;
  });
}

export function readTyped(text: string, shown: string, least: number, most: number): Typed {
  const unit = unitIn(shown);
  const ends = Number.isFinite(least) && Number.isFinite(most);
  const range = ends
    ? `${short(least)} to ${short(most)}${unit && unit !== ":1" ? ` ${unit}` : unit}`
    : `a number${unit ? ` in ${unit}` : ""}`;
  const clean = plainDigits(text.slice(0, LONGEST))
    .replace(/[\u2212\u2013]/g, "-")
    .replace(/[\u202f\u00a0\s]/g, "")
    .replace(/^(-?\d+),(\d+)/, "$1.$2")
    .toLowerCase();
  if (!clean) return { said: `Type a number, ${range}.` };
  if (unit === ":1" && UNLIMITED.test(clean)) return { value: most };
  if (clean === "off" && least < 0) return { value: least };
  if (/^(centre|center|middle|none)$/.test(clean) && least <= 0) return { value: 0 };
  const found = /^([+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?)(.*)$/.exec(clean);
  if (!found) return { said: `“${cut(text)}” is no number: ${range} can be set.` };
  const [, number, given] = found;
  // A gain as a share, and a share as a gain.
  if (unit === "%" && given === "db") return within(100 * 10 ** (Number(number) / 20));
  if (unit === "dB" && given === "x" && Number(number) > 0)
    return within(20 * Math.log10(Number(number)));
  const worth = given ? WORTH[unit]?.[given!] : 1;
  if (worth === undefined)
    return { said: `“${cut(given!)}” is not ${unit ? `in ${unit}` : "understood here"}.` };
  return within(Number(number) * worth);

  function within(exact: number): Typed {
    const value = Number(exact.toPrecision(9));
    if (!(value >= least - 1e-9 && value <= most + 1e-9))
      return { said: `${short(value)} cannot be set: ${range} can.` };
    return { value };
  }
}

function short(value: number): string {
  const text = Math.abs(value) >= 1e6 ? value.toExponential(1) : String(Number(value.toFixed(3)));
  return text.replace("-", "\u2212");
}

const cut = (text: string) => (text.length > 16 ? `${text.slice(0, 15)}…` : text);
