/** What is found, in the order in which it is shown; where each thing opens. */
import type { Schemas } from "../api/client";
import { allKeys } from "../ui/keys";

export type Found = Schemas["FoundOut"];
export type Wish = Schemas["Asked"];
export type Answer = Schemas["FindOut"];

export type Line =
  | { sort: "wish"; key: string; title: string; about: string; wish: Wish }
  | { sort: "help"; key: string; title: string; about: string }
  | { sort: Found["sort"]; key: string; title: string; about: string; found: Found };

export const NAMES: Record<Line["sort"], string> = {
  wish: "do",
  song: "song",
  rig: "rig",
  stage: "stage",
  clip: "clip",
  device: "device",
  check: "check",
  log: "log",
  list: "set list",
  help: "word",
};

/** Words and keys of the help in which every word is found, or another word for it. */
export function helpOf(
  wanted: string[][],
  words: { word: string; means: string }[],
): { title: string; about: string }[] {
  if (!wanted.length) return [];
  const has = (text: string) => {
    const low = text.toLowerCase();
    return wanted.every((group) => group.some((word) => low.includes(word)));
  };
  const own = words
    .filter((w) => has(`${w.word} ${w.means}`))
    // A word itself goes before those that only mention it.
    .sort((a, b) => Number(has(b.word)) - Number(has(a.word)))
    .map((w) => ({ title: w.word, about: w.means }));
  const keys = allKeys
    .filter((k) => has(k.does))
    .map((k) => ({ title: `Key ${k.shown}`, about: `${k.scope}: ${k.does}` }));
  return [...own.slice(0, 5), ...keys.slice(0, 5)];
}

/** Wishes that can be granted here, then what was found, then the help. */
export function linesOf(
  answer: Answer,
  words: { word: string; means: string }[],
  inSong: boolean,
): Line[] {
  const wishes = answer.wishes.filter((w) => inSong || w.does === "song");
  return [
    ...wishes.map((wish): Line => ({
      sort: "wish",
      key: `wish ${wish.title}`,
      title: wish.title,
      about: "",
      wish,
    })),
    ...answer.found.map((found, i): Line => ({
      sort: found.sort,
      key: `${found.sort} ${i}`,
      title: found.title,
      about: found.about,
      found,
    })),
    ...helpOf(answer.wanted, words).map((h): Line => ({
      sort: "help",
      key: `help ${h.title} ${h.about}`,
      ...h,
    })),
  ];
}

/** Where a thing opens; what is of no song opens in the one in hand. Null: it is read where it stands. */
export function pathOf(found: Found, songInHand: string | null): string | null {
  if (found.sort === "list") return `/${found.place}`;
  const song = found.song ?? songInHand;
  if (!song || found.sort === "device") return null;
  return `/songs/${song}${found.place ? `/${found.place}` : ""}`;
}

/** What is to be in hand there. */
export function handOf(found: Found): { variant?: string; clip?: string; selected?: string } {
  return {
    ...(found.variant ? { variant: found.variant, selected: found.node } : {}),
    ...(found.clip ? { clip: found.clip } : {}),
  };
}

/** The line that an arrow leads to, from one end round to the other. */
export function nextLine(at: number, count: number, key: string): number {
  if (count === 0) return 0;
  if (key === "ArrowDown") return (at + 1) % count;
  if (key === "ArrowUp") return (at - 1 + count) % count;
  if (key === "Home") return 0;
  return key === "End" ? count - 1 : at;
}
