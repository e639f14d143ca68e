/** The delay in hand: one of the song's named delays, changed in place. */
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
  const { song, edit, hand, take } = useSongContext();
  const { delays } = song;
  const at = Math.min(delays.length - 1, Math.max(0, Number(hand.tools?.delay ?? 1) - 1 || 0));
  const choose = (index: number) => take({ tools: { ...hand.tools, delay: String(index + 1) } });
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
