/**
 * Plays several sounds on one clock, each as stems with gains of their own, one of them heard.
 *
 * Sounds are read in pieces a little ahead of the playhead and set end to end, sample to sample.
 * Switching, a change of a gain, a jump and a sound that takes another's place all fade over some
 * milliseconds, so there is no gap and no click. What is heard goes through mono, swap and polarity,
 * a fade-in, and is clipped at -1 dBFS, below which nothing is changed. Nothing here raises a level
 * but the gains that are given.
 */
import type { Samples, Streamed } from "./stream";
import { PLAIN, type Toggles } from "./toggles";

export const SWITCH_S = 0.012;
const FADE_IN_S = 0.4;
const FADE_OUT_S = 0.06;
const REPLACE_S = 0.05;
/** -1 dBFS. */
export const CEILING = 10 ** (-1 / 20);
const EXAGGERATED = 0.25;
const START_S = 0.06;
/** A piece that is over within this time is not enough to begin with. */
const SOON_S = 0.7;
const AHEAD_S = 2.5;
const PUMP_MS = 200;
const MOST_LATE_S = 0.05;

export interface Voice {
  sound: Streamed;
  /** Linear gain of each stem. */
  gains: number[];
  wet: boolean[];
  /** Sources that are heard in each stem. */
  sources?: readonly (readonly string[])[];
  /** Linear gain of the whole, at most 1. */
  match: number;
  /** Seconds by which each stem is held back; none where it is left out. */
  late?: number[] | null;
}

export interface Loop {
  from: number;
  to: number;
}

export interface Reading {
  peak: number;
  correlation: number;
  /** Loudness of the last 400 ms of what is heard. */
  momentary: number | null;
  /** Whether it is clipped. */
  clips: boolean;
}

/** One voice at work: what was set going, and up to when. */
interface Player {
  voice: Voice;
  out: GainNode;
  stems: GainNode[];
  /** Of stems that are held back. */
  delays: (DelayNode | undefined)[];
  sources: { node: AudioBufferSourceNode; end: number }[];
  /** Frames of the context up to which all is set going. */
  until: number;
  missing: boolean;
}

/** Voices that started together: where in the sound they were at which frame of the context. */
interface Deck {
  gain: GainNode;
  players: Map<string, Player>;
  frame: number;
  offset: number;
  loop: Loop | null;
}

/** Frames into a sound that stands at `offset` frames and loops, after so many more. */
export function placeAfter(
  offset: number,
  passed: number,
  loop: { from: number; to: number } | null,
): number {
  const past = offset + Math.max(0, passed);
  if (!loop || past < loop.to) return past;
  const length = Math.max(1, loop.to - loop.from);
  return loop.from + ((past - loop.from) % length);
}

export class Engine {
  private voices = new Map<string, Voice>();
  private deck: Deck | null = null;
  private readonly master: GainNode;
  private readonly entry: GainNode;
  private readonly matrix: GainNode[];
  private readonly meters: AnalyserNode[];
  private readonly weighted: AnalyserNode[];
  private toggles = PLAIN;
  private heard = "";
  private offset = 0;
  private timer: ReturnType<typeof setInterval> | undefined;
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
    // A shaper is straight up to 1 and flat beyond: scaled, it clips at the ceiling and nowhere below.
    const before = context.createGain();
    before.gain.value = 1 / CEILING;
    const clip = context.createWaveShaper();
    clip.curve = Float32Array.from([-1, 0, 1]);
    const after = context.createGain();
    after.gain.value = CEILING;
    this.master.connect(before);
    before.connect(clip);
    clip.connect(after);
    after.connect(context.destination);
    const sides = context.createChannelSplitter(2);
    after.connect(sides);
    this.meters = [0, 1].map((side) => {
      const meter = context.createAnalyser();
      meter.fftSize = 4096;
      sides.connect(meter, side);
      return meter;
    });
    // K-weighting, ITU-R BS.1770: a shelf of 4 dB and a low cut, near enough for a needle.
    this.weighted = [0, 1].map((side) => {
      const shelf = context.createBiquadFilter();
      shelf.type = "highshelf";
      shelf.frequency.value = 1681;
      shelf.gain.value = 4;
      const cut = context.createBiquadFilter();
      cut.type = "highpass";
      cut.frequency.value = 38;
      cut.Q.value = -6;
      const meter = context.createAnalyser();
      meter.fftSize = 32768;
      sides.connect(shelf, side);
      shelf.connect(cut);
      cut.connect(meter);
      return meter;
    });
  }

  get isPlaying(): boolean {
    return this.deck !== null;
  }

  get hearing(): string {
    return this.heard;
  }

  /** Whether what was to be played had not come in time. */
  get waits(): boolean {
    return this.deck?.players.get(this.heard)?.missing ?? false;
  }

  has(name: string): boolean {
    return this.voices.has(name);
  }

  set(name: string, voice: Voice): void {
    this.voices.set(name, { ...voice, match: Math.min(1, voice.match) });
    if (this.deck) this.swapIn(name);
  }

  /** The first piece of every voice at a place, so that a start there has no gap. */
  async prepare(offset: number): Promise<void> {
    await Promise.all(
      [...this.voices.values()].map(({ sound }) =>
        sound.load(Math.floor((offset * sound.rate) / sound.piece)),
      ),
    );
  }

  /** Start all voices together, one of them heard, from so many seconds in; a jump where it plays. */
  play(heard: string, offset: number, loop: Loop | null): void {
    const jump = this.deck;
    const now = this.context.currentTime;
    this.heard = heard;
    const frame = Math.ceil((now + START_S) * this.rate);
    const at = frame / this.rate;
    const gain = this.context.createGain();
    gain.connect(this.entry);
    this.deck = { gain, players: new Map(), frame, offset: Math.round(offset * this.rate), loop };
    for (const name of this.voices.keys()) this.begin(this.deck, name, frame, this.level(name));
    if (jump) {
      gain.gain.value = 0;
      gain.gain.setValueAtTime(0, at);
      gain.gain.linearRampToValueAtTime(1, at + SWITCH_S);
      this.leave(jump, at, SWITCH_S);
    } else {
      // Silent until the sources have begun, then up: their first sample is no click.
      this.master.gain.cancelScheduledValues(now);
      this.master.gain.setValueAtTime(0, at);
      this.master.gain.linearRampToValueAtTime(1, at + FADE_IN_S);
    }
    this.settle();
    this.pump();
    clearInterval(this.timer);
    this.timer = setInterval(() => this.pump(), PUMP_MS);
  }

  /** Loop, or play through, from now on: what is heard goes on without a seam. */
  setLoop(loop: Loop | null): void {
    const deck = this.deck;
    if (!deck) return;
    const frame = Math.ceil((this.context.currentTime + START_S) * this.rate);
    const place = this.placeAt(deck, frame);
    for (const player of deck.players.values()) {
      for (const { node, end } of player.sources) if (end > frame) node.stop(frame / this.rate);
      player.until = frame;
    }
    deck.offset = place;
    deck.frame = frame;
    deck.loop = loop;
    this.pump();
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
    if (voice) {
      if (this.deck && gains.some((g, i) => g !== voice.gains[i])) performance.mark(`gain ${name}`);
      voice.gains = gains;
    }
    this.settle();
  }

  /** Hold stems of a sound back by so many seconds each (up to 50 ms), or none of them. */
  setLate(name: string, late: number[] | null): void {
    const voice = this.voices.get(name);
    if (!voice) return;
    voice.late = late;
    for (const player of this.deck?.players.values() ?? [])
      if (player.voice === voice) this.holdBack(player);
  }

  private holdBack({ voice, stems, delays, out }: Player): void {
    stems.forEach((gain, i) => {
      const seconds = Math.min(MOST_LATE_S, Math.max(0, voice.late?.[i] ?? 0));
      if (!delays[i] && seconds === 0) return;
      if (!delays[i]) {
        const node = this.context.createDelay(MOST_LATE_S);
        gain.disconnect();
        gain.connect(node);
        node.connect(out);
        delays[i] = node;
      }
      this.fade(delays[i].delayTime, seconds, SWITCH_S);
    });
  }

  stop(): void {
    const deck = this.deck;
    if (!deck) return;
    this.offset = this.position();
    this.deck = null;
    clearInterval(this.timer);
    this.fade(this.master.gain, 0, FADE_OUT_S);
    this.leave(deck, this.context.currentTime + FADE_OUT_S, 0.01);
    this.onEnd();
  }

  /** Seconds into the sounds. */
  position(): number {
    if (!this.deck) return this.offset;
    return this.placeAt(this.deck, this.context.currentTime * this.rate) / this.rate;
  }

  /** Which lap of the loop, from 1. */
  lap(): number {
    const deck = this.deck;
    if (!deck?.loop) return 1;
    const past = deck.offset / this.rate + this.context.currentTime - deck.frame / this.rate;
    const length = Math.max(0.01, deck.loop.to - deck.loop.from);
    return 1 + Math.max(0, Math.floor((past - deck.loop.from) / length));
  }

  read(): Reading {
    const [left, right] = this.meters.map(samplesOf);
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
    const count = Math.round(0.4 * this.rate);
    let power = 0;
    for (const samples of this.weighted.map(samplesOf)) {
      const some = samples.subarray(Math.max(0, samples.length - count));
      let sum = 0;
      for (const s of some) sum += s * s;
      power += some.length ? sum / some.length : 0;
    }
    return {
      peak,
      correlation: both > 1e-9 ? lr / both : 0,
      momentary: power > 1e-10 ? -0.691 + 10 * Math.log10(power) : null,
      clips: peak > CEILING - 1e-4,
    };
  }

  private get rate(): number {
    return this.context.sampleRate;
  }

  private frames(loop: Loop | null) {
    return loop && { from: Math.round(loop.from * this.rate), to: Math.round(loop.to * this.rate) };
  }

  private placeAt(deck: Deck, frame: number): number {
    return placeAfter(deck.offset, frame - deck.frame, this.frames(deck.loop));
  }

  private begin(deck: Deck, name: string, frame: number, level: number): Player {
    const voice = this.voices.get(name)!;
    const out = this.context.createGain();
    out.gain.value = level;
    out.connect(deck.gain);
    const stems = voice.gains.map((_, i) => {
      const gain = this.context.createGain();
      gain.gain.value = this.stemGain(voice, i);
      gain.connect(out);
      return gain;
    });
    const player: Player = {
      voice,
      out,
      stems,
      delays: [],
      sources: [],
      until: frame,
      missing: false,
    };
    this.holdBack(player);
    deck.players.set(name, player);
    return player;
  }

  /** A sound that takes another's place while it plays: heard from its first piece on. */
  private swapIn(name: string): void {
    const deck = this.deck!;
    const voice = this.voices.get(name)!;
    const { sound } = voice;
    const place = this.placeAt(deck, this.context.currentTime * this.rate);
    const near = Math.floor(place / sound.piece);
    // What follows is waited for only where this piece is over before it could come.
    const rest = (near + 1) * sound.piece - place;
    const next = sound.load(near + 1);
    next.catch(() => undefined);
    void Promise.all([sound.load(near), ...(rest < SOON_S * this.rate ? [next] : [])])
      .then(() => {
        if (this.deck !== deck || this.voices.get(name) !== voice) return;
        const frame = Math.ceil((this.context.currentTime + START_S) * this.rate);
        const at = frame / this.rate;
        const old = deck.players.get(name);
        const player = this.begin(deck, name, frame, 0);
        player.out.gain.setValueAtTime(0, at);
        player.out.gain.linearRampToValueAtTime(this.level(name), at + REPLACE_S);
        if (old) {
          old.out.gain.cancelScheduledValues(at);
          old.out.gain.setValueAtTime(old.out.gain.value, at);
          old.out.gain.linearRampToValueAtTime(0, at + REPLACE_S);
          this.end(old, at + REPLACE_S + 0.01);
        }
        this.pump();
        performance.mark(`heard ${name}`);
      })
      .catch(() => undefined);
  }

  private end(player: Player, at: number): void {
    for (const { node } of player.sources) node.stop(at);
    player.sources = [];
  }

  private leave(deck: Deck, at: number, seconds: number): void {
    deck.gain.gain.cancelScheduledValues(at);
    deck.gain.gain.setValueAtTime(deck.gain.gain.value, at);
    deck.gain.gain.linearRampToValueAtTime(0, at + seconds);
    for (const player of deck.players.values()) this.end(player, at + seconds + 0.01);
  }

  /** Set going what comes next, of every voice, up to a little ahead. */
  pump(ahead = AHEAD_S): void {
    const deck = this.deck;
    if (!deck) return;
    const now = this.context.currentTime * this.rate;
    const goal = now + ahead * this.rate;
    let longest = 0;
    for (const player of deck.players.values()) {
      longest = Math.max(longest, player.voice.sound.frames);
      player.sources = player.sources.filter(({ end }) => end > now);
      this.feed(deck, player, now, goal);
    }
    if (!deck.loop && this.placeAt(deck, now) >= longest && longest > 0) this.stop();
  }

  private feed(deck: Deck, player: Player, now: number, goal: number): void {
    const { sound } = player.voice;
    const loop = this.frames(deck.loop);
    const soonest = Math.ceil(now + (START_S / 2) * this.rate);
    while (player.until < goal) {
      // What came too late is left out, so that all voices stay at one time.
      player.until = Math.max(player.until, player.until < now ? soonest : player.until);
      const place = this.placeAt(deck, player.until);
      const stop = loop && place < loop.to ? loop.to : sound.frames;
      const index = Math.floor(place / sound.piece);
      const within = place - index * sound.piece;
      const count = Math.min(sound.piece - within, stop - place);
      if (count <= 0) {
        // Past its end: silent until a loop comes round.
        if (!loop) return;
        player.until += Math.max(1, loop.to - place);
        continue;
      }
      const samples = place >= sound.frames ? null : sound.ready(index);
      if (samples === undefined) {
        player.missing = player.until < now + 0.1 * this.rate;
        return;
      }
      player.missing = false;
      if (samples) this.start(player, samples, within, count);
      player.until += count;
      sound.ready(Math.floor(this.placeAt(deck, player.until) / sound.piece));
    }
  }

  private start(player: Player, samples: Samples, within: number, count: number): void {
    samples.forEach((channels, i) => {
      const some = channels.map((c) => c.subarray(within, within + count));
      const length = some[0]?.length ?? 0;
      const gain = player.stems[i];
      if (!length || !gain) return;
      const buffer = this.context.createBuffer(some.length, length, this.rate);
      some.forEach((c, side) => buffer.copyToChannel(c as Float32Array<ArrayBuffer>, side));
      const node = this.context.createBufferSource();
      node.buffer = buffer;
      node.connect(gain);
      node.start(player.until / this.rate);
      player.sources.push({ node, end: player.until + length });
    });
  }

  private level(name: string, voice = this.voices.get(name)): number {
    if (!voice) return 0;
    if (name === this.heard) return voice.match;
    return name === this.toggles.difference ? -voice.match : 0;
  }

  private stemGain(voice: Voice, index: number): number {
    const { solo, exaggerate, silent } = this.toggles;
    if (solo !== null && solo !== index && solo < voice.gains.length) return 0;
    const here = voice.sources?.[index] ?? [];
    // What several sources share is silent only if all of them are.
    if (here.length && here.every((s) => silent.includes(s))) return 0;
    // Only ever downwards: what is dry is turned down, so that what the effect does stands out.
    const down = exaggerate && !voice.wet[index] && voice.wet.some(Boolean) ? EXAGGERATED : 1;
    return (voice.gains[index] ?? 1) * down;
  }

  private settle(): void {
    for (const [name, { out, stems, voice }] of this.deck?.players ?? []) {
      this.fade(out.gain, this.level(name, voice), SWITCH_S);
      stems.forEach((gain, i) => this.fade(gain.gain, this.stemGain(voice, i), SWITCH_S));
    }
    const { mono, swap, left, right } = this.toggles;
    const [l, r] = [left ? -1 : 1, right ? -1 : 1];
    // What leaves by the left, then by the right: polarity is that of the side it is heard on.
    let wanted = swap ? [0, l, r, 0] : [l, 0, 0, r];
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

function samplesOf(meter: AnalyserNode): Float32Array {
  const samples = new Float32Array(meter.fftSize);
  meter.getFloatTimeDomainData(samples);
  return samples;
}
