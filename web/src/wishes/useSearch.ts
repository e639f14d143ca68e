/** A search for settings on the server: begun, followed until it ends, stopped with the best so far. */
import { useCallback, useEffect, useRef, useState } from "react";

import { api, ask, sentenceOf } from "../api/client";
import { follow, isOpen, WAIT_S } from "../api/follow";
import type { WishSearch } from "./wishes";

interface Told {
  /** What it is about: of anything else it is no answer. */
  of: string;
  search: WishSearch | null;
  problem: string;
}

export function useSearch(about: string) {
  const [told, setTold] = useState<Told | null>(null);
  /** The newest that was begun; older ones are followed no more, nor is any once the page is left. */
  const turn = useRef(0);
  useEffect(() => () => void (turn.current += 1), []);
  const begin = useCallback(async (of: string, send: () => Promise<WishSearch>) => {
    const mine = ++turn.current;
    const tell = (search: WishSearch | null, problem = "") => {
      if (turn.current === mine) setTold({ of, search, problem });
    };
    tell(null);
    try {
      const begun = await send();
      await follow(
        begun,
        () =>
          ask(
            api.GET("/api/v1/searches/{search_id}", {
              params: { path: { search_id: begun.id }, query: { wait_s: WAIT_S } },
            }),
          ),
        (now) => tell(now, now.status === "failed" ? now.problem : ""),
        () => turn.current === mine,
      );
    } catch (fault) {
      tell(null, sentenceOf(fault));
    }
  }, []);
  const mine = told?.of === about ? told : null;
  const search = mine?.search ?? null;
  return {
    begin,
    search,
    problem: mine?.problem ?? "",
    looking: mine !== null && !mine.problem && (search === null || isOpen(search)),
    stop: () =>
      void (
        search &&
        ask(
          api.POST("/api/v1/searches/{search_id}/cancel", {
            params: { path: { search_id: search.id } },
          }),
        ).catch(() => undefined)
      ),
  };
}
