/** Listening: what is rendered and heard, matched, balanced live, written as moves. */
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";

import { api, ask, type RigSummary, type Schemas, sentenceOf } from "../../api/client";
import type { Stretch } from "../../charts/Wave";
import { useClip } from "../../clips/queries";
import { OF_A_RIG } from "../../rigs/edits";
import type { Edit } from "../../rigs/variants";
import { useSongContext } from "../../song/context";
import { announce } from "../../ui/controls";
import { num } from "../../ui/format";
import { useLater } from "../../ui/hooks";
import { useKey } from "../../ui/keys";
import { between, placeIn, thinned, useBars } from "./bars";
import { useHeld } from "./heard-keys";
import { downTo, quietestOf, stemGains } from "./match";
import { useMoves, withPoint } from "./MovesSheet";
import type { Sound } from "./Parts";
import { usePlayer } from "./usePlayer";
import { useRenders } from "./useRenders";
import { stepped, type WetDb } from "./wet";

export type Sheet = "trial" | "moves" | "capture" | "export" | "log";
const LONGEST_S = 30;

export function useListening(rig: RigSummary) {
  const { song, clips, clip: clipInHand, variant: inHand, take } = useSongContext();
  const client = useQueryClient();
  const clip = clipInHand?.id ?? "";
  const detail = useClip(clip || null).data;
  const whole = detail?.facts?.seconds ?? 0;
  const [chosen, setChosen] = useState<{ clip: string; region: Stretch | null } | null>(null);
  const region = chosen?.clip === clip ? chosen.region : null;
  const setRegion = (next: Stretch | null) => setChosen({ clip, region: next });
  const stretch: Stretch = region ?? { start_s: 0, length_s: whole > LONGEST_S ? LONGEST_S : null };
  const first = useVariantOf(rig.variants[0]!.id, song.revision);
  const boards = first?.view.report.boards ?? [];
  const [at, setAt] = useState(0);
  const way = boards[Math.min(at, boards.length - 1)];
  const renders = useRenders(
    rig,
    { clip, source: way?.source ?? "", output: way?.output ?? "", ...stretch },
    song.revision,
  );
  const bare: Sound = { id: "bare", letter: "clip", name: "past the rig", render: renders.bare };
  const variants: Sound[] = rig.variants.flatMap((v) => {
    const one: Sound = { id: v.id, letter: v.letter, name: v.name, render: renders.rendered(v.id) };
    const captured = renders.captured(v.id);
    return captured
      ? [one, { id: `${v.id} capture`, letter: `${v.letter}′`, name: "capture", render: captured }]
      : [one];
  });
  const sounds: Sound[] = [...variants, bare];
  const done = sounds.filter((s) => s.render?.status === "done" && s.render.report);
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
  const [sheet, setSheet] = useState<Sheet>("trial");
  const [choosing, setChoosing] = useState(false);
  const [inTrial, setInTrial] = useState(false);
  const [law, setLaw] = useState<Schemas["BalanceOut"]["law"]>("fader");
  const written = useRef<{ at: number; wet: WetDb }[] | null>(null);
  const [writing, setWriting] = useState(false);

  const travel = useQuery({
    queryKey: ["balance", heard?.render?.id, law],
    enabled: !!heard?.render?.report?.stems.length,
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/balance", {
          params: { path: { render_id: heard!.render!.id }, query: { law: law as "fader" } },
        }),
      ),
    staleTime: Infinity,
    retry: false,
  }).data;
  const route = travel?.route_db ?? null;
  const wet: WetDb =
    route === null ? 0 : move === -Infinity || move === Infinity ? move : route + move;
  const curves = useQuery({
    queryKey: ["render-detail", heard?.render?.id],
    enabled: !!heard?.render,
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(
        api.GET("/api/v1/renders/{render_id}/detail", {
          params: { path: { render_id: heard!.render!.id } },
        }),
      ),
    staleTime: Infinity,
  }).data;
  const bars = useBars(stretch.start_s, heard?.render?.report?.seconds ?? 0);

  /** Gains of a sound's stems at a balance: the wet ones move, or a law's two gains. */
  const gainsOf = (sound: Sound, shift: number): number[] =>
    law !== "fader" && travel && sound.id === heard?.id && route !== null
      ? between(travel, route + shift)
      : stemGains(sound.render?.report?.stems ?? [], shift);
  const loudOf = (sound: Sound): number | null =>
    basis === "wet" && wetLoud[sound.render!.id] !== undefined
      ? wetLoud[sound.render!.id]!
      : (loudness[sound.render!.id] ?? sound.render!.report!.loudness_lufs);
  const quietest = quietestOf(done.map(loudOf));
  const matchDb = (sound: Sound): number => (matched ? downTo(quietest, loudOf(sound)) : 0);

  const region_s = Math.min(
    stretch.length_s ?? whole - stretch.start_s,
    heard?.render?.report?.seconds ?? Infinity,
  );
  const loop =
    looped && Number.isFinite(region_s) && region_s > 0 ? { from: 0, to: region_s } : null;

  const player = usePlayer({
    done,
    gainsOf: (sound) => gainsOf(sound, move),
    matchDb,
    loop,
    onHear: setHeardId,
  });
  const { playing, position, toggles, play, stop, switchTo, change } = player;
  /** What it is turned down by as it is heard; the match stays while a gain is moved. */
  const heldMatch = (sound: Sound) => player.applied?.[sound.id] ?? matchDb(sound);
  useEffect(() => {
    player.match();
    // Only when the person says how to match, not whenever a loudness changes.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [matched, basis]);
  const other =
    done.find((s) => s.id !== heard?.id && s.id !== "bare") ?? done.find((s) => s.id !== heard?.id);

  const measured = async () => {
    const found = await Promise.all(
      done
        .filter((s) => s.render!.report!.stems.length)
        .map(async (s) => {
          const path = { params: { path: { render_id: s.render!.id } } };
          const level = (gains: number[]) =>
            ask(api.POST("/api/v1/renders/{render_id}/level", { ...path, body: { gains } }));
          const gains = gainsOf(s, move);
          const wetOnly = gains.map((g, i) => (s.render!.report!.stems[i]!.wet ? g : 0));
          const [all, part] = await Promise.all([level(gains), level(wetOnly)]);
          return { id: s.render!.id, all, wet: part.loudness_lufs };
        }),
    ).catch(() => []);
    setLoudness(Object.fromEntries(found.map(({ id, all }) => [id, all.loudness_lufs])));
    setMoments(Object.fromEntries(found.map(({ id, all }) => [id, all.momentary_lufs])));
    setShortTerms(Object.fromEntries(found.map(({ id, all }) => [id, all.short_term_lufs])));
    setWetLoud(Object.fromEntries(found.map(({ id, wet: level }) => [id, level])));
  };
  const measure = useLater(() => void measured(), 60);
  const doneKey = done.map((s) => s.render!.id).join();
  useEffect(() => {
    player.regain((sound) => gainsOf(sound, move));
    measure(undefined);
    // Whenever what could be heard changes: the balance, its law, the renders.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [move, law, doneKey, travel]);

  const balanceTo = (value: WetDb) => {
    if (route === null) return;
    const shift = Number.isFinite(value) ? Math.round((value - route) * 1000) / 1000 : value;
    setMove(shift);
    player.regain((sound) => gainsOf(sound, shift));
    if (written.current && playing) written.current.push({ at: player.at(), wet: value });
  };

  const idle = !inTrial;
  useKey(
    "listen",
    "Space",
    () => (playing ? stop() : heard && void play(heard.id, position)),
    idle,
  );
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
  useKey(
    "listen",
    "C",
    () => {
      const other = `${wanted} capture`;
      if (done.some((s) => s.id === other)) hear(heard?.id === other ? wanted : other);
      else announce("This variant has no capture yet.");
    },
    idle,
  );
  useKey("listen", "0", () => done.includes(bare) && hear(bare.id), idle);
  useKey("listen", "M", () => change({ mono: !toggles.mono }));
  useKey("listen", "W", () => change({ swap: !toggles.swap }));
  useKey("listen", "P", () => change({ flip: !toggles.flip }));
  useKey(
    "listen",
    "D",
    () => change({ difference: toggles.difference ? null : (other?.id ?? null) }),
    idle,
  );
  useKey("listen", "R", () => setLooped(!looped), idle);
  useKey("listen", "Home", () => heard && void play(heard.id, 0), idle);
  useKey("listen", "[", () => route !== null && balanceTo(stepped(wet, -0.5)), idle);
  useKey("listen", "]", () => route !== null && balanceTo(stepped(wet, 0.5)), idle);
  useHeld("e", (held) => change({ exaggerate: held }));

  const canBalance = route !== null;
  const why = heard?.render?.report?.needs_render;
  const sendToRoute = async () => {
    if (!heard?.render || !Number.isFinite(wet)) return;
    try {
      const settings = await ask(
        api.GET("/api/v1/renders/{render_id}/settings", {
          params: { path: { render_id: heard.render.id }, query: { wet_db: wet } },
        }),
      );
      const actions = settings.map(({ part, field, value }): Edit =>
        part.includes(".")
          ? { do: "set_strip", rail: part, values: { [field]: value } }
          : { do: "set", node: part, values: { [field]: value } },
      );
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
      setMove(0);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    }
  };

  const variant = useVariantOf(heard?.render?.variant ?? rig.variants[0]!.id, song.revision);
  const moves = useMoves(variant?.id);
  const keepMoves = (points: { at: number; wet: WetDb }[]) => {
    const stems = heard?.render?.report?.stems.filter((s) => s.wet && s.level_db !== null) ?? [];
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
        setSheet("moves");
        announce(
          `${points.length === 1 ? "The point is" : `${points.length} points are`} kept. Render the variant to hear it.`,
        );
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
  const momentNow = momentsHere?.[Math.max(0, Math.floor(position * 10) - 4)];
  const lately = shortTerms[heard?.render?.id ?? ""] ?? curves?.short_term_lufs;
  const shown = (level: number | undefined) =>
    heard && level !== undefined && level > -100 ? level + heldMatch(heard) : null;
  const momentary = shown(momentNow);
  const shortTerm = shown(lately?.[Math.max(0, Math.ceil(position * 10) - 1)]);
  const nextBar = bars.find((b) => b.at > position + 0.01);
  const stale =
    done.some((s) => s.render!.older) || rig.variants.some((v) => !renders.rendered(v.id));
  return {
    rig,
    song,
    clips,
    take,
    detail,
    whole,
    stretch,
    setRegion,
    first,
    boards,
    at,
    setAt,
    way,
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
    sheet,
    setSheet,
    choosing,
    setChoosing,
    inTrial,
    setInTrial,
    law,
    setLaw,
    writing,
    toggleWriting,
    route,
    wet,
    curves,
    bars,
    loudOf,
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
    keepMoves,
    momentary,
    shortTerm,
    nextBar,
    stale,
    loudness,
    clip,
  };
}

export type Listening = ReturnType<typeof useListening>;

function useVariantOf(id: string, revision: number) {
  return useQuery({
    queryKey: ["variant", id, revision],
    placeholderData: keepPreviousData,
    queryFn: () =>
      ask(api.GET("/api/v1/variants/{variant_id}", { params: { path: { variant_id: id } } })),
  }).data;
}
