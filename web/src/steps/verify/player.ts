/**
 * Plays A, the matched B and the residual from one clock and switches between them without a gap.
 * Nothing plays louder than it is: the start fades in, the residual's raise is limited by what the
 * core allows, and the whole is turned down where a peak would pass full scale.
 */

import { residualLevels, type Sums, sumsOf } from "./balance";

export type Voice = "a" | "b" | "residual";
export const VOICES: Voice[] = ["a", "b", "residual"];

const SWITCH_S = 0.012;
const FADE_IN_S = 0.6;
const FADE_OUT_S = 0.06;
const CEILING = 0.89;

function peakOf(buffer: AudioBuffer): number {
  let peak = 0;
  for (let c = 0; c < buffer.numberOfChannels; c++) {
    for (const sample of buffer.getChannelData(c)) peak = Math.max(peak, Math.abs(sample));
  }
  return peak;
}

export class Player {
  private context = new AudioContext();
  private master = this.context.createGain();
  private gains = new Map<Voice, GainNode>();
  private sources: AudioBufferSourceNode[] = [];
  private buffers = new Map<Voice, AudioBuffer>();
  private peaks = new Map<Voice, number>();
  private began = 0;
  private offset = 0;
  private voice: Voice = "a";
  private raise = 0;
  private trim = 1;
  /** Of the loaded excerpt: what a trim leaves is known from these. */
  sums: Sums | null = null;
  playing = false;

  constructor() {
    this.master.connect(this.context.destination);
  }

  async load(urls: Record<Voice, string>): Promise<void> {
    await Promise.all(
      VOICES.map(async (voice) => {
        const response = await fetch(urls[voice]);
        if (!response.ok) throw new Error("no audio");
        const data = await response.arrayBuffer();
        this.buffers.set(voice, await this.context.decodeAudioData(data));
      }),
    );
    const channels = (voice: Voice) => {
      const buffer = this.buffers.get(voice)!;
      return Array.from({ length: buffer.numberOfChannels }, (_, c) => buffer.getChannelData(c));
    };
    this.sums = sumsOf(channels("a"), channels("b"));
    for (const voice of VOICES) this.peaks.set(voice, peakOf(this.buffers.get(voice)!));
  }

  /** The level that each sound gets for a voice: unity, or less where a peak would pass full scale. */
  private levels(): Record<Voice, number> {
    const peak = (voice: Voice) => this.peaks.get(voice) ?? 0;
    if (this.voice !== "residual") {
      const level = Math.min(1, CEILING / Math.max(peak("a"), peak("b"), 1e-9));
      return { a: 0, b: 0, residual: 0, [this.voice]: level };
    }
    return residualLevels(
      this.raise,
      this.trim,
      { a: peak("a"), b: peak("b"), residual: peak("residual") },
      CEILING,
    );
  }

  /** B louder or softer than matched, as a factor: what is heard of the residual follows. */
  balance(trim: number): void {
    this.trim = trim;
    if (this.playing && this.voice === "residual") this.glide();
  }

  private glide(): void {
    const now = this.context.currentTime;
    const levels = this.levels();
    for (const name of VOICES) {
      const gain = this.gains.get(name)!.gain;
      gain.cancelScheduledValues(now);
      gain.setValueAtTime(gain.value, now);
      gain.linearRampToValueAtTime(levels[name], now + SWITCH_S);
    }
  }

  async play(voice: Voice, raiseDb: number): Promise<void> {
    this.stop();
    await this.context.resume();
    this.voice = voice;
    this.raise = raiseDb;
    const now = this.context.currentTime + 0.02;
    this.master.gain.cancelScheduledValues(now);
    this.master.gain.setValueAtTime(0, now);
    this.master.gain.linearRampToValueAtTime(1, now + FADE_IN_S);
    const levels = this.levels();
    for (const name of VOICES) {
      const source = this.context.createBufferSource();
      const gain = this.context.createGain();
      source.buffer = this.buffers.get(name)!;
      source.loop = true;
      gain.gain.value = levels[name];
      source.connect(gain).connect(this.master);
      source.start(now, this.offset);
      this.gains.set(name, gain);
      this.sources.push(source);
    }
    this.began = now - this.offset;
    this.playing = true;
  }

  /** Change over in a few milliseconds; all three run on, so no time is lost. */
  switchTo(voice: Voice, raiseDb: number): void {
    const leavingResidual = this.voice === "residual" && voice !== "residual";
    this.voice = voice;
    this.raise = raiseDb;
    if (!this.playing) return;
    const now = this.context.currentTime;
    this.glide();
    // Ears and monitors are set for a quiet residual: what follows it comes in slowly.
    if (leavingResidual || voice === "residual") {
      this.master.gain.cancelScheduledValues(now);
      this.master.gain.setValueAtTime(leavingResidual ? 0.1 : this.master.gain.value, now);
      this.master.gain.linearRampToValueAtTime(1, now + FADE_IN_S);
    }
  }

  stop(): void {
    if (!this.playing) return;
    const now = this.context.currentTime;
    const length = this.buffers.get("a")?.duration ?? 1;
    this.offset = Math.max(0, now - this.began) % length;
    this.master.gain.cancelScheduledValues(now);
    this.master.gain.setValueAtTime(this.master.gain.value, now);
    this.master.gain.linearRampToValueAtTime(0, now + FADE_OUT_S);
    for (const source of this.sources) source.stop(now + FADE_OUT_S + 0.01);
    this.sources = [];
    this.gains.clear();
    this.playing = false;
  }

  /** Seconds into the excerpt. */
  position(): number {
    const length = this.buffers.get("a")?.duration ?? 1;
    if (!this.playing) return this.offset;
    return Math.max(0, this.context.currentTime - this.began) % length;
  }

  close(): void {
    this.stop();
    void this.context.close();
  }
}
