/**
 * A set list with its unsent edit. The whole list is one edit: it shows at once, is kept in this browser
 * until the server has it, goes out by itself, and never overwrites another place's edit unseen.
 */
import type { Values } from "./edits";

export interface Stored {
  values: Values;
  revision: number;
}
interface Unsent {
  base: number;
  values: Values;
}
export type Standing =
  | { is: "saved" }
  | { is: "sending" }
  | { is: "waiting" }
  | { is: "refused"; sentence: string }
  | { is: "clash"; theirs: Values; revision: number };

export interface Wire {
  /** Throws what `read` understands. */
  send: (base: number, values: Values) => Promise<Stored>;
  read: (
    fault: unknown,
  ) =>
    | { sort: "offline" }
    | { sort: "refused"; sentence: string }
    | { sort: "clash"; theirs: Values; revision: number };
  store: Pick<Storage, "getItem" | "setItem" | "removeItem">;
  name: string;
  later: (run: () => void, ms: number) => void;
}

const STILL_MS = 500;
const RETRY_MS = 3000;

export class Keeper {
  standing: Standing = { is: "saved" };
  private unsent: Unsent | null;
  private known: Stored | null = null;
  private busy = false;
  private turn = 0;
  private heard = new Set<() => void>();
  private seen: Values | null = null;

  constructor(private wire: Wire) {
    this.unsent = kept(wire);
    this.seen = this.unsent?.values ?? null;
    if (this.unsent) this.standing = { is: "waiting" };
  }

  subscribe = (tell: () => void): (() => void) => {
    this.heard.add(tell);
    return () => void this.heard.delete(tell);
  };
  /** The list as it is seen: with the edit that is not sent yet. */
  values = (): Values | null => this.seen;
  stands = (): Standing => this.standing;

  /** What the server has; an older answer that comes late is not taken. */
  know(stored: Stored): void {
    if (this.known && stored.revision < this.known.revision) return;
    this.known = stored;
    if (!this.unsent) this.see(stored.values);
  }

  edit(values: Values): void {
    const base = this.unsent?.base ?? this.known?.revision;
    if (base === undefined) return;
    this.hold({ base, values });
    if (this.standing.is !== "clash") this.stand({ is: "sending" });
    this.soon(STILL_MS);
  }

  /** Send what waits now. */
  goOn = async (): Promise<void> => {
    const now = this.unsent;
    if (!now || this.busy || this.standing.is === "clash") return;
    this.busy = true;
    this.stand({ is: "sending" });
    try {
      const stored = await this.wire.send(now.base, now.values);
      this.known = stored;
      const after = this.unsent;
      if (after && after !== now) {
        this.hold({ base: stored.revision, values: after.values });
        this.soon(0);
      } else {
        this.hold(null);
        this.see(stored.values);
        this.stand({ is: "saved" });
      }
    } catch (fault) {
      const said = this.wire.read(fault);
      if (said.sort === "offline") {
        this.stand({ is: "waiting" });
        this.soon(RETRY_MS);
      } else if (said.sort === "refused") this.stand({ is: "refused", sentence: said.sentence });
      else this.stand({ is: "clash", theirs: said.theirs, revision: said.revision });
    } finally {
      this.busy = false;
    }
  };

  /** After a clash: this place's list over the other, or the other. */
  settle(mine: boolean): void {
    if (this.standing.is !== "clash") return;
    const { theirs, revision } = this.standing;
    this.known = { values: theirs, revision };
    const held = this.unsent;
    this.hold(mine && held ? { base: revision, values: held.values } : null);
    this.stand({ is: mine ? "sending" : "saved" });
    if (mine) void this.goOn();
    else this.see(theirs);
  }

  /** After a refusal: what the server has. */
  giveUp(): void {
    this.hold(null);
    this.stand({ is: "saved" });
    if (this.known) this.see(this.known.values);
  }

  private hold(next: Unsent | null): void {
    this.unsent = next;
    if (next) this.wire.store.setItem(this.wire.name, JSON.stringify(next));
    else this.wire.store.removeItem(this.wire.name);
    if (next) this.see(next.values);
  }

  private see(values: Values): void {
    this.seen = values;
    this.tell();
  }

  private stand(next: Standing): void {
    this.standing = next;
    this.tell();
  }

  private soon(ms: number): void {
    const mine = ++this.turn;
    this.wire.later(() => {
      if (mine === this.turn) void this.goOn();
    }, ms);
  }

  private tell(): void {
    this.heard.forEach((tell) => tell());
  }
}

function kept(wire: Wire): Unsent | null {
  try {
    const found = JSON.parse(wire.store.getItem(wire.name) ?? "null") as Partial<Unsent> | null;
    const sound = typeof found?.base === "number" && Array.isArray(found.values?.entries);
    return sound ? (found as Unsent) : null;
  } catch {
    return null;
  }
}
