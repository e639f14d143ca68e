/** The engine and what it does: which sounds are in it, which is heard, where it is, how loud. */
import { useCallback, useEffect, useRef, useState } from "react";

import { sentenceOf } from "../api/client";
import { announce } from "../ui/controls";
import { playOnly } from "../ui/only";
import type { Engine, Loop } from "./engine";
import { Playhead } from "./playhead";
import { PLAIN, type Toggles } from "./toggles";
import type { Render, Sound } from "./useRenders";

export interface Step {
  /** Seconds into the sound. */
  at: number;
  lane: string;
}

interface Given {
  rig: string;
  /** Sounds that can be heard, all with a render that is there. */
  done: Sound[];
  /** Linear gains of a sound's stems as they are now. */
  gainsOf: (sound: Sound) => number[];
  /** What would make it as loud as the others, dB, never above 0. */
  matchDb: (sound: Sound) => number;
  /** Seconds by which its stems are held back. */
  lateOf: (sound: Sound) => number[] | null;
  loop: Loop | null;
  /** Where the stretch begins that is played, seconds into the song. */
  start: number;
  onHear: (id: string) => void;
}

const linear = (db: number) => 10 ** (db / 20);

export function usePlayer({ rig, done, gainsOf, matchDb, lateOf, loop, start, onHear }: Given) {
  const [playing, setPlaying] = useState(false);
  const [loading, setLoading] = useState(false);
  const [head] = useState(() => new Playhead());
  const [trail, setTrail] = useState<Step[]>([]);
  const [toggles, setToggles] = useState<Toggles>(PLAIN);
  const [applied, setApplied] = useState<Record<string, number>>({});
  const engine = useRef<Engine>(null);
  const loaded = useRef(new Map<string, string>());
  const wish = useRef(0);
  const wanted = useRef(toggles);

  const theEngine = useCallback(async (rate?: number) => {
    const old = engine.current;
    // At the rate of what is played, so that pieces meet sample to sample.
    if (old && rate && old.context.sampleRate !== rate) {
      old.stop();
      void (old.context as AudioContext).close();
      engine.current = null;
      loaded.current.clear();
    }
    if (!engine.current) {
      const { Engine } = await import("./engine");
      engine.current ??= new Engine(new AudioContext(rate ? { sampleRate: rate } : {}));
      // What was pressed before the first sound counts from the first sound on.
      engine.current.setToggles(wanted.current);
    }
    await (engine.current.context as AudioContext).resume();
    return engine.current;
  }, []);
  useEffect(
    () => () => {
      engine.current?.stop();
      void (engine.current?.context as AudioContext | undefined)?.close();
    },
    [],
  );
  // Another rig is another set of sounds: none of this one is heard in it.
  useEffect(
    () => () => {
      engine.current?.stop();
      engine.current?.forget("");
      loaded.current.clear();
    },
    [rig],
  );
  useEffect(() => {
    if (!playing) return;
    let frame = 0;
    let last = 0;
    let before = 0;
    const tick = (now: number) => {
      frame = requestAnimationFrame(tick);
      if (now - last < 80 || !engine.current) return;
      last = now;
      const at = engine.current.position();
      if (at < before - 0.2) setTrail([{ at: loop?.from ?? 0, lane: engine.current.hearing }]);
      before = at;
      head.set({ position: at, lap: engine.current.lap(), meter: engine.current.read() });
    };
    frame = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(frame);
  }, [playing, loop?.from, head]);
  const [from, to] = [loop?.from, loop?.to];
  useEffect(() => {
    engine.current?.setLoop(from === undefined || to === undefined ? null : { from, to });
  }, [from, to]);

  const halt = useCallback(() => {
    wish.current += 1;
    setLoading(false);
    engine.current?.stop();
  }, []);
  const bring = async (made: Engine, sound: Sound): Promise<void> => {
    const render: Render = sound.render!;
    if (loaded.current.get(sound.id) === render.id) return;
    const { WavStream, Later } = await import("./stream");
    const stems = render.report!.stems;
    const url = `/api/v1/renders/${render.id}/${stems.length ? "stems" : "audio"}`;
    const opened = await WavStream.open(url, Math.max(1, stems.length));
    const late = Math.round((render.start_s - start) * opened.rate);
    made.set(sound.id, {
      sound: late > 0 ? new Later(opened, late) : opened,
      gains: gainsOf(sound),
      // What stands out when it is exaggerated: what is wet, or what a balance moves.
      wet: stems.length
        ? stems.map((s) => (stems.some((o) => o.wet) ? s.wet : !!s.moves))
        : [false],
      sources: stems.map((s) => s.sources ?? []),
      late: lateOf(sound),
      match: linear(applied[sound.id] ?? matchDb(sound)),
    });
    loaded.current.set(sound.id, render.id);
  };
  const load = async (): Promise<Engine> => {
    const made = await theEngine(done[0]?.render?.report?.rate_hz);
    await Promise.all(done.map((sound) => bring(made, sound)));
    return made;
  };
  /** Take the match as it is now; it stays while gains are moved. */
  const match = () => {
    setApplied(Object.fromEntries(done.map((s) => [s.id, matchDb(s)])));
    for (const s of done) engine.current?.setMatch(s.id, linear(matchDb(s)));
  };
  const play = async (id: string, at: number) => {
    if (!done.some((s) => s.id === id)) return;
    const mine = ++wish.current;
    setLoading(true);
    try {
      const made = await load();
      const from = loop && at >= loop.to ? loop.from : at;
      await made.prepare(from);
      // Something else was asked for while the sounds came in.
      if (mine !== wish.current) return;
      for (const s of done) made.setGains(s.id, gainsOf(s));
      match();
      playOnly(halt);
      made.onEnd = () => setPlaying(false);
      made.play(id, from, loop);
      onHear(id);
      setTrail([{ at: from, lane: id }]);
      setPlaying(true);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    } finally {
      if (mine === wish.current) setLoading(false);
    }
  };
  // A render that comes while it plays takes the place of the one that it is newer than.
  const arrived = done.map((s) => `${s.id} ${s.render!.id}`).join();
  useEffect(() => {
    if (!playing || !engine.current) return;
    for (const sound of done)
      void bring(engine.current, sound).catch((fault: unknown) =>
        announce(sentenceOf(fault), { kind: "fault" }),
      );
    // Only when another render is there.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [arrived, playing]);
  const switchTo = (id: string) => {
    onHear(id);
    if (!playing || !engine.current?.has(id)) return void play(id, head.get().position);
    match();
    engine.current.hear(id);
    const at = engine.current.position();
    setTrail((t) => [...t, { at, lane: id }]);
  };
  const change = (next: Partial<Toggles>) => {
    const all = { ...wanted.current, ...next };
    wanted.current = all;
    setToggles(all);
    engine.current?.setToggles(all);
  };
  /** Gains that were moved, heard at once. */
  const regain = (gains: (sound: Sound) => number[]) => {
    for (const s of done) engine.current?.setGains(s.id, gains(s));
  };
  /** Stems that are held back, by the sound; heard at once. */
  const holdBack = () => {
    for (const s of done) engine.current?.setLate(s.id, lateOf(s));
  };
  const seek = (id: string | undefined, at: number) => {
    if (playing && id) void play(id, at);
    else head.set({ position: at });
  };
  return {
    engine: theEngine,
    playing,
    loading,
    head,
    trail,
    toggles,
    applied: playing ? applied : null,
    at: () => (engine.current?.isPlaying ? engine.current.position() : head.get().position),
    match,
    play,
    stop: halt,
    switchTo,
    change,
    regain,
    holdBack,
    seek,
  };
}
