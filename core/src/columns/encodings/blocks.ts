import type { Encoding, SegmentStatistics } from './encoding.ts';
import { inDecoder } from './decoder.ts';
import { BLOCK, plainPacker, writer } from './encoding.ts';
import { bitsFor, packedBytes, unpackBits } from './bits.ts';

const HEADER = 5; // a block's minimum (4 bytes), width (1)
const rowsOf = (block: number, count: number): number => Math.min(BLOCK, count - block * BLOCK);

const size = ({ count, blocks }: SegmentStatistics): number =>
  blocks.reduce(
    (sum, { smallest, largest }, b) =>
      sum + HEADER + packedBytes(rowsOf(b, count), bitsFor(largest - smallest)),
    0,
  );

/**
 * Offsets from each block's own minimum, packed at the block's own width: small where neighbours are alike.
 */
export const blocks: Encoding = {
  name: 'blocks',
  bytes: size,
  encode: (codes, statistics, packer = plainPacker(codes)) => {
    const bytes = new Uint8Array(size(statistics));
    const view = writer(bytes);
    let at = 0;
    statistics.blocks.forEach(({ smallest, largest }, b) => {
      const [width, rows] = [bitsFor(largest - smallest), rowsOf(b, statistics.count)];
      view.setUint32(at, smallest, true);
      bytes[at + 4] = width;
      packer.bits(b * BLOCK, rows, smallest, width, bytes, at + HEADER);
      at += HEADER + packedBytes(rows, width);
    });
    return bytes;
  },
  decode: (bytes, count, out, from) => {
    const isDone = inDecoder(bytes, count, out, from, 0, ({ kernel, bytes: at, out: to, size: width }) =>
      kernel.unpackBlocks(at, BLOCK, count, to, width),
    );
    if (isDone) return;
    const view = writer(bytes);
    let at = 0;
    for (let b = 0; b * BLOCK < count; b++) {
      const [width, rows] = [bytes[at + 4]!, rowsOf(b, count)];
      unpackBits(bytes, at + HEADER, width, view.getUint32(at, true), out, from + b * BLOCK, rows);
      at += HEADER + packedBytes(rows, width);
    }
  },
};
