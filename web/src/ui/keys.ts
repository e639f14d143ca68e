/** The one registry of single keys. The '?' sheet is drawn from it; a test finds clashes. */
import { useEffect } from "react";
import { useHotkeys } from "react-hotkeys-hook";

import registry from "./keys.json";

export type Scope =
  | "everywhere"
  | "route"
  | "time"
  | "space"
  | "blend"
  | "listen"
  | "trial"
  | "verify"
  | "log"
  | "sheet"
  | "set-up"
  | "stage"
  | "result"
  | "bench"
  | "measured"
  | "many"
  | "proof"
  | "paths"
  | "orders"
  | "live"
  | "passes";

export interface Key {
  scope: Scope;
  keys: string;
  shown: string;
  does: string;
}

export const allKeys = registry as Key[];

const HELP = "fonodrome:help";
/** Open the sheet of keys and words from wherever a view is. */
export const askForHelp = () => window.dispatchEvent(new Event(HELP));
export function useHelpAsked(act: () => void): void {
  useEffect(() => {
    window.addEventListener(HELP, act);
    return () => window.removeEventListener(HELP, act);
  }, [act]);
}

/** Run `act` on a registered key, while no field has the focus. */
export function useKey(scope: Scope, shown: string, act: () => void, enabled = true): void {
  const key = allKeys.find((k) => k.scope === scope && k.shown === shown);
  if (!key) throw new Error(`Key ${shown} is not registered for ${scope}`);
  useHotkeys(
    key.keys,
    (event) => {
      // What stands at its place took it.
      if (event.defaultPrevented) return;
      const target = event.target as HTMLElement;
      const pressing = key.keys === "space" || key.keys === "enter";
      if (pressing && target.closest("button, a, [role=switch], summary")) return;
      // On a scale these move the scale.
      const moves = /^(Arrow|Home|End|Escape)/.test(event.key);
      if (moves && target.closest("[role=slider]")) return;
      if (document.querySelector("dialog[open]")) return;
      event.preventDefault();
      act();
    },
    // Marks in a chart have the role of a radio button, scales that of a slider; keys go on working
    // on them.
    { enabled, enableOnFormTags: ["radio", "slider"] },
    [act, enabled],
  );
}
