/** The engine and what it does: which sounds are in it, which is heard, where it is, how loud. */
import { useCallback, useEffect, useRef, useState } from "react";

import { sentenceOf } from "../../api/client";
import { announce } from "../../ui/controls";
import type { Engine, Reading, Toggles } from "./engine";
import type { Step } from "./Lanes";
import type { Sound } from "./Parts";

export const OFF: Toggles = {
  mono: false,
  swap: false,
  flip: false,
  difference: null,
  solo: null,
  exaggerate: false,
};

interface Given {
  /** Sounds that can be heard, all with a finished render. */
  done: Sound[];
  /** Linear gains of a sound's stems as they are now. */
  gainsOf: (sound: Sound) => number[];
  /** What would make it as loud as the others, dB, never above 0. */
  matchDb: (sound: Sound) => number;
  loop: { from: number; to: number } | null;
  onHear: (id: string) => void;
}

const linear = (db: number) => 10 ** (db / 20);

export function usePlayer({ done, gainsOf, matchDb, loop, onHear }: Given) {
  const [playing, setPlaying] = useState(false);
  const [loading, setLoading] = useState(false);
  const [position, setPosition] = useState(0);
  const [lap, setLap] = useState(1);
  const [meter, setMeter] = useState<Reading | null>(null);
  const [trail, setTrail] = useState<Step[]>([]);
  const [toggles, setToggles] = useState<Toggles>(OFF);
  const [applied, setApplied] = useState<Record<string, number>>({});
  const engine = useRef<Engine>(null);
  const loaded = useRef(new Map<string, string>());
  const wish = useRef(0);

  const theEngine = useCallback(async () => {
    if (!engine.current) {
      const { Engine } = await import("./engine");
      engine.current = new Engine(new AudioContext());
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
  useEffect(() => {
    if (!playing) return;
    let frame = 0;
    let last = 0;
    const tick = (now: number) => {
      frame = requestAnimationFrame(tick);
      if (now - last < 80 || !engine.current) return;
      last = now;
      const at = engine.current.position();
      setPosition((before) => {
        if (at < before - 0.2) setTrail([{ at: loop?.from ?? 0, lane: engine.current!.hearing }]);
        return at;
      });
      setLap(engine.current.lap());
      setMeter(engine.current.read());
    };
    frame = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(frame);
  }, [playing, loop?.from]);
  const [from, to] = [loop?.from, loop?.to];
  useEffect(() => {
    engine.current?.setLoop(from === undefined || to === undefined ? null : { from, to });
  }, [from, to]);

  const load = async (): Promise<Engine> => {
    const made = await theEngine();
    const { loadStems } = await import("./engine");
    await Promise.all(
      done.map(async (sound) => {
        const render = sound.render!;
        if (loaded.current.get(sound.id) === render.id) return;
        const stems = render.report!.stems;
        const url = `/api/v1/renders/${render.id}/${stems.length ? "stems" : "audio"}`;
        made.set(sound.id, {
          stems: await loadStems(made.context, url, Math.max(1, stems.length)),
          gains: gainsOf(sound),
          wet: stems.length ? stems.map((s) => s.wet) : [false],
          match: linear(matchDb(sound)),
        });
        loaded.current.set(sound.id, render.id);
      }),
    );
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
      // Something else was asked for while the sounds came in.
      if (mine !== wish.current) return;
      for (const s of done) made.setGains(s.id, gainsOf(s));
      match();
      made.onEnd = () => setPlaying(false);
      made.play(id, loop && at >= loop.to ? 0 : at, loop);
      onHear(id);
      setTrail([{ at, lane: id }]);
      setPlaying(true);
    } catch (fault) {
      announce(sentenceOf(fault), { kind: "fault" });
    } finally {
      if (mine === wish.current) setLoading(false);
    }
  };
  const stop = () => {
    wish.current += 1;
    setLoading(false);
    engine.current?.stop();
  };
  const switchTo = (id: string) => {
    onHear(id);
    if (!playing || !engine.current?.has(id)) return void play(id, position);
    match();
    engine.current.hear(id);
    setTrail((t) => [...t, { at: engine.current!.position(), lane: id }]);
  };
  const change = (next: Partial<Toggles>) => {
    const all = { ...toggles, ...next };
    setToggles(all);
    engine.current?.setToggles(all);
  };
  /** Gains that were moved, heard at once. */
  const regain = (gains: (sound: Sound) => number[]) => {
    for (const s of done) engine.current?.setGains(s.id, gains(s));
  };
  const seek = (id: string | undefined, at: number) => {
    if (playing && id) void play(id, at);
    else setPosition(at);
  };
  return {
    engine: theEngine,
    playing,
    loading,
    position,
    lap,
    meter,
    trail,
    toggles,
    applied: playing ? applied : null,
    at: () => engine.current?.position() ?? position,
    match,
    play,
    stop,
    switchTo,
    change,
    regain,
    seek,
  };
}
