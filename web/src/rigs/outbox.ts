/**
 * Edits of variants on their way. Each has an id of its own, goes out after the one before it, and is
 * kept in this browser until the server has it: the same edit sent twice is done once.
 *
 * Each edit is stored by itself: two tabs without a line never write over what the other keeps, and what
 * cannot be read any more takes nothing else with it.
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

/** An edit as it is stored: with the moment at which it was made, which orders it. */
interface Stored extends Waiting {
  at: number;
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
  now: () => number;
}

export interface Told {
  done?: (variant: Variant, edit: string) => void;
  refused?: (variant: string, fault: unknown) => void;
  /** So many kept edits could not be read; they are set aside under another name. */
  aside?: (count: number) => void;
  /** An edit could not be kept in this browser: it counts while the page is open. */
  unkept?: () => void;
}

const RETRY_MS = 3000;
const PREFIX = "fonodrome.rig-edits.";
const ASIDE = "fonodrome.set-aside.";

export class Outbox {
  private queues = new Map<string, Stored[]>();
  private last = 0;
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

  /** Take up what an earlier visit left, of every variant, and what another tab keeps. */
  takeUp(): void {
    const found = new Map<string, Stored[]>();
    let aside = 0;
    for (const name of this.wire.names().filter((n) => n.startsWith(PREFIX))) {
      const [variant = ""] = name.slice(PREFIX.length).split(".");
      const text = this.wire.store.getItem(name);
      const edits = readKept(text);
      if (variant && edits) found.set(variant, [...(found.get(variant) ?? []), ...edits]);
      else {
        aside++;
        this.write(ASIDE + name.slice(PREFIX.length), text ?? "");
        this.wire.store.removeItem(name);
      }
    }
    for (const [variant, edits] of found) {
      const queue = this.queues.get(variant) ?? [];
      const more = edits
        .filter((edit) => !queue.some((one) => one.id === edit.id))
        .sort((a, b) => a.at - b.at);
      // What is being sent stays the first.
      if (more.length) this.queues.set(variant, [...queue, ...more]);
    }
    this.changed({});
    if (aside) this.told.forEach((one) => one.aside?.(aside));
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
    const edit: Stored = {
      id: this.wire.id(),
      base_revision: this.revisions.get(id) ?? 1,
      action,
      at: Math.max(this.wire.now(), this.last + 1),
    };
    this.last = edit.at;
    this.queues.set(id, [...(this.queues.get(id) ?? []), edit]);
    if (!this.write(keyOf(id, edit), JSON.stringify(edit)))
      this.told.forEach((one) => one.unkept?.());
    this.changed({});
    void this.drain(id);
    return edit.id;
  }

  private write(name: string, text: string): boolean {
    try {
      this.wire.store.setItem(name, text);
      return true;
    } catch {
      return false;
    }
  }

  /** The first of a variant's edits is done with. What an earlier release kept as one list goes with it. */
  private drop(id: string, rest: Stored[], done: Stored): void {
    this.wire.store.removeItem(keyOf(id, done));
    if (rest.length) this.queues.set(id, rest);
    else {
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
          const { id: edit, base_revision, action } = next;
          const variant = await this.wire.send(id, { id: edit, base_revision, action });
          this.revisions.set(id, variant.revision);
          const rest = this.queues.get(id)!.slice(1);
          // What was queued meanwhile was meant to follow this edit, if nobody else came between.
          const follows = variant.revision === next.base_revision + 1;
          const following = rest.map((one) =>
            follows && one.base_revision === next.base_revision
              ? { ...one, base_revision: variant.revision }
              : one,
          );
          for (const one of following.filter((o) => !rest.includes(o)))
            this.write(keyOf(id, one), JSON.stringify(one));
          this.drop(id, following, next);
          this.changed({ offline: false, refused: "", at: new Date() });
          this.told.forEach((one) => one.done?.(variant, next.id));
        } catch (fault) {
          if (this.wire.passing(fault)) {
            this.changed({ offline: true });
            this.wire.later(() => void this.drain(id), RETRY_MS);
            return;
          }
          this.drop(id, this.queues.get(id)!.slice(1), next);
          this.changed({ refused: this.sentence(fault) });
          this.told.forEach((one) => one.refused?.(id, fault));
        }
      }
    } finally {
      this.busy.delete(id);
    }
  }
}

const keyOf = (variant: string, edit: Waiting) => `${PREFIX}${variant}.${edit.id}`;

/** What was stored: one edit, or the list that an earlier release kept; null where it cannot be read. */
export function readKept(text: string | null): Stored[] | null {
  try {
    const found: unknown = JSON.parse(text ?? "");
    const edits: unknown[] = Array.isArray(found) ? found : [found];
    return edits.every(isEdit) ? edits.map((e, i) => ({ ...e, at: e.at ?? i })) : null;
  } catch {
    return null;
  }
}

function isEdit(found: unknown): found is Waiting & { at?: number } {
  if (!found || typeof found !== "object") return false;
  const { id, base_revision, action, at } = found as Record<string, unknown>;
  return (
    typeof id === "string" &&
    Number.isInteger(base_revision) &&
    !!action &&
    typeof action === "object" &&
    typeof (action as { do?: unknown }).do === "string" &&
    (at === undefined || typeof at === "number")
  );
}
