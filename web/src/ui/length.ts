/** How long a section of a tempo map is: bars, and beats on top of them. */
import type { Section, TempoMap } from "../api/client";

export interface Length {
  /** Null: to the end of the song. */
  bars: number | null;
  beats: number;
}

export const TYPE_A_LENGTH = "Type bars, or bars + beats: 4, 2 + 1.5, + 3. Empty: to the end.";

const NUMBER = String.raw`(\d+(?:[.,]\d+)?)`;
const FORMS = new RegExp(`^(?:${NUMBER}\\s*(?:bars?)?)?(?:\\s*\\+\\s*${NUMBER}\\s*(?:beats?)?)?$`);

/** What was typed, or null where it says no length. Part bars become beats. */
export function readLength(text: string, metreCount: number): Length | null {
  const plain = text.trim().toLowerCase();
  if (plain === "" || plain === "open") return { bars: null, beats: 0 };
  const found = FORMS.exec(plain);
  if (!found || (found[1] === undefined && found[2] === undefined)) return null;
  const [bars, beats] = [found[1], found[2]].map((n) => Number((n ?? "0").replace(",", ".")));
  return ofBeats(bars! * metreCount + beats!, metreCount);
}

/** So many beats as bars and beats; null for none, and for more than can be. */
export function ofBeats(beats: number, metreCount: number): Length | null {
  const near = Math.round(beats * 1e6) / 1e6;
  if (!(near > 0) || near > 100_000 * metreCount) return null;
  const bars = Math.floor(near / metreCount + 1e-9);
  return { bars, beats: Math.max(0, Math.round((near - bars * metreCount) * 1e6) / 1e6) };
}

const short = (value: number) => String(Number(value.toFixed(3)));

/** As it stands in the field. */
export function lengthText({ bars, beats }: Length): string {
  if (bars === null) return "";
  return beats ? `${bars} + ${short(beats)}` : String(bars);
}

/** As it is said: '2 bars and 1.5 beats'. */
export function lengthWords(
  { bars, beats }: { bars: number; beats: number },
  open = false,
): string {
  const more = beats ? `${short(beats)} ${beats === 1 ? "beat" : "beats"}` : "";
  if (bars === 0 && more) return more;
  const whole = `${bars}${open ? "+" : ""} ${bars === 1 ? "bar" : "bars"}`;
  return more ? `${whole} and ${more}` : whole;
}

/** Where a section begins: its bar, with the beat where that is not the first. */
export function placeWords(bar: number, beat: number): string {
  return Math.abs(beat - 1) < 1e-6 ? String(bar) : `${bar}, beat ${short(beat)}`;
}

/** A map with another section from a position on, which must lie inside a section; null elsewhere. */
export function splitAt(
  sections: Section[],
  map: TempoMap,
  position: { bar: number; beat: number; section: number; bpm: number },
): Section[] | null {
  const own = sections[position.section];
  const laid = map.sections[position.section];
  if (!own || !laid) return null;
  const into =
    (position.bar - laid.first_bar) * own.metre_count! + (position.beat - laid.first_beat);
  const first = ofBeats(into, own.metre_count!);
  const whole = laid.bars * own.metre_count! + laid.beats;
  if (!first || (!laid.open && into > whole - 1e-6)) return null;
  const rest = laid.open ? { bars: null, beats: 0 } : ofBeats(whole - into, own.metre_count!);
  if (!rest) return null;
  const bpm = Math.round(position.bpm * 1000) / 1000;
  const ramps = own.ramp_to_bpm !== null && own.ramp_to_bpm !== undefined;
  return [
    ...sections.slice(0, position.section),
    { ...own, ...first, ramp_to_bpm: ramps ? bpm : null },
    { ...own, ...rest, name: "", tempo_bpm: ramps ? bpm : own.tempo_bpm },
    ...sections.slice(position.section + 1),
  ];
}
