/**
 * Edits of variants on their way. Each has an id of its own, goes out after the one before it, and is
 * kept in this browser until the server has it: the same edit sent twice is done once.
 */
import type { RigAction, Variant } from "../api/client";

export interface Waiting {
  id: string;
  base_revision: number;
  action: RigAction;
}

/** How all edits stand together. */
export interface Flow {
  waiting: number;
  offline: boolean;
  /** Why the last one was not taken; empty once another was. */
  refused: string;
  at: Date | null;
}

export interface Wire {
  /** Resolves to the variant after the edit. */
  send: (variant: string, edit: Waiting) => Promise<Variant>;
  /** Whether a failed call may succeed later as it is. */
  passing: (fault: unknown) => boolean;
  store: Pick<Storage, "getItem" | "setItem" | "removeItem">;
  /** Names of all that is stored. */
  names: () => string[];
  id: () => string;
  later: (run: () => void, ms: number) => void;
}

export interface Told {
  done?: (variant: Variant, edit: string) => void;
  refused?: (variant: string, fault: unknown) => void;
}

const RETRY_MS = 3000;
const PREFIX = "fonodrome.rig-edits.";

export class Outbox {
  private queues = new Map<string, Waiting[]>();
  private busy = new Set<string>();
  private revisions = new Map<string, number>();
  private shown = new Map<string, number>();
  private told = new Set<Told>();
  private heard = new Set<() => void>();
  private state: Flow = { waiting: 0, offline: false, refused: "", at: null };

  constructor(
    private wire: Wire,
    private sentence: (fault: unknown) => string,
  ) {}

  flow = (): Flow => this.state;

  subscribe = (listen: () => void): (() => void) => {
    this.heard.add(listen);
    return () => this.heard.delete(listen);
  };

  tell(told: Told): () => void {
    this.told.add(told);
    return () => this.told.delete(told);
  }

  /** Take up what an earlier visit left, of every variant. */
  takeUp(): void {
    for (const name of this.wire.names()) {
      const id = name.startsWith(PREFIX) ? name.slice(PREFIX.length) : "";
      if (id && !this.queues.has(id)) {
        const kept = readKept(this.wire.store.getItem(name));
        if (kept.length) this.queues.set(id, kept);
      }
    }
    this.changed({});
    this.goOn();
  }

  /** Send all that waits, as when the line is back. */
  goOn = (): void => {
    for (const id of this.queues.keys()) void this.drain(id);
  };

  /** The revision of a variant that the screen shows. */
  known(id: string, revision: number): void {
    this.revisions.set(id, revision);
  }

  /** Until the answer is called, a variant is what somebody looks at: only `known` says its revision. */
  shows(id: string): () => void {
    this.shown.set(id, (this.shown.get(id) ?? 0) + 1);
    return () => {
      const left = (this.shown.get(id) ?? 1) - 1;
      if (left > 0) this.shown.set(id, left);
      else this.shown.delete(id);
    };
  }

  /** A revision from a list: of what nobody looks at, the newest that was heard of counts. */
  listed(id: string, revision: number): void {
    if (!this.shown.has(id) && revision > (this.revisions.get(id) ?? 0))
      this.revisions.set(id, revision);
  }

  /** Returns the id that the edit has. */
  add(id: string, action: RigAction): string {
    const edit = { id: this.wire.id(), base_revision: this.revisions.get(id) ?? 1, action };
    this.keep(id, [...(this.queues.get(id) ?? []), edit]);
    void this.drain(id);
    return edit.id;
  }

  private keep(id: string, list: Waiting[]): void {
    if (list.length) {
      this.queues.set(id, list);
      this.wire.store.setItem(PREFIX + id, JSON.stringify(list));
    } else {
      this.queues.delete(id);
      this.wire.store.removeItem(PREFIX + id);
    }
    this.changed({});
  }

  private changed(more: Partial<Flow>): void {
    const waiting = [...this.queues.values()].reduce((n, list) => n + list.length, 0);
    this.state = { ...this.state, ...more, waiting };
    if (!waiting) this.state.offline = false;
    this.heard.forEach((listen) => listen());
  }

  private async drain(id: string): Promise<void> {
    if (this.busy.has(id)) return;
    this.busy.add(id);
    try {
      for (;;) {
        const next = this.queues.get(id)?.[0];
        if (!next) return;
        try {
          const variant = await this.wire.send(id, next);
          this.revisions.set(id, variant.revision);
          const rest = this.queues.get(id)!.slice(1);
          // What was queued meanwhile was meant to follow this edit, if nobody else came between.
          const follows = variant.revision === next.base_revision + 1;
          this.keep(
            id,
            rest.map((one) =>
              follows && one.base_revision === next.base_revision
                ? { ...one, base_revision: variant.revision }
                : one,
            ),
          );
          this.changed({ offline: false, refused: "", at: new Date() });
          this.told.forEach((one) => one.done?.(variant, next.id));
        } catch (fault) {
          if (this.wire.passing(fault)) {
            this.changed({ offline: true });
            this.wire.later(() => void this.drain(id), RETRY_MS);
            return;
          }
          this.keep(id, this.queues.get(id)!.slice(1));
          this.changed({ refused: this.sentence(fault) });
          this.told.forEach((one) => one.refused?.(id, fault));
        }
      }
    } finally {
      this.busy.delete(id);
    }
  }
}

/** What was stored, if it can be read at all. */
export function readKept(text: string | null): Waiting[] {
  try {
    const found: unknown = JSON.parse(text ?? "[]");
    return Array.isArray(found) ? (found as Waiting[]) : [];
  } catch {
    return [];
  }
}
