/** Where what plays is just now: followed by what draws it alone, not by all that plays. */
import { useSyncExternalStore } from "react";

import type { Reading } from "./engine";

export interface Head {
  /** Seconds into the stretch. */
  position: number;
  lap: number;
  meter: Reading | null;
}

export class Playhead {
  private now: Head = { position: 0, lap: 1, meter: null };
  private heard = new Set<() => void>();

  get = (): Head => this.now;

  subscribe = (listen: () => void): (() => void) => {
    this.heard.add(listen);
    return () => this.heard.delete(listen);
  };

  set(more: Partial<Head>): void {
    this.now = { ...this.now, ...more };
    for (const listen of this.heard) listen();
  }
}

export const usePlayhead = (head: Playhead): Head => useSyncExternalStore(head.subscribe, head.get);
