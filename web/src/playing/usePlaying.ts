/** What is rendered and heard of the rig in hand, through all steps: matched, balanced live, kept up. */
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useRef, useState } from "react";

import { api, ask, type RigSummary, type Schemas, sentenceOf, type Variant } from "../api/client";
import { isOpen } from "../api/follow";
import type { Stretch } from "../charts/Wave";
import { OF_A_RIG, outbox, pauseOf, giveWay } from "../rigs/edits";
import { useKinds } from "../rigs/kinds";
import type { SongContext } from "../song/context";
import { announce } from "../ui/controls";
import { num } from "../ui/format";
import { useLater, useStill } from "../ui/hooks";
import { between, placeIn, thinned, useBars } from "./bars";
import { useFeeds } from "./feeds";
import {
  changedSince,
  downTo,
  movesOf,
  movingAt,
  quietestOf,
  sameVariant,
  secondGain,
  stemGains,
} from "./match";
import { useMoves, withPoint } from "./moves";
import { factorOf, heldBack, type Search } from "./search";
import { usePlayer } from "./usePlayer";
import { editsOf } from "./settle";
import { NO_RIDE, type Ride, useRide } from "./useRide";
import { endOf, isAtPlace, type Sound, useRenders } from "./useRenders";
import type { WetDb } from "./wet";

/** What is rendered and played at first of a long song. */
const LONGEST_S = 30;
/** Of a stretch longer than this a piece is made first, so that something is heard soon. */
const LONG_S = 60;
const EXCERPT_S = 20;
const SETTLE_MS = 120;
/** Where paths meet is asked for again once an edit is heard. */
const PLACES_MS = 1500;
const NO_RIG: RigSummary = { id: "", name: "", variants: [] };

export function usePlayingOf(context: SongContext) {
  const rig = context.rig ?? NO_RIG;
  const firstId = rig.variants[0]?.id ?? "";
  const { song, clips, clip: clipInHand, variant: inHand, take } = context;
  const client = useQueryClient();
  const clip = clipInHand?.id ?? "";
  const feeds = useFeeds(rig.id, clip);
  const whole = feeds.data?.seconds ?? 0;
  const [chosen, setChosen] = useState<{ rig: string; region: Stretch | null } | null>(null);
  const region = chosen?.rig === rig.id ? chosen.region : null;
  const setRegion = (next: Stretch | null) => setChosen({ rig: rig.id, region: next });
  const stretch: Stretch = region ?? { start_s: 0, length_s: whole > LONGEST_S ? LONGEST_S : null };
  const first = useVariantOf(firstId, song.revision);
  const outputs = [...new Set(first?.view.report.boards.map((b) => b.output) ?? [])];
  const [at, setAt] = useState(0);
  const output = outputs[Math.min(at, outputs.length - 1)] ?? "";
  const [place, setPlace] = useState("");
  const [moving, setMoving] = useState<string[]>([]);
  /** Another place that is balanced at the same time, and by how much its paths are moved. */
  const [second, setSecond] = useState({ place: "", db: 0 });
  /** Paths of one sound that are moved, while another is taken away from it. */
  const [search, setSearch] = useState<Search | null>(null);
  const wantedPlace = second.place ? `${place}+${second.place}` : place;
  const renders = useRenders(
    context.rig,
    { clip, output, place: wantedPlace, ...stretch },
    song.revision,
  );
  const bare: Sound = {
    id: "bare",
    letter: "clip",
    name: "past the rig",
    render: renders.bare.render,
    next: renders.bare.next,
  };
  const variants: Sound[] = rig.variants.flatMap((v) => {
    const { render, next } = renders.rendered(v.id);
    const one: Sound = {
      id: v.id,
      letter: v.letter,
      name: v.name,
      render: render ?? renders.excerpt(v.id),
      next,
    };
    const captured = renders.captured(v.id);
    return captured.render || captured.next
      ? [
          one,
          {
            id: `${v.id} capture`,
            letter: `${v.letter}′`,
            name: "capture",
            render: captured.render,
            next: captured.next,
          },
        ]
      : [one];
  });
  const sounds: Sound[] = [...variants, bare];
  const done = sounds.filter((s) => s.render?.audible && s.render.report);
  const [heardId, setHeardId] = useState("");
  const heard =
    done.find((s) => s.id === heardId) ?? done.find((s) => s.id === inHand?.id) ?? done[0];
  const [looped, setLooped] = useState(true);
  const [matched, setMatched] = useState(true);
  const [basis, setBasis] = useState<"whole" | "wet">("whole");
  const [move, setMove] = useState<number>(0);
  const [loudness, setLoudness] = useState<Record<string, number | null>>({});
  const [moments, setMoments] = useState<Record<string, number[]>>({});
  const [shortTerms, setShortTerms] = useState<Record<string, number[]>>({});
  const [wetLoud, setWetLoud] = useState<Record<string, number | null>>({});
  const [inTrial, setInTrial] = useState(false);
  const [law, setLaw] = useState<Schemas["BalanceOut"]["law"]>("fader");
  const written = useRef<{ at: number; wet: WetDb }[] | null>(null);
  const [writing, setWriting] = useState(false);

  /** What was told of a variant's render before this one; of another variant it would be wrong. */
  const ofSame = <T>(before: T | undefined, last?: { queryKey: readonly unknown[] }) =>
    sameVariant(last?.queryKey, heard?.render?.variant) ? before : undefined;
  const balance = useQuery({
    queryKey: ["balance", heard?.render?.variant, heard?.render?.id, law, moving.join()],
    // What is heard already and not measured yet is balanced as what it takes the place of.
    enabled: heard?.render?.status === "done" && heard.render.report!.stems.length > 0,
    placeholderData: (before: Schemas["BalanceOut"] | undefined, last) =>
      heard?.render?.report?.stems.length ? ofSame(before, last) : undefined,
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/balance", {
          params: {
            path: { render_id: heard!.render!.id },
            query: { law: law as "fader", moving: moving.join() },
          },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  });
  const travel = balance.data;
  const route = travel?.route_db ?? null;
  const wet: WetDb =
    route === null ? 0 : move === -Infinity || move === Infinity ? move : route + move;
  const curves = useQuery({
    queryKey: ["render-detail", heard?.render?.variant, heard?.render?.id],
    enabled: heard?.render?.status === "done",
    placeholderData: (before: Schemas["RenderDetail"] | undefined, last) => ofSame(before, last),
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/detail", {
          params: { path: { render_id: heard!.render!.id } },
        }),
      ),
    staleTime: Infinity,
  }).data;
  const bars = useBars(song, stretch.start_s, heard?.render?.report?.seconds ?? 0);

  const variant = useVariantOf(heard?.render?.variant ?? firstId, song.revision);
  const placesOf = heard?.render?.variant ?? firstId;
  const placesAt = useStill(variant?.revision ?? 0, PLACES_MS);
  const places = useQuery({
    queryKey: ["places", placesOf, output, placesAt],
    enabled: !!placesOf && !!output && !inTrial,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(
        api.GET("/api/v1/variants/{variant_id}/places", {
          params: { path: { variant_id: placesOf }, query: { output } },
        }),
      ),
  }).data;
  const secondMoving = movingAt(places, second.place, heard?.render?.place);
  const moves = useMoves(variant?.id);
  /** Gains of a sound's stems at a balance: the wet ones move, or a law's two gains. */
  const gainsOf = (sound: Sound, shift: number): number[] => {
    const stems = sound.render?.report?.stems ?? [];
    const gains =
      law !== "fader" && travel && sound.id === heard?.id && route !== null
        ? between(travel, route + shift)
        : stemGains(movesOf(stems, moving), shift);
    // A level at the place that was changed since is heard at once: all behind it is linear.
    const now = sound.render?.variant === variant?.id ? variant?.document : undefined;
    return gains.map(
      (gain, i) =>
        gain *
        changedSince(stems[i], now?.rails, now?.nodes) *
        secondGain(stems[i], secondMoving, second.db) *
        factorOf(search, sound.id, stems[i]?.id),
    );
  };
  // While a new render is heard and not measured yet, it counts as loud as the one before it.
  const [known, setKnown] = useState<Record<string, number | null>>({});
  const measuredKey = done
    .filter((s) => s.render!.status === "done")
    .map((s) => s.render!.id)
    .join();
  const [knownOf, setKnownOf] = useState("");
  if (knownOf !== measuredKey) {
    setKnownOf(measuredKey);
    const told = done
      .filter((s) => s.render!.status === "done")
      .map((s) => [s.id, s.render!.report!.loudness_lufs] as const);
    setKnown({ ...known, ...Object.fromEntries(told) });
  }
  const rendered = (sound: Sound): number | null =>
    sound.render!.status === "done"
      ? sound.render!.report!.loudness_lufs
      : (known[sound.id] ?? null);
  const loudOf = (sound: Sound): number | null =>
    basis === "wet" && wetLoud[sound.render!.id] !== undefined
      ? wetLoud[sound.render!.id]!
      : (loudness[sound.render!.id] ?? rendered(sound));
  const quietest = quietestOf(done.map(loudOf));
  const matchDb = (sound: Sound): number => (matched ? downTo(quietest, loudOf(sound)) : 0);

  const region_s = Math.min(
    stretch.length_s ?? whole - stretch.start_s,
    heard?.render ? endOf(heard.render, stretch.start_s) : Infinity,
  );
  const [ofRig, setOfRig] = useState(rig.id);
  if (ofRig !== rig.id) {
    setOfRig(rig.id);
    setMove(0);
    setHeardId("");
    setAt(0);
    setPlace("");
    setMoving([]);
    setSearch(null);
    setSecond({ place: "", db: 0 });
  }
  const loop =
    looped && Number.isFinite(region_s) && region_s > 0 ? { from: 0, to: region_s } : null;

  const player = usePlayer({
    rig: rig.id,
    done,
    gainsOf: (sound) => gainsOf(sound, move),
    matchDb,
    lateOf: (sound) => heldBack(search, sound.id, sound.render?.report?.stems ?? []),
    loop,
    start: stretch.start_s,
    onHear: setHeardId,
  });
  const { playing, play, stop, switchTo } = player;
  /** What it is turned down by as it is heard; the match stays while a gain is moved. */
  const heldMatch = (sound: Sound) => player.applied?.[sound.id] ?? matchDb(sound);
  useEffect(() => {
    player.match();
    // Only when the person says how to match, not whenever a loudness changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [matched, basis]);
  const other =
    done.find((s) => s.id !== heard?.id && s.id !== "bare") ?? done.find((s) => s.id !== heard?.id);

  const asked = useRef(0);
  const measured = async () => {
    const mine = ++asked.current;
    const found = await Promise.all(
      done
        .filter((s) => s.render!.status === "done" && s.render!.report!.stems.length)
        .map(async (s) => {
          const path = { params: { path: { render_id: s.render!.id } } };
          const level = (gains: number[]) =>
            ask(api.POST("/api/v1/renders/{render_id}/level", { ...path, body: { gains } }));
          const gains = gainsOf(s, move);
          const moves = movesOf(s.render!.report!.stems, moving);
          const wetOnly = gains.map((g, i) => (moves[i] ? g : 0));
          const [all, part] = await Promise.all([level(gains), level(wetOnly)]);
          return { id: s.render!.id, all, wet: part.loudness_lufs };
        }),
    ).catch(() => []);
    // Of two answers the one that was asked for later counts, whichever comes first.
    if (mine !== asked.current) return;
    setLoudness(Object.fromEntries(found.map(({ id, all }) => [id, all.loudness_lufs])));
    setMoments(Object.fromEntries(found.map(({ id, all }) => [id, all.momentary_lufs])));
    setShortTerms(Object.fromEntries(found.map(({ id, all }) => [id, all.short_term_lufs])));
    setWetLoud(Object.fromEntries(found.map(({ id, wet: level }) => [id, level])));
  };
  const measure = useLater(() => void measured(), 60);
  const doneKey = done.map((s) => `${s.render!.id} ${s.render!.status}`).join();
  useEffect(() => {
    player.regain((sound) => gainsOf(sound, move));
    player.holdBack();
    measure(undefined);
    // Whenever what could be heard changes: the balance, its law, the renders.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [move, law, doneKey, travel, moving, search, second]);
  useEffect(() => {
    giveWay(playing);
    return () => giveWay(false);
  }, [playing]);
  const measureRested = useLater(() => void measured(), pauseOf(playing));
  useEffect(() => {
    // A level in the rig is heard at once; what it is like is told when its render is not.
    player.regain((sound) => gainsOf(sound, move));
    measureRested(undefined);
    // Whenever the rig changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [variant?.document]);

  const balanceTo = (value: WetDb) => {
    if (route === null) return;
    const shift = Number.isFinite(value) ? Math.round((value - route) * 1000) / 1000 : value;
    setMove(shift);
    player.regain((sound) => gainsOf(sound, shift));
    if (written.current && playing) written.current.push({ at: player.at(), wet: value });
  };

  const idle = !inTrial;
  // The variant in hand is what is heard, by whatever key or choice it came there.
  const wanted = inHand?.id ?? "";
  const followed = useRef(wanted);
  useEffect(() => {
    if (followed.current === wanted || !idle) return;
    followed.current = wanted;
    if (done.some((s) => s.id === wanted)) switchTo(wanted);
  });
  const hear = (id: string) => {
    switchTo(id);
    if (rig.variants.some((v) => v.id === id)) {
      followed.current = id;
      take({ variant: id });
    }
  };

  // One press: what is missing or older is made by itself, and heard as soon as it is there.
  const pending = useRef<string | null>(null);
  const [awaited, setAwaited] = useState(false);
  const wantedId = heard?.id ?? inHand?.id ?? firstId;
  const make = async (id: string, piece = false) => {
    const variantId = id === "bare" ? firstId : id.split(" ")[0]!;
    const long = (stretch.length_s ?? whole - stretch.start_s) > LONG_S;
    try {
      if (piece && long) {
        const from = stretch.start_s + player.at();
        await renders.begin(
          { variant: variantId },
          { start_s: from, length_s: Math.min(EXCERPT_S, whole - from) },
        );
      }
      await renders.begin({ variant: variantId, bare: id === "bare" });
    } catch (fault) {
      pending.current = null;
      setAwaited(false);
      announce(sentenceOf(fault), { kind: "fault" });
      void renders.again();
    }
  };
  const toggle = (from = player.at()) => {
    if (playing || awaited) {
      pending.current = null;
      setAwaited(false);
      return stop();
    }
    const one = sounds.find((s) => s.id === wantedId);
    if (one?.render?.audible && !one.render.older) return void play(wantedId, from);
    pending.current = wantedId;
    setAwaited(true);
    if (one?.render?.audible) {
      // The old sound plays on until the new one is there.
      pending.current = null;
      setAwaited(false);
      void play(wantedId, from);
    }
    if (!isOpen(one?.next) || one?.render?.older) void make(wantedId, !one?.render);
  };
  /** A variant that was made just now is heard as soon as it is there, and the one that it came from
   * can be switched to.
   */
  const beside = (made: string, from: string) => {
    pending.current = made;
    setAwaited(true);
    const present = sounds.find((s) => s.id === from);
    if (!present?.render?.audible || present.render.older) void make(from);
    void make(made);
  };
  useEffect(() => {
    const one = pending.current && done.find((s) => s.id === pending.current);
    if (!one) return;
    pending.current = null;
    setAwaited(false);
    void play(one.id, player.at());
    // Whenever another render is there.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [doneKey]);
  const failed = sounds.find((s) => s.id === wantedId)?.next;
  useEffect(() => {
    if (failed?.status !== "failed" || !pending.current) return;
    pending.current = null;
    setAwaited(false);
    announce(failed.problem, { kind: "fault" });
  }, [failed?.id, failed?.status, failed?.problem]);
  // While it plays, whatever changes is made again by itself: of many changes the last.
  const keepUp = useLater((id: string) => void make(id), SETTLE_MS);
  const askedOf = useRef("");
  /** The variant and revision whose edit asked for a render, until the lists have come. */
  const askedBy = useRef("");
  useEffect(() => {
    if (!playing || inTrial) return;
    const order = [...sounds].sort(
      (a, b) => Number(b.id === heard?.id) - Number(a.id === heard?.id),
    );
    const older = order.find(
      (s) =>
        s.render?.audible &&
        (s.render.older || (s.id === heard?.id && !isAtPlace(s.render, wantedPlace))) &&
        !isOpen(s.next),
    );
    if (!older || order.some((s) => isOpen(s.next))) return;
    // Asked for once a change: not at every frame in which it is still older, nor again where it failed.
    const changed = [
      older.render!.id,
      song.revision,
      variant?.revision,
      feeds.data,
      moves.moves,
      wantedPlace,
    ];
    const key = JSON.stringify(changed);
    if (askedOf.current === key) return;
    askedOf.current = key;
    // An edit that was kept just now has been asked for by itself.
    const edited = askedBy.current === `${older.render!.variant} ${variant?.revision}`;
    if (edited) askedBy.current = "";
    else keepUp(older.id);
  });
  const heardVariant = heard?.render?.variant;
  const audible = useRef({ playing, heardVariant });
  useEffect(() => {
    audible.current = { playing, heardVariant };
  });
  const makeNow = useRef(make);
  useEffect(() => {
    makeNow.current = make;
  });
  useEffect(() => {
    // As soon as an edit is kept, before the lists have come again.
    return outbox.tell({
      done: (variant) => {
        if (!audible.current.playing || variant.id !== audible.current.heardVariant) return;
        // It has rested before it was kept: what was asked before is let go by the server.
        askedBy.current = `${variant.id} ${variant.revision}`;
        void makeNow.current(variant.id);
      },
    });
  }, []);

  const canBalance = route !== null;
  const why = heard?.render?.report?.needs_render;
  const sendToRoute = () => settle(wet, moving, () => setMove(0));
  /** Set the rig to a balance of some paths. */
  const settle = async (wet_db: WetDb, paths: string[], after: () => void) => {
    if (!heard?.render || !Number.isFinite(wet_db)) return;
    try {
      const settings = await ask(
        api.GET("/api/v1/renders/{render_id}/settings", {
          params: {
            path: { render_id: heard.render.id },
            query: { wet_db, moving: paths.join() },
          },
        }),
      );
      const nodes = variant?.id === heard.render.variant ? variant.document.nodes : undefined;
      const actions = editsOf(settings, nodes ?? {});
      await ask(
        api.POST("/api/v1/variants/{variant_id}/edits", {
          params: { path: { variant_id: heard.render.variant } },
          body: {
            id: crypto.randomUUID(),
            base_revision: rig.variants.find((v) => v.id === heard.render!.variant)!.revision,
            action: { do: "several", actions },
          },
        }),
      );
      for (const key of [...OF_A_RIG, "variant"])
        void client.invalidateQueries({ queryKey: [key] });
      announce(
        `Variant ${heard.letter} is set to it: ${settings.map((s) => `${s.field.replace("_db", "").replace("_percent", "")} ${num(s.value, 1)}`).join(", ")}. Undo it under Route.`,
        { kind: "passed" },
      );
      after();
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };

  const ride = useRide({
    playing,
    at: player.at,
    bars,
    variant: heard?.id === "bare" ? undefined : (variant as Variant | undefined),
    kinds: useKinds().data,
    moves,
  });

  const keepMoves = (points: { at: number; wet: WetDb }[]) => {
    const brought = heard?.render?.report?.stems ?? [];
    const flags = movesOf(brought, moving);
    // Of one path with several sources once: they share its fader.
    const moved = brought.flatMap((s, i) => (flags[i] ? [s.passes?.[0] ?? s] : []));
    const stems = moved.filter(
      (s, i) => s.level_db !== null && moved.findIndex((o) => o.id === s.id) === i,
    );
    if (!stems.length || route === null || !points.length) return;
    let all = moves.moves;
    for (const point of points) {
      const where = placeIn(bars, point.at);
      if (!where) continue;
      for (const stem of stems) {
        const value =
          point.wet === -Infinity ? -120 : Math.min(60, stem.level_db! + point.wet - route);
        all = withPoint(all, stem.id, "level_db", {
          ...where,
          value: Math.round(value * 10) / 10,
          ramp: false,
        });
      }
    }
    moves.save.mutate(all, {
      onSuccess: () => {
        announce(`${points.length === 1 ? "The point is" : `${points.length} points are`} kept.`);
      },
    });
  };
  const toggleWriting = () => {
    if (writing) {
      const points = thinned(written.current ?? []);
      written.current = null;
      keepMoves(points);
    } else written.current = [];
    setWriting(!writing);
  };
  const momentsHere = moments[heard?.render?.id ?? ""] ?? curves?.momentary_lufs;
  const lately = shortTerms[heard?.render?.id ?? ""] ?? curves?.short_term_lufs;
  const shown = (level: number | undefined) =>
    heard && level !== undefined && level > -100 ? level + heldMatch(heard) : null;
  /** Loudness of the last 400 ms and 3 s at a place of what was rendered, as it is heard. */
  const loudAt = (position: number) => ({
    momentary: shown(momentsHere?.[Math.max(0, Math.floor(position * 10) - 4)]),
    shortTerm: shown(lately?.[Math.max(0, Math.ceil(position * 10) - 1)]),
  });
  const stale =
    done.some((s) => s.render!.older) || rig.variants.some((v) => !renders.rendered(v.id).render);
  /** What is made of it just now, in words; empty where nothing is. */
  const making = sounds.find((s) => s.id === wantedId && isOpen(s.next))?.next;
  return {
    rig,
    song,
    clips,
    take,
    whole,
    feeds,
    stretch,
    setRegion,
    first,
    outputs,
    at,
    setAt,
    renders,
    bare,
    sounds,
    done,
    heard,
    looped,
    setLooped,
    matched,
    setMatched,
    basis,
    setBasis,
    move,
    inTrial,
    setInTrial,
    law,
    setLaw,
    place,
    setPlace,
    moving,
    setMoving,
    second,
    setSecond,
    secondMoving,
    settle,
    /** What is heard is not measured yet: what it was before stands in for it. */
    measuring: balance.isPlaceholderData,
    search,
    setSearch,
    places,
    writing,
    toggleWriting,
    route,
    wet,
    curves,
    bars,
    loudOf,
    gainsOf,
    rendered,
    quietest,
    region_s,
    loop,
    player,
    heldMatch,
    other,
    balanceTo,
    hear,
    canBalance,
    why,
    sendToRoute,
    variant,
    moves,
    keepMoves,
    ride,
    loudAt,
    stale,
    loudness,
    clip,
    idle,
    toggle,
    beside,
    awaited,
    making,
  };
}

export type Listening = ReturnType<typeof usePlayingOf>;

export const PlayingContext = createContext<Listening | null>(null);
/** What plays, in any step, as it moves on; null where there is no rig. */
export const usePlaying = () => useContext(PlayingContext);

export interface PlayPress {
  playing: boolean;
  /** Play what is in hand, made anew where it is missing or older; or stop. */
  toggle: () => void;
  /** Hear a variant as soon as it is made, with the one that it came from beside it. */
  beside: (made: string, from: string) => void;
  ride: Ride;
}
export const PlayContext = createContext<PlayPress>({
  playing: false,
  toggle: () => undefined,
  beside: () => undefined,
  ride: NO_RIDE,
});
/** Play and stop, for what need not follow the playhead. */
export const usePlay = () => useContext(PlayContext);

function useVariantOf(id: string, revision: number) {
  return useQuery({
    queryKey: ["variant", id, revision],
    enabled: !!id,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id } } })),
  }).data;
}
