/** Plays one rendered sound at a time: never above unity, faded in and out, one key stops it. */

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

const SWITCH_S = 0.012;
const CEILING = 0.89;

/**
 * Several sounds on one clock, one of them heard; switching fades across without a gap. Each has a
 * gain of at most unity, given from outside; a peak above full scale turns all of them down alike.
 */
export class SideBySide {
  private context: AudioContext | null = null;
  private voices = new Map<string, { source: AudioBufferSourceNode; gain: GainNode }>();
  private buffers = new Map<string, AudioBuffer>();
  private master: GainNode | null = null;
  private sounding = "";

  constructor(private readonly onEnd: () => void) {}

  /** Whether these very sounds are playing, so that one of them can be switched to. */
  holds(urls: Record<string, string>): boolean {
    return this.voices.size > 0 && this.sounding === JSON.stringify(urls);
  }

  async load(urls: Record<string, string>): Promise<void> {
    this.context ??= new AudioContext();
    await this.context.resume();
    for (const [name, url] of Object.entries(urls)) {
      if (this.buffers.has(url)) continue;
      const response = await fetch(url);
      if (!response.ok) throw new Error(name);
      this.buffers.set(url, await this.context.decodeAudioData(await response.arrayBuffer()));
    }
  }

  /** Start all, one of them heard. gains: linear, 0 to 1. */
  play(urls: Record<string, string>, gains: Record<string, number>, heard: string): void {
    this.stop();
    const context = this.context!;
    const now = context.currentTime;
    let peak = 0;
    // The loudest peak of all at unity: whatever gain is switched to later stays below full scale.
    for (const url of Object.values(urls)) {
      const buffer = this.buffers.get(url)!;
      for (let c = 0; c < buffer.numberOfChannels; c++) {
        for (const s of buffer.getChannelData(c)) peak = Math.max(peak, Math.abs(s));
      }
    }
    this.sounding = JSON.stringify(urls);
    const master = context.createGain();
    master.gain.setValueAtTime(0, now);
    master.gain.linearRampToValueAtTime(Math.min(1, CEILING / Math.max(peak, 1e-9)), now + 0.4);
    master.connect(context.destination);
    this.master = master;
    let longest: AudioBufferSourceNode | null = null;
    for (const [name, url] of Object.entries(urls)) {
      const source = context.createBufferSource();
      source.buffer = this.buffers.get(url)!;
      const gain = context.createGain();
      gain.gain.setValueAtTime(name === heard ? Math.min(1, gains[name] ?? 1) : 0, now);
      source.connect(gain).connect(master);
      source.start(now + 0.02);
      this.voices.set(name, { source, gain });
      if (!longest || source.buffer.duration > longest.buffer!.duration) longest = source;
    }
    if (longest) {
      longest.onended = () => {
        if (this.master === master) this.stop();
      };
    }
  }

  switchTo(name: string, gains: Record<string, number>): void {
    if (!this.context || !this.voices.has(name)) return;
    const now = this.context.currentTime;
    for (const [one, { gain }] of this.voices) {
      const to = one === name ? Math.min(1, gains[one] ?? 1) : 0;
      gain.gain.cancelScheduledValues(now);
      gain.gain.setValueAtTime(gain.gain.value, now);
      gain.gain.linearRampToValueAtTime(to, now + SWITCH_S);
    }
  }

  stop(): void {
    const { context, master } = this;
    if (!context || !master) return;
    const now = context.currentTime;
    this.master = null;
    master.gain.cancelScheduledValues(now);
    master.gain.setValueAtTime(master.gain.value, now);
    master.gain.linearRampToValueAtTime(0, now + FADE_OUT_S);
    for (const { source } of this.voices.values()) source.stop(now + FADE_OUT_S + 0.01);
    this.voices.clear();
    this.onEnd();
  }

  close(): void {
    this.stop();
    this.buffers.clear();
    void this.context?.close();
    this.context = null;
  }
}
