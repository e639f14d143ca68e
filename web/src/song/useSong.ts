/**
 * A song with its unsent edits. Edits show at once, are kept in this browser until the server has
 * them, go out by themselves, and never overwrite another tab's edit unseen.
 */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";

import { announce } from "../ui/controls";
import { allOwn, keepPending, keptOf, merged, type Pending, takeLeft, trying } from "./unsent";
import { api, ask, Refused, type Song, type SongChanges, sentenceOf } from "../api/client";

export interface Clash {
  field: keyof SongChanges;
  theirs: unknown;
  yours: unknown;
}

export type Saved =
  | { state: "saved"; at: Date | null }
  | { state: "saving" }
  | { state: "offline"; waiting: number }
  | { state: "refused"; sentence: string }
  | { state: "clash"; clashes: Clash[]; revision: number };

const SEND_AFTER_MS = 400;
const RETRY_MS = 3000;
const UNKEPT =
  "This browser keeps nothing more: its store is full or closed. Edits count while the page is open.";
const ASIDE =
  "An edit of this song that this browser kept cannot be read any more: it was set aside, and everything else goes on.";

export function useSong(id: string) {
  const client = useQueryClient();
  const query = useQuery({
    queryKey: ["song", id],
    queryFn: () => ask(api.GET("/api/v1/songs/{song_id}", { params: { path: { song_id: id } } })),
    refetchInterval: 15_000,
  });
  const [pending, setPendingState] = useState<Pending | null>(() => keptOf(id));
  const [saved, setSaved] = useState<Saved>({ state: "saved", at: null });
  const held = useRef(pending);
  const sending = useRef(false);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const revisionRef = useRef<number>(undefined);
  const flushRef = useRef<() => Promise<void>>(async () => undefined);

  const setPending = useCallback(
    (next: Pending | null) => {
      held.current = next;
      if (!keepPending(id, next)) announce(UNKEPT, { kind: "fault" });
      setPendingState(next);
    },
    [id],
  );

  const flush = useCallback(async () => {
    const now = held.current;
    if (!now || sending.current) return;
    sending.current = true;
    setPending(trying(now));
    const sent = held.current;
    setSaved({ state: "saving" });
    const later = (wait: number) => {
      clearTimeout(timer.current);
      timer.current = setTimeout(() => void again(), wait);
    };
    const again = () => flushRef.current();
    try {
      const song = await ask(
        api.PATCH("/api/v1/songs/{song_id}", {
          params: { path: { song_id: id } },
          body: { base_revision: now.base, changes: now.changes },
        }),
      );
      revisionRef.current = song.revision;
      client.setQueryData(["song", id], song);
      void client.invalidateQueries({ queryKey: ["songs"] });
      const after = held.current;
      if (after && after !== sent) {
        const rest = Object.fromEntries(
          Object.entries(after.changes).filter(
            ([name, value]) => now.changes[name as keyof SongChanges] !== value,
          ),
        ) as SongChanges;
        setPending(Object.keys(rest).length ? { base: song.revision, changes: rest } : null);
        later(SEND_AFTER_MS);
      } else {
        setPending(null);
      }
      setSaved({ state: "saved", at: new Date() });
    } catch (fault) {
      const refused = fault instanceof Refused ? fault.problem : null;
      const clashes =
        refused?.status === 409 ? (refused.clashes as Clash[] | undefined) : undefined;
      if (clashes && held.current && allOwn(clashes, held.current.tried)) {
        // It was stored, and the answer was lost: what was edited after it follows.
        setPending({ base: refused!.revision as number, changes: held.current.changes });
        later(0);
      } else if (refused && clashes) {
        setSaved({
          state: "clash",
          clashes,
          revision: refused.revision as number,
        });
      } else if (refused && refused.status > 0 && refused.status < 500) {
        setSaved({ state: "refused", sentence: sentenceOf(fault) });
      } else {
        setSaved({ state: "offline", waiting: Object.keys(now.changes).length });
        later(RETRY_MS);
      }
    } finally {
      sending.current = false;
    }
  }, [client, id, setPending]);

  useEffect(() => {
    flushRef.current = flush;
  }, [flush]);

  useEffect(() => {
    if (held.current) void flush();
    void takeLeft(id).then(({ left, aside }) => {
      if (aside) announce(ASIDE, { kind: "fault" });
      const all = left && merged([left, ...(held.current ? [held.current] : [])]);
      if (!all) return;
      setPending(all);
      void flushRef.current();
    });
    const online = () => void flushRef.current();
    window.addEventListener("online", online);
    return () => {
      window.removeEventListener("online", online);
      clearTimeout(timer.current);
    };
  }, [flush, id, setPending]);

  // In a ref, so that an "Undo" which waits in a toast edits what is there by then.
  const known = query.data?.revision;
  useEffect(() => {
    if (known !== undefined) revisionRef.current = known;
  }, [known]);
  const edit = useCallback(
    (changes: SongChanges) => {
      const revision = revisionRef.current;
      if (revision === undefined) return;
      const before = held.current;
      setPending({
        ...before,
        base: before?.base ?? revision,
        changes: { ...before?.changes, ...changes },
      });
      setSaved({ state: "saving" });
      clearTimeout(timer.current);
      timer.current = setTimeout(() => void flushRef.current(), SEND_AFTER_MS);
    },
    [setPending],
  );

  /** After a clash: keep this tab's values, or take the other's. */
  const settle = useCallback(
    (keepMine: boolean) => {
      if (saved.state !== "clash") return;
      const before = held.current;
      if (keepMine && before) {
        setPending({ base: saved.revision, changes: before.changes });
      } else if (before) {
        const names = new Set(saved.clashes.map((c) => c.field));
        const rest = Object.fromEntries(
          Object.entries(before.changes).filter(([name]) => !names.has(name as keyof SongChanges)),
        ) as SongChanges;
        setPending(Object.keys(rest).length ? { base: saved.revision, changes: rest } : null);
      }
      setSaved({ state: "saved", at: null });
      void client.invalidateQueries({ queryKey: ["song", id] });
      void flushRef.current();
    },
    [client, id, saved, setPending],
  );

  /** After a refusal: forget the unsent edits and show what the server has. */
  const giveUp = useCallback(() => {
    setPending(null);
    setSaved({ state: "saved", at: null });
    void client.invalidateQueries({ queryKey: ["song", id] });
  }, [client, id, setPending]);

  const song: Song | undefined = query.data
    ? ({ ...query.data, ...pending?.changes } as Song)
    : undefined;
  return { song, error: query.error, saved, edit, settle, giveUp };
}

export type SongHandle = ReturnType<typeof useSong>;
