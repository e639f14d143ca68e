/** A key of the Listen step that is more than one press: it is held. */
import { useEffect } from "react";

import { useSteady } from "../../ui/hooks";

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
