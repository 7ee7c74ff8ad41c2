import type { Encoding, SegmentStatistics } from './encoding.ts';
import { inDecoder } from './decoder.ts';
import { writer } from './encoding.ts';
import { bitsFor, packBits, packedBytes, unpackBits } from './bits.ts';

const HEADER = 10; // runs (4 bytes), minimum (4), width of codes (1), width of lengths (1)
const lengthWidth = ({ longestRun }: SegmentStatistics): number => bitsFor(longestRun);

const size = (s: SegmentStatistics): number =>
  HEADER + packedBytes(s.runs, bitsFor(s.largest - s.smallest)) + packedBytes(s.runs, lengthWidth(s));

/** Code and length of each stretch of equal codes. */
export const runs: Encoding = {
  name: 'runs',
  bytes: size,
  encode: (codes, statistics) => {
    const [values, lengths] = [new Uint32Array(statistics.runs), new Uint32Array(statistics.runs)];
    let run = -1;
    for (let i = 0; i < codes.length; i++) {
      if (i === 0 || codes[i] !== codes[i - 1]) values[++run] = codes[i]!;
      lengths[run]!++;
    }
    const bytes = new Uint8Array(size(statistics));
    const view = writer(bytes);
    const width = bitsFor(statistics.largest - statistics.smallest);
    view.setUint32(0, statistics.runs, true);
    view.setUint32(4, statistics.smallest, true);
    bytes[8] = width;
    bytes[9] = lengthWidth(statistics);
    packBits(values, 0, statistics.runs, statistics.smallest, width, bytes, HEADER);
    packBits(lengths, 0, statistics.runs, 0, bytes[9], bytes, HEADER + packedBytes(statistics.runs, width));
    return bytes;
  },
  decode: (bytes, count, out, from) => {
    const view = writer(bytes);
    const [runCount, width, smallest] = [view.getUint32(0, true), bytes[8]!, view.getUint32(4, true)];
    const lengthsAt = HEADER + packedBytes(runCount, width);
    const isDone = inDecoder(bytes, count, out, from, 2 * runCount, ({ kernel, words, ...segment }) => {
      const lengthsTo = words + 4 * runCount;
      kernel.unpack(segment.bytes + HEADER, width, smallest, runCount, words, 4);
      kernel.unpack(segment.bytes + lengthsAt, bytes[9]!, 0, runCount, lengthsTo, 4);
      kernel.fill(words, lengthsTo, runCount, segment.out, segment.size);
    });
    if (isDone) return;
    const [values, lengths] = [new Uint32Array(runCount), new Uint32Array(runCount)];
    unpackBits(bytes, HEADER, width, smallest, values, 0, runCount);
    unpackBits(bytes, lengthsAt, bytes[9]!, 0, lengths, 0, runCount);
    let at = from;
    for (let run = 0; run < runCount; run++) {
      out.fill(values[run]!, at, at + lengths[run]!);
      at += lengths[run]!;
    }
  },
};
