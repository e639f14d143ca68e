/** What can be shared of a song, and how a link stands, in words. */
import type { Schemas } from "../api/client";

export type Link = Schemas["ShareOut"];
export type Wish = Schemas["ShareWish"];
export type Shared = Schemas["Shared"];

export interface Thing {
  /** As a choice: 'song', 'sheet:ID'. */
  key: string;
  kind: Wish["kind"];
  thing: string | null;
  name: string;
}

interface Of {
  rigs: readonly {
    name: string;
    variants: readonly { id: string; letter: string; name: string }[];
  }[];
  tests: readonly { id: string; status: string; a_name: string; b_name: string }[];
  measurements: readonly { id: string; status: string; device: string }[];
}

/** The song, each variant's sheet, each test that is done. */
export function thingsOf({ rigs, tests, measurements }: Of): Thing[] {
  const one = (kind: Wish["kind"], id: string, name: string) => ({
    key: `${kind}:${id}`,
    kind,
    thing: id,
    name,
  });
  return [
    { key: "song", kind: "song", thing: null, name: "The whole song: tempo, delays, stage sheets" },
    ...rigs.flatMap((rig) =>
      rig.variants.map((v) =>
        one("sheet", v.id, `Stage sheet of ${rig.name} ${v.letter} ${v.name}`.trim()),
      ),
    ),
    ...tests
      .filter((t) => t.status === "done")
      .map((t) => one("test", t.id, `Proof: ${t.b_name} against ${t.a_name}`)),
    ...measurements
      .filter((m) => m.status === "done")
      .map((m) => one("measurement", m.id, `Proof: ${m.device} on the bench`)),
  ];
}

/** What the address names: `?variant=…`, `?test=…`, `?measurement=…`; else the song. */
export function namedIn(search: URLSearchParams): string {
  const [variant, test, measurement] = ["variant", "test", "measurement"].map((n) => search.get(n));
  if (variant) return `sheet:${variant}`;
  if (test) return `test:${test}`;
  return measurement ? `measurement:${measurement}` : "song";
}

const DAY_MS = 86_400_000;

/** 'runs out in 13 days', 'runs out in 5 hours'. */
export function runsOut(expiresAt: string, now: number): string {
  const left = Date.parse(expiresAt) - now;
  if (left <= 0) return "has run out";
  const days = Math.floor(left / DAY_MS + 1e-3);
  if (days >= 1) return `runs out in ${days} ${days === 1 ? "day" : "days"}`;
  const hours = Math.max(1, Math.round(left / 3_600_000));
  return `runs out in ${hours} ${hours === 1 ? "hour" : "hours"}`;
}

/** How far a sound is turned down so that its peak stays a decibel below full scale; never up. */
export function volumeFor(peakDbfs: number | null): number {
  return peakDbfs === null ? 1 : Math.min(1, 10 ** ((-1 - peakDbfs) / 20));
}

export const FADE_MS = 600;
/** Volume as a sound begins: from nothing, in a straight line. */
export const fadedIn = (volume: number, sinceMs: number) =>
  volume * Math.min(1, Math.max(0, sinceMs / FADE_MS));
