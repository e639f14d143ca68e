/**
 * What is typed and not yet taken: kept in this browser with each key press, so that it outlives a lost line,
 * a closed page and a crash. A field finds again what it was left with, if it still shows the same value.
 */
import {
  createContext,
  type RefObject,
  useCallback,
  useContext,
  useEffect,
  useRef,
  useState,
} from "react";

import { gone, thisTab } from "./tabs";

const PREFIX = "fonodrome.typed.";
const MOST_DAYS = 7;

export interface Typed {
  text: string;
  /** What the field showed when it was typed over. */
  from: string;
  at: number;
}

/** Whose fields these are, where the address does not say it: a variant and a stage, a device. */
export const DraftScope = createContext("");

const keyOf = (tab: string, place: string) => `${PREFIX}${tab}.${place}`;

/** A kept text, if it can be read and is not too old. */
export function typedIn(stored: string | null, now: number): Typed | null {
  try {
    const found: unknown = JSON.parse(stored ?? "null");
    if (!found || typeof found !== "object") return null;
    const { text, from, at } = found as Record<string, unknown>;
    if (typeof text !== "string" || typeof from !== "string" || typeof at !== "number") return null;
    return now - at < MOST_DAYS * 86_400_000 ? { text, from, at } : null;
  } catch {
    return null;
  }
}

/** Left by other tabs, when this page was loaded: place to tab. Looked through once. */
let left: Map<string, string[]> | null = null;
function leftBehind(place: string): string[] {
  if (left === null) {
    left = new Map();
    for (const key of Object.keys(localStorage).filter((k) => k.startsWith(PREFIX))) {
      const dot = key.indexOf(".", PREFIX.length);
      const [tab, where] = [key.slice(PREFIX.length, dot), key.slice(dot + 1)];
      if (typedIn(localStorage.getItem(key), Date.now()) === null) localStorage.removeItem(key);
      else if (tab !== thisTab) left.set(where, [...(left.get(where) ?? []), tab]);
    }
  }
  return left.get(place) ?? [];
}
/** As if the page was loaded anew. */
export const forgetLeft = () => void (left = null);

/** Whoever signs out leaves nothing half-written to the next. */
export function forgetTyped(): void {
  for (const key of Object.keys(localStorage).filter((k) => k.startsWith(PREFIX)))
    localStorage.removeItem(key);
}

function keep(place: string, typed: Typed | null): void {
  try {
    if (typed) localStorage.setItem(keyOf(thisTab, place), JSON.stringify(typed));
    else localStorage.removeItem(keyOf(thisTab, place));
  } catch {
    // A store that is full or closed: it still counts while the page is open.
  }
}

const own = (place: string) => typedIn(localStorage.getItem(keyOf(thisTab, place)), Date.now());

/** The newest text that a tab which is gone left at a place, taken out of the store. */
export async function takeLeft(place: string): Promise<Typed | null> {
  const tabs = leftBehind(place);
  if (!tabs.length) return null;
  const kept = tabs.flatMap((tab) => {
    const typed = typedIn(localStorage.getItem(keyOf(tab, place)), Date.now());
    return typed ? [{ tab, typed }] : [];
  });
  const away = await gone(new Map(kept.map(({ tab, typed }) => [tab, typed.at])));
  const found = kept.filter(({ tab }) => away.has(tab)).sort((a, b) => b.typed.at - a.typed.at);
  found.forEach(({ tab }) => localStorage.removeItem(keyOf(tab, place)));
  left!.delete(place);
  return found[0]?.typed ?? null;
}

export type Takes = RefObject<((text: string) => void) | null>;

/**
 * What is typed into a field and not taken yet; null where it shows its value. What was found again is given to
 * `useTakes`, as if the field was left then.
 */
export function useDraft(
  label: string,
  value: string,
): [string | null, (text: string | null) => void, Takes] {
  const place = `${location.pathname} ${useContext(DraftScope)} ${label}`;
  const [draft, setDraft] = useState<string | null>(null);
  const takes: Takes = useRef(null);
  const shown = useRef(value);
  useEffect(() => {
    shown.current = value;
  });
  const set = useCallback(
    (text: string | null) => {
      setDraft(text);
      keep(place, text === null ? null : { text, from: shown.current, at: Date.now() });
    },
    [place],
  );
  useEffect(() => {
    let away = false;
    const find = async () => {
      const typed = own(place) ?? (await takeLeft(place));
      if (away || !typed || typed.from !== shown.current || typed.text === typed.from) return;
      set(typed.text);
      takes.current?.(typed.text);
    };
    void Promise.resolve().then(find);
    return () => {
      away = true;
    };
  }, [place, set]);
  return [draft, set, takes];
}

/** What a field does with a text that was found again. */
export function useTakes(takesRef: Takes, take: (text: string) => void): void {
  useEffect(() => {
    takesRef.current = take;
  });
}
