/** Keys of the course that are no action on a part: hearing, undoing, drawing, checks, settings. */
import { useKey } from "../../ui/keys";

interface Acts {
  listen: () => void;
  turn: (way: "undo" | "redo") => void;
  write: () => void;
  zoom: (by: "apart" | "together" | "all") => void;
  /** Apply the fix of the first check. */
  mend: () => void;
  /** Keep the first check as it is. */
  keep: () => void;
  toSettings: () => void;
  /** What is under way, what is marked, what is selected: one of them a press. */
  leave: () => void;
}

const SETTINGS =
  "[data-sidings], [aria-label=Settings] [role=slider], [aria-label=Settings] input, [aria-label=Settings] button";

export function useCourseKeys(enabled: boolean, acts: Acts): void {
  useKey("route", "Space", acts.listen, enabled);
  useKey("route", "Z", () => acts.turn("undo"), enabled);
  useKey("route", "Shift Z", () => acts.turn("redo"), enabled);
  useKey("route", "W", acts.write, enabled);
  useKey("route", "+", () => acts.zoom("apart"), enabled);
  useKey("route", "−", () => acts.zoom("together"), enabled);
  useKey("route", "0", () => acts.zoom("all"), enabled);
  useKey("route", "F", acts.mend, enabled);
  useKey("route", "K", acts.keep, enabled);
  useKey("route", "Esc", acts.leave, enabled);
  useKey(
    "route",
    "Enter",
    () => {
      acts.toSettings();
      requestAnimationFrame(() => {
        const field = document.querySelector<HTMLElement>(SETTINGS);
        field?.focus();
        field?.scrollIntoView({ block: "nearest" });
      });
    },
    enabled,
  );
}
