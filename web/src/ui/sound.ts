/** Plays one rendered sound at a time: never above unity, faded in and out, one key stops it. */

import { playOnly } from "./only";

const FADE_IN_S = 0.08;
const FADE_OUT_S = 0.06;

export class Sounding {
  private context: AudioContext | null = null;
  private current: { source: AudioBufferSourceNode; gain: GainNode } | null = null;

  constructor(private readonly onEnd: () => void) {}

  /** Start a WAV file; whatever sounded before fades out. */
  async play(data: ArrayBuffer, loop: boolean): Promise<void> {
    this.context ??= new AudioContext();
    await this.context.resume();
    const buffer = await this.context.decodeAudioData(data);
    this.stop();
    playOnly(this.end);
    const gain = this.context.createGain();
    const now = this.context.currentTime;
    gain.gain.setValueAtTime(0, now);
    gain.gain.linearRampToValueAtTime(1, now + FADE_IN_S);
    const source = this.context.createBufferSource();
    source.buffer = buffer;
    source.loop = loop;
    source.connect(gain).connect(this.context.destination);
    const mine = { source, gain };
    source.onended = () => {
      if (this.current !== mine) return;
      this.current = null;
      this.onEnd();
    };
    source.start();
    this.current = mine;
  }

  private readonly end = () => this.stop();

  get playing(): boolean {
    return this.current !== null;
  }

  stop(): void {
    const { context, current } = this;
    if (!context || !current) return;
    this.current = null;
    const now = context.currentTime;
    current.gain.gain.cancelScheduledValues(now);
    current.gain.gain.setValueAtTime(current.gain.gain.value, now);
    current.gain.gain.linearRampToValueAtTime(0, now + FADE_OUT_S);
    current.source.stop(now + FADE_OUT_S + 0.01);
    this.onEnd();
  }

  /** Put away; it can play again after. */
  close(): void {
    this.stop();
    void this.context?.close();
    this.context = null;
  }
}

/** Save bytes under a name, as a link would. */
export function saveAs(data: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
