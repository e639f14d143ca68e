/** MIDI as it goes over the wire: program changes and clock out, foot switches and taps in. */
import type { Schemas } from "../../api/client";
import type { Meaning } from "./cards";

export type Program = Schemas["Program"];

export const CLOCKS_A_QUARTER = 24;
const [CLOCK, START, STOP] = [0xf8, 0xfa, 0xfc];
export const STARTS = [START];
export const STOPS = [STOP];
export const TICK = [CLOCK];

/** Channels are counted from 1, programs from 0, as they are sent. */
export const programBytes = (p: Program): number[] => [0xc0 | (p.channel - 1), p.program];

/** Clocks that are due before `until`, from the one due at `next`; and the one after them. */
export function clocksDue(next: number, until: number, quarterBpm: number): [number[], number] {
  const step = 60_000 / (quarterBpm * CLOCKS_A_QUARTER);
  const due: number[] = [];
  let at = next;
  // A page that slept does not send all that it missed.
  if (at < until - 1000) at = until - 1000;
  for (; at < until; at += step) due.push(at);
  return [due, at];
}

const PEDAL = 64;

/** What comes in: a controller that is pressed is a foot switch, a note is a tap. */
export function midiMeans(bytes: ArrayLike<number>): Meaning | null {
  const [status = 0, , value = 0] = Array.from(bytes);
  const sort = status & 0xf0;
  if (sort === 0xb0 && value >= PEDAL) return "next";
  if (sort === 0x90 && value > 0) return "tap";
  return null;
}

/** 'program 12 on channel 1': as it is sent; many devices count from 1. */
export const programWords = (p: Program) =>
  `program ${p.program} on channel ${p.channel} (${p.program + 1} where counted from 1)`;
