/** The delay in hand: one of the song's named delays, changed in place. */
import { useSearchParams } from "react-router";

import type { DelayLine } from "../../api/client";
import { useSongContext } from "../../song/context";

export interface DelayHandle {
  delays: DelayLine[];
  at: number;
  line: DelayLine;
  change: (values: Partial<DelayLine>) => void;
  choose: (index: number) => void;
  store: (delays: DelayLine[], at?: number) => void;
}

export function useDelay(): DelayHandle {
  const { song, edit } = useSongContext();
  const [search, setSearch] = useSearchParams();
  const { delays } = song;
  const at = Math.min(delays.length - 1, Math.max(0, Number(search.get("delay") ?? 1) - 1));
  const choose = (index: number) => {
    const next = new URLSearchParams(search);
    if (index === 0) next.delete("delay");
    else next.set("delay", String(index + 1));
    setSearch(next, { replace: true });
  };
  const store = (next: DelayLine[], where = at) => {
    edit({ delays: next });
    if (where !== at) choose(where);
  };
  return {
    delays,
    at,
    line: delays[at]!,
    choose,
    store,
    change: (values) => store(delays.map((d, i) => (i === at ? { ...d, ...values } : d))),
  };
}
