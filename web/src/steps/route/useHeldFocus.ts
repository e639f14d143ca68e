/** After each edit and each dialog the focus is on what is selected, never on the page. */
import { useEffect } from "react";

let pointing = false;
window.addEventListener("pointerdown", () => (pointing = true), true);
window.addEventListener("keydown", () => (pointing = false), true);

const MARKS = "[data-stage][tabindex='0'], [data-node][tabindex='0']";

/** turn: changes with whatever may have taken the focus away. */
export function useHeldFocus(turn: string, selected: string, wanted: boolean): void {
  useEffect(() => {
    if (!wanted) return;
    // A page that was just opened keeps its focus where the browser puts it.
    if (navigator.userActivation && !navigator.userActivation.hasBeenActive) return;
    // A pointer needs no focus where nothing is selected.
    if (!selected && pointing) return;
    const later = requestAnimationFrame(() => {
      const at = document.activeElement;
      const lost = !at || at === document.body || !at.isConnected || at.hasAttribute("data-stage");
      if (!lost || document.querySelector("dialog[open]")) return;
      const id = CSS.escape(selected);
      const mark =
        document.querySelector<HTMLElement>(`[data-stage="${id}"], [data-node="${id}"]`) ??
        document.querySelector<HTMLElement>(MARKS);
      mark?.focus({ preventScroll: true });
    });
    return () => cancelAnimationFrame(later);
  }, [turn, selected, wanted]);
}
