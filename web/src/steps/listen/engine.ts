/**
 * Plays several sounds on one clock, each as stems with gains of their own, one of them heard.
 *
 * Switching and every change of a gain fades over 12 ms and never stops a source, so there is no gap
 * and no click. What is heard goes through mono, swap and polarity, a fade-in, and a limiter that
 * lets nothing above -1 dBFS out. Nothing here raises a level but the gains that are given.
 */

export const SWITCH_S = 0.012;
const FADE_IN_S = 0.4;
const FADE_OUT_S = 0.06;
const CEILING = 0.89;
const EXAGGERATED = 0.25;

export interface Voice {
  /** One buffer a stem, all of one length. */
  stems: AudioBuffer[];
  /** Linear gain of each stem. */
  gains: number[];
  wet: boolean[];
  /** Linear gain of the whole, at most 1. */
  match: number;
}

export interface Toggles {
  mono: boolean;
  swap: boolean;
  flip: boolean;
  /** Another voice is taken away from the heard one. */
  difference: string | null;
  /** Only this stem is heard. */
  solo: number | null;
  exaggerate: boolean;
}

export const PLAIN: Toggles = {
  mono: false,
  swap: false,
  flip: false,
  difference: null,
  solo: null,
  exaggerate: false,
};

interface Playing {
  sources: AudioBufferSourceNode[];
  stems: GainNode[];
  out: GainNode;
}

export interface Reading {
  peak: number;
  correlation: number;
}

export class Engine {
  private voices = new Map<string, Voice>();
  private playing = new Map<string, Playing>();
  private readonly master: GainNode;
  private readonly entry: GainNode;
  private readonly matrix: GainNode[];
  private readonly meters: AnalyserNode[];
  private toggles = PLAIN;
  private heard = "";
  private loop: { from: number; to: number } | null = null;
  private began = 0;
  private offset = 0;
  onEnd: () => void = () => undefined;

  constructor(readonly context: BaseAudioContext) {
    this.entry = context.createGain();
    this.entry.channelCount = 2;
    this.entry.channelCountMode = "explicit";
    this.master = context.createGain();
    this.master.gain.value = 0;
    const split = context.createChannelSplitter(2);
    const merge = context.createChannelMerger(2);
    this.entry.connect(split);
    // Left to left, right to left, left to right, right to right.
    this.matrix = [0, 1, 2, 3].map((i) => {
      const gain = context.createGain();
      gain.gain.value = i === 0 || i === 3 ? 1 : 0;
      split.connect(gain, i % 2);
      gain.connect(merge, 0, i < 2 ? 0 : 1);
      return gain;
    });
    merge.connect(this.master);
    const limit = context.createWaveShaper();
    limit.curve = Float32Array.from({ length: 4097 }, (_, i) =>
      Math.max(-CEILING, Math.min(CEILING, i / 2048 - 1)),
    );
    this.master.connect(limit);
    limit.connect(context.destination);
    const sides = context.createChannelSplitter(2);
    limit.connect(sides);
    this.meters = [0, 1].map((side) => {
      const meter = context.createAnalyser();
      meter.fftSize = 4096;
      sides.connect(meter, side);
      return meter;
    });
  }

  get isPlaying(): boolean {
    return this.playing.size > 0;
  }

  get hearing(): string {
    return this.heard;
  }

  has(name: string): boolean {
    return this.voices.has(name);
  }

  set(name: string, voice: Voice): void {
    this.voices.set(name, { ...voice, match: Math.min(1, voice.match) });
  }

  /** Start all voices together, one of them heard, from so many seconds in. */
  play(heard: string, offset: number, loop: { from: number; to: number } | null): void {
    this.halt();
    const now = this.context.currentTime;
    const at = now + 0.02;
    this.heard = heard;
    this.loop = loop;
    this.offset = offset;
    this.began = at;
    let longest: AudioBufferSourceNode | null = null;
    for (const [name, voice] of this.voices) {
      const out = this.context.createGain();
      out.gain.value = this.level(name);
      out.connect(this.entry);
      const stems: GainNode[] = [];
      const sources = voice.stems.map((buffer, i) => {
        const source = this.context.createBufferSource();
        const gain = this.context.createGain();
        gain.gain.value = this.stemGain(name, i);
        source.buffer = buffer;
        if (loop) {
          source.loop = true;
          source.loopStart = loop.from;
          source.loopEnd = Math.min(loop.to, buffer.duration);
        }
        source.connect(gain).connect(out);
        source.start(at, offset);
        stems.push(gain);
        if (!longest || buffer.duration > longest.buffer!.duration) longest = source;
        return source;
      });
      this.playing.set(name, { sources, stems, out });
    }
    const last = longest as AudioBufferSourceNode | null;
    if (last) {
      last.onended = () => {
        if (this.playing.size && [...this.playing.values()].some((p) => p.sources.includes(last)))
          this.stop();
      };
    }
    // Silent until the sources have begun, then up: their first sample is no click.
    this.master.gain.cancelScheduledValues(now);
    this.master.gain.setValueAtTime(0, at);
    this.master.gain.linearRampToValueAtTime(1, at + FADE_IN_S);
  }

  /** Loop, or play through, from now on. */
  setLoop(loop: { from: number; to: number } | null): void {
    if (this.playing.size) {
      // Where it is stays where it is: time is counted from here on.
      this.offset = this.position();
      this.began = this.context.currentTime;
    }
    this.loop = loop;
    for (const { sources } of this.playing.values())
      for (const source of sources) {
        source.loop = loop !== null;
        source.loopStart = loop?.from ?? 0;
        source.loopEnd = loop ? Math.min(loop.to, source.buffer!.duration) : 0;
      }
  }

  /** Forget sounds whose name begins so. */
  forget(start: string): void {
    for (const name of [...this.voices.keys()])
      if (name.startsWith(start)) this.voices.delete(name);
  }

  /** Be heard instead of the one that is. */
  hear(name: string): void {
    this.heard = name;
    this.settle();
  }

  setToggles(toggles: Toggles): void {
    this.toggles = toggles;
    this.settle();
  }

  setMatch(name: string, match: number): void {
    const voice = this.voices.get(name);
    if (voice) voice.match = Math.min(1, match);
    this.settle();
  }

  setGains(name: string, gains: number[]): void {
    const voice = this.voices.get(name);
    if (voice) voice.gains = gains;
    this.settle();
  }

  stop(): void {
    if (!this.playing.size) return;
    this.offset = this.position();
    this.fade(this.master.gain, 0, FADE_OUT_S);
    const end = this.context.currentTime + FADE_OUT_S + 0.01;
    for (const { sources } of this.playing.values()) for (const s of sources) s.stop(end);
    this.playing.clear();
    this.onEnd();
  }

  /** Seconds into the sounds. */
  position(): number {
    if (!this.playing.size) return this.offset;
    const past = this.offset + Math.max(0, this.context.currentTime - this.began);
    if (!this.loop || past < this.loop.to) return past;
    const length = Math.max(0.01, this.loop.to - this.loop.from);
    return this.loop.from + ((past - this.loop.from) % length);
  }

  /** Which lap of the loop, from 1. */
  lap(): number {
    if (!this.loop || !this.playing.size) return 1;
    const past = this.offset + Math.max(0, this.context.currentTime - this.began);
    const length = Math.max(0.01, this.loop.to - this.loop.from);
    return 1 + Math.max(0, Math.floor((past - this.loop.from) / length));
  }

  read(): Reading {
    const [left, right] = this.meters.map((meter) => {
      const samples = new Float32Array(meter.fftSize);
      meter.getFloatTimeDomainData(samples);
      return samples;
    });
    let peak = 0;
    let ll = 0;
    let rr = 0;
    let lr = 0;
    for (let i = 0; i < left!.length; i++) {
      const l = left![i]!;
      const r = right![i]!;
      peak = Math.max(peak, Math.abs(l), Math.abs(r));
      ll += l * l;
      rr += r * r;
      lr += l * r;
    }
    const both = Math.sqrt(ll * rr);
    return { peak, correlation: both > 1e-9 ? lr / both : 0 };
  }

  private halt(): void {
    for (const { sources, out } of this.playing.values()) {
      for (const source of sources) {
        source.onended = null;
        source.stop();
      }
      out.disconnect();
    }
    this.playing.clear();
  }

  private level(name: string): number {
    const voice = this.voices.get(name);
    if (!voice) return 0;
    if (name === this.heard) return voice.match;
    return name === this.toggles.difference ? -voice.match : 0;
  }

  private stemGain(name: string, index: number): number {
    const voice = this.voices.get(name);
    if (!voice) return 0;
    const { solo, exaggerate } = this.toggles;
    if (solo !== null && solo !== index && solo < voice.stems.length) return 0;
    // Only ever downwards: what is dry is turned down, so that what the effect does stands out.
    const down = exaggerate && !voice.wet[index] && voice.wet.some(Boolean) ? EXAGGERATED : 1;
    return (voice.gains[index] ?? 1) * down;
  }

  private settle(): void {
    for (const [name, { out, stems }] of this.playing) {
      this.fade(out.gain, this.level(name), SWITCH_S);
      stems.forEach((gain, i) => this.fade(gain.gain, this.stemGain(name, i), SWITCH_S));
    }
    const { mono, swap, flip } = this.toggles;
    const sign = flip ? -1 : 1;
    let wanted = swap ? [0, sign, 1, 0] : [1, 0, 0, sign];
    if (mono) {
      const half = [(wanted[0]! + wanted[2]!) / 2, (wanted[1]! + wanted[3]!) / 2];
      wanted = [half[0]!, half[1]!, half[0]!, half[1]!];
    }
    wanted.forEach((value, i) => this.fade(this.matrix[i]!.gain, value, SWITCH_S));
  }

  private fade(param: AudioParam, to: number, seconds: number): void {
    const now = this.context.currentTime;
    param.cancelScheduledValues(now);
    param.setValueAtTime(param.value, now);
    param.linearRampToValueAtTime(to, now + seconds);
  }
}

/** A file with stems side by side, as one buffer a stem. */
export async function loadStems(
  context: BaseAudioContext,
  url: string,
  stems: number,
): Promise<AudioBuffer[]> {
  const response = await fetch(url);
  if (!response.ok) throw new Error(url);
  const whole = await context.decodeAudioData(await response.arrayBuffer());
  if (stems <= 1) return [whole];
  const channels = Math.max(1, Math.floor(whole.numberOfChannels / stems));
  return Array.from({ length: stems }, (_, i) => {
    const part = context.createBuffer(channels, whole.length, whole.sampleRate);
    for (let c = 0; c < channels; c++)
      part.copyToChannel(whole.getChannelData(i * channels + c), c);
    return part;
  });
}
