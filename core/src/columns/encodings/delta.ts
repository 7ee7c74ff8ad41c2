import type { Encoding, SegmentStatistics } from './encoding.ts';
import { inDecoder } from './decoder.ts';
import { plainPacker, writer } from './encoding.ts';
import { bitsFor, packedBytes, unpackBits } from './bits.ts';

const HEADER = 13; // first code (4 bytes), least difference (8, it may be negative), width (1)

const widthOf = ({ leastStep, greatestStep }: SegmentStatistics): number => bitsFor(greatestStep - leastStep);

/**
 * Each code's difference from the one before, less the least difference, packed at one width: small for keys
 * that rise.
 */
export const delta: Encoding = {
  name: 'delta',
  bytes: (statistics) =>
    statistics.count < 2 || statistics.greatestStep - statistics.leastStep > 0xffffffff
      ? undefined
      : HEADER + packedBytes(statistics.count - 1, widthOf(statistics)),
  encode: (codes, statistics, packer = plainPacker(codes)) => {
    const { leastStep, count } = statistics;
    const width = widthOf(statistics);
    const bytes = new Uint8Array(HEADER + packedBytes(count - 1, width));
    const view = writer(bytes);
    view.setUint32(0, codes[0]!, true);
    view.setFloat64(4, leastStep, true);
    bytes[12] = width;
    packer.steps(count, leastStep, width, bytes, HEADER);
    return bytes;
  },
  decode: (bytes, count, out, from) => {
    const view = writer(bytes);
    const [first, leastStep] = [view.getUint32(0, true), view.getFloat64(4, true)];
    const isDone = inDecoder(bytes, count, out, from, count, ({ kernel, words, ...segment }) => {
      kernel.unpack(segment.bytes + HEADER, bytes[12]!, 0, count - 1, words, 4);
      // What is passed on is taken modulo 2^32, as the sum is.
      kernel.sum(words, first, leastStep, count, segment.out, segment.size);
    });
    if (isDone) return;
    const steps = new Uint32Array(count - 1);
    unpackBits(bytes, HEADER, bytes[12]!, 0, steps, 0, count - 1);
    let code = first;
    out[from] = code;
    for (let i = 1; i < count; i++) {
      code += steps[i - 1]! + leastStep;
      out[from + i] = code;
    }
  },
};
