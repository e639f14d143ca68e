/** What the stage asks of the browser: a screen that stays awake, MIDI in and out, a kept copy. */
import { useEffect, useState } from "react";

import { isKept, workerReady } from "../../api/kept";
import { useSteady } from "../../ui/hooks";
import type { Meaning } from "./cards";
import { clocksDue, midiMeans, type Program, programBytes, STARTS, STOPS, TICK } from "./midi";

export type Awake = "awake" | "asleep" | "unable";

/** Keeps the screen on while the page is seen. */
export function useAwake(): Awake {
  const lock = (navigator as Partial<Navigator>).wakeLock;
  const [state, setState] = useState<Awake>(lock ? "asleep" : "unable");
  useEffect(() => {
    if (!lock) return;
    let held: WakeLockSentinel | null = null;
    let gone = false;
    const take = async () => {
      if (document.visibilityState !== "visible" || gone) return;
      try {
        held = await lock.request("screen");
        held.addEventListener("release", () => setState("asleep"));
        if (gone) await held.release();
        else setState("awake");
      } catch {
        // Refused where the battery is low, or before the page is seen.
        setState("unable");
      }
    };
    const again = () => void take();
    again();
    document.addEventListener("visibilitychange", again);
    // A browser that wants a touch first gets it with the first one.
    window.addEventListener("pointerdown", again, { once: true });
    return () => {
      gone = true;
      document.removeEventListener("visibilitychange", again);
      window.removeEventListener("pointerdown", again);
      void held?.release();
    };
  }, [lock]);
  return state;
}

const [TRIES, LOOK_MS] = [40, 250];

/** Whether the list is kept for when there is no network; `again` asks for it once it can be. */
export function useKeptCopy(path: string, again: () => Promise<unknown>): boolean {
  const [kept, setKept] = useState(false);
  const ask = useSteady(again);
  useEffect(() => {
    let gone = false;
    const look = async () => {
      if (!(await isKept(path))) {
        if (!(await workerReady()) || gone) return;
        await ask();
      }
      // The worker puts an answer away after it has given it.
      for (let n = 0; n < TRIES && !gone; n++) {
        if (await isKept(path)) {
          setKept(true);
          return;
        }
        await new Promise((done) => setTimeout(done, LOOK_MS));
      }
    };
    void look().catch(() => undefined);
    return () => {
      gone = true;
    };
  }, [path, ask]);
  return kept;
}

type Access = Awaited<ReturnType<NonNullable<Navigator["requestMIDIAccess"]>>>;

export interface Midi {
  state: "off" | "asking" | "on" | "unable" | "refused";
  access: Access | null;
  /** Names of what MIDI goes out to; empty where there is none. */
  outputs: string[];
  /** Ask the browser for it: it asks the person. What is due then goes out at once. */
  ask: (due: readonly Program[]) => void;
  send: (programs: readonly Program[]) => void;
}

function sendTo(access: Access, programs: readonly Program[]): void {
  for (const p of programs) access.outputs.forEach((output) => output.send(programBytes(p)));
}

/** MIDI out through the browser. quarterBpm: of the clock that goes out; null: none does. */
export function useMidi(quarterBpm: number | null): Midi {
  const [state, setState] = useState<Midi["state"]>(
    "requestMIDIAccess" in navigator ? "off" : "unable",
  );
  const [outputs, setOutputs] = useState<string[]>([]);
  const [access, setAccess] = useState<Access | null>(null);
  const ask = (due: readonly Program[]) => {
    if (state !== "off" && state !== "refused") return;
    setState("asking");
    navigator
      .requestMIDIAccess()
      .then((found) => {
        const names = () => setOutputs([...found.outputs.values()].map((o) => o.name ?? "unnamed"));
        found.addEventListener("statechange", names);
        names();
        sendTo(found, due);
        setAccess(found);
        setState("on");
      })
      .catch(() => setState("refused"));
  };
  useEffect(() => {
    if (quarterBpm === null || !access) return;
    const all = (bytes: number[], at?: number) =>
      access.outputs.forEach((output) => output.send(bytes, at));
    let next = performance.now();
    all(STARTS);
    const run = () => {
      const [due, after] = clocksDue(next, performance.now() + AHEAD_MS, quarterBpm);
      next = after;
      for (const at of due) all(TICK, at);
    };
    run();
    const timer = setInterval(run, EVERY_MS);
    return () => {
      clearInterval(timer);
      all(STOPS);
    };
  }, [access, quarterBpm]);
  const send = useSteady((programs: readonly Program[]) => {
    if (access) sendTo(access, programs);
  });
  return { state, access, outputs, ask, send };
}

const AHEAD_MS = 150;
const EVERY_MS = 50;

/** Foot switches and taps that come in, also from what is plugged in later. */
export function useMidiIn(access: Access | null, act: (meaning: Meaning) => void): void {
  const steady = useSteady(act);
  useEffect(() => {
    if (!access) return;
    const hear = ({ data }: MIDIMessageEvent) => {
      const meaning = data && midiMeans(data);
      if (meaning) steady(meaning);
    };
    const listen = () => {
      for (const input of access.inputs.values()) input.onmidimessage = hear;
    };
    listen();
    access.addEventListener("statechange", listen);
    return () => {
      access.removeEventListener("statechange", listen);
      for (const input of access.inputs.values()) input.onmidimessage = null;
    };
  }, [access, steady]);
}
