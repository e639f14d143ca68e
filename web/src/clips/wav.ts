/** Blocks of recorded samples: counted, cut to a beginning, and written as a WAV. */

export interface Block {
  channels: Float32Array[];
  /** Frame of the context's clock that it began at. */
  frame: number;
}

/** Frames that are held in all blocks. */
export const framesOf = (blocks: Block[]) =>
  blocks.reduce((sum, b) => sum + b.channels[0]!.length, 0);

/** Largest distance from zero in all channels. */
export function peakOf(channels: Float32Array[]): number {
  let held = 0;
  for (const c of channels) for (const s of c) held = Math.max(held, Math.abs(s));
  return held;
}

/** Frames that are missing between blocks: what the browser let fall. */
export function lostFrames(blocks: Block[]): number {
  let lost = 0;
  for (let i = 1; i < blocks.length; i++) {
    const before = blocks[i - 1]!;
    lost += Math.max(0, blocks[i]!.frame - before.frame - before.channels[0]!.length);
  }
  return lost;
}

/** What was heard from a frame on; gaps between blocks are silence, so that time stays true. */
export function since(blocks: Block[], start: number): Float32Array[] {
  const count = Math.min(2, Math.max(1, ...blocks.map((b) => b.channels.length)));
  const last = blocks.at(-1);
  const length = last ? Math.max(0, last.frame + last.channels[0]!.length - start) : 0;
  const out = Array.from({ length: count }, () => new Float32Array(length));
  for (const block of blocks) {
    const at = block.frame - start;
    const skip = Math.max(0, -at);
    out.forEach((line, c) => {
      const source = block.channels[c] ?? block.channels[0]!;
      if (skip < source.length) line.set(source.subarray(skip), Math.max(0, at));
    });
  }
  return out;
}

/** A 32-bit float WAV of one or two channels of equal length. */
export function floatWav(channels: Float32Array[], rate: number): ArrayBuffer {
  const count = channels.length;
  const frames = channels[0]?.length ?? 0;
  const bytes = frames * count * 4;
  const view = new DataView(new ArrayBuffer(44 + bytes));
  const word = (at: number, text: string) =>
    [...text].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
  word(0, "RIFF");
  view.setUint32(4, 36 + bytes, true);
  word(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 3, true);
  view.setUint16(22, count, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, rate * count * 4, true);
  view.setUint16(32, count * 4, true);
  view.setUint16(34, 32, true);
  word(36, "data");
  view.setUint32(40, bytes, true);
  let at = 44;
  for (let i = 0; i < frames; i++)
    for (const line of channels) {
      view.setFloat32(at, line[i]!, true);
      at += 4;
    }
  return view.buffer;
}
