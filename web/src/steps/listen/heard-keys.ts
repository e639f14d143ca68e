/** Keys of the Listen step that are more than one press: sounds by number, and one that is held. */
import { useEffect } from "react";

import { useKey } from "../../app/keys";
import { useSteady } from "../../ui/hooks";

export function useSoundKeys(enabled: boolean, act: (index: number) => void) {
  useKey("listen", "1", () => act(0), enabled);
  useKey("listen", "2", () => act(1), enabled);
  useKey("listen", "3", () => act(2), enabled);
  useKey("listen", "4", () => act(3), enabled);
  useKey("listen", "5", () => act(4), enabled);
  useKey("listen", "6", () => act(5), enabled);
  useKey("listen", "7", () => act(6), enabled);
  useKey("listen", "8", () => act(7), enabled);
  useKey("listen", "9", () => act(8), enabled);
}

/** While a key is held down, outside of fields. */
export function useHeld(key: string, act: (held: boolean) => void) {
  const steady = useSteady(act);
  useEffect(() => {
    const typing = (event: KeyboardEvent) =>
      event.target instanceof HTMLElement &&
      !!event.target.closest("input:not([type=checkbox]), select, textarea, dialog");
    const down = (event: KeyboardEvent) => {
      if (event.key === key && !event.repeat && !typing(event) && !event.ctrlKey && !event.metaKey)
        steady(true);
    };
    const up = (event: KeyboardEvent) => event.key === key && steady(false);
    const away = () => steady(false);
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", away);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", away);
    };
  }, [key, steady]);
}
