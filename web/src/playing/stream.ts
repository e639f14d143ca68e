/**
 * Sounds that are read piece by piece: nothing is held but what lies near the playhead.
 *
 * A piece is a second and a half of all stems. A file's pieces are asked for by ranges of bytes, so
 * that an hour takes no more memory than a minute.
 */

export const PIECE_S = 1.5;
const MOST_PIECES = 8;
const HEAD_BYTES = 4096;

/** Planar samples: stems, their channels, frames. */
export type Samples = Float32Array[][];

export interface Streamed {
  readonly rate: number;
  readonly stems: number;
  readonly frames: number;
  /** Frames of a piece; the last one is shorter. */
  readonly piece: number;
  /** A piece, if it is here; it is asked for where it is not. */
  ready(index: number): Samples | undefined;
  /** A piece as soon as it is here. Fails where it cannot be read. */
  load(index: number): Promise<Samples>;
}

/** What a float WAV says of itself. */
export interface Layout {
  rate: number;
  channels: number;
  /** Where its samples begin, and how many bytes they take. */
  data: number;
  bytes: number;
}

/** The layout of a 32-bit float WAV or RF64 from its first bytes; size: of the whole file. */
export function layoutOf(head: DataView, size: number): Layout {
  const word = (at: number) =>
    String.fromCharCode(...[0, 1, 2, 3].map((i) => head.getUint8(at + i)));
  if (head.byteLength < 12 || !["RIFF", "RF64"].includes(word(0)) || word(8) !== "WAVE")
    throw new Error("The sound is no file that can be read here.");
  let at = 12;
  let rate = 0;
  let channels = 0;
  while (at + 8 <= head.byteLength) {
    const kind = word(at);
    const length = head.getUint32(at + 4, true);
    if (kind === "fmt ") {
      channels = head.getUint16(at + 10, true);
      rate = head.getUint32(at + 12, true);
      if (head.getUint16(at + 22, true) !== 32) break;
    }
    if (kind === "data" && channels)
      return {
        rate,
        channels,
        data: at + 8,
        // Of a file past 4 GB the size stands elsewhere: to its end, then.
        bytes: Math.min(length === 0xffffffff ? size : length, size - at - 8),
      };
    at += 8 + length + (length % 2);
  }
  throw new Error("The sound is no file that can be read here.");
}

/** Interleaved samples as stems of one or two channels each. */
export function planar(data: Float32Array, stems: number, channels: number): Samples {
  const wide = stems * channels;
  const frames = Math.floor(data.length / wide);
  return Array.from({ length: stems }, (_, stem) =>
    Array.from({ length: channels }, (_, side) => {
      const out = new Float32Array(frames);
      for (let i = 0, at = stem * channels + side; i < frames; i++, at += wide) out[i] = data[at]!;
      return out;
    }),
  );
}

type Fetch = (
  url: string,
  from: number,
  to: number,
) => Promise<{ bytes: ArrayBuffer; size: number }>;

/** Bytes of a file, and how many the whole has. */
export const fetchRange: Fetch = async (url, from, to) => {
  const response = await fetch(url, { headers: { Range: `bytes=${from}-${to - 1}` } });
  if (!response.ok) throw new Error("The sound could not be read. It may have been deleted.");
  const bytes = await response.arrayBuffer();
  const said = /\/(\d+)$/.exec(response.headers.get("Content-Range") ?? "");
  return { bytes, size: said ? Number(said[1]) : bytes.byteLength };
};

/** A float WAV behind an address, with so many stems side by side. */
export class WavStream implements Streamed {
  readonly piece: number;
  readonly frames: number;
  private readonly held = new Map<number, Samples>();
  private readonly coming = new Map<number, Promise<Samples>>();

  private constructor(
    private readonly url: string,
    private readonly layout: Layout,
    readonly stems: number,
    private readonly get: Fetch,
  ) {
    this.piece = Math.round(PIECE_S * layout.rate);
    this.frames = Math.floor(layout.bytes / (4 * layout.channels));
  }

  static async open(url: string, stems: number, get: Fetch = fetchRange): Promise<WavStream> {
    const { bytes, size } = await get(url, 0, HEAD_BYTES);
    return new WavStream(url, layoutOf(new DataView(bytes), size), Math.max(1, stems), get);
  }

  get rate(): number {
    return this.layout.rate;
  }

  ready(index: number): Samples | undefined {
    const found = this.held.get(index);
    if (found) {
      this.held.delete(index);
      this.held.set(index, found);
    } else void this.load(index).catch(() => undefined);
    return found;
  }

  load(index: number): Promise<Samples> {
    const found = this.held.get(index);
    if (found) return Promise.resolve(found);
    const asked = this.coming.get(index);
    if (asked) return asked;
    const wanted = this.fetched(index).finally(() => this.coming.delete(index));
    this.coming.set(index, wanted);
    return wanted;
  }

  private async fetched(index: number): Promise<Samples> {
    const wide = 4 * this.layout.channels;
    const first = Math.min(this.frames, index * this.piece);
    const last = Math.min(this.frames, first + this.piece);
    const channels = Math.max(1, Math.floor(this.layout.channels / this.stems));
    if (last <= first) return planar(new Float32Array(0), this.stems, channels);
    const { bytes } = await this.get(
      this.url,
      this.layout.data + first * wide,
      this.layout.data + last * wide,
    );
    const made = planar(new Float32Array(bytes), this.stems, channels);
    this.held.set(index, made);
    for (const old of this.held.keys()) {
      if (this.held.size <= MOST_PIECES) break;
      this.held.delete(old);
    }
    return made;
  }
}

/** A short sound that is in memory as a whole, as one stem. */
export class HeldSound implements Streamed {
  readonly stems: number;
  readonly piece: number;
  readonly frames: number;
  constructor(
    readonly rate: number,
    private readonly sound: Samples,
  ) {
    this.frames = sound[0]![0]!.length;
    this.piece = Math.max(1, this.frames);
    this.stems = sound.length;
  }
  ready(index: number): Samples | undefined {
    return index === 0 ? this.sound : this.sound.map((s) => s.map(() => new Float32Array(0)));
  }
  load(index: number): Promise<Samples> {
    return Promise.resolve(this.ready(index)!);
  }
}

/** A sound that begins later in the stretch than its first frame: an excerpt; silent around it. */
export class Later implements Streamed {
  readonly frames: number;
  constructor(
    private readonly inner: Streamed,
    private readonly late: number,
  ) {
    this.frames = inner.frames + late;
  }
  get rate() {
    return this.inner.rate;
  }
  get stems() {
    return this.inner.stems;
  }
  get piece() {
    return this.inner.piece;
  }
  private parts(index: number) {
    const from = index * this.piece - this.late;
    const first = Math.floor(from / this.piece);
    return { first, cut: from - first * this.piece };
  }
  private joined(one: Samples | undefined, two: Samples | undefined, cut: number): Samples {
    const some = one ?? two;
    const channels = some?.[0]?.length ?? 1;
    return Array.from({ length: this.stems }, (_, s) =>
      Array.from({ length: channels }, (_, c) => {
        const out = new Float32Array(this.piece);
        const a = one?.[s]?.[c]?.subarray(cut);
        if (a) out.set(a);
        const b = two?.[s]?.[c]?.subarray(0, cut);
        if (b) out.set(b, this.piece - cut);
        return out;
      }),
    );
  }
  ready(index: number): Samples | undefined {
    const { first, cut } = this.parts(index);
    const one = first >= 0 ? this.inner.ready(first) : undefined;
    const two = cut > 0 && first + 1 >= 0 ? this.inner.ready(first + 1) : undefined;
    if ((first >= 0 && !one) || (cut > 0 && first + 1 >= 0 && !two)) return undefined;
    return this.joined(one, two, cut);
  }
  async load(index: number): Promise<Samples> {
    const { first, cut } = this.parts(index);
    const one = first >= 0 ? await this.inner.load(first) : undefined;
    const two = cut > 0 && first + 1 >= 0 ? await this.inner.load(first + 1) : undefined;
    return this.joined(one, two, cut);
  }
}
