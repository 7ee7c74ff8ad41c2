import type { Encoding } from './encoding.ts';
import { inDecoder } from './decoder.ts';
import { plainPacker, writer } from './encoding.ts';
import { bitsFor, packedBytes, unpackBits } from './bits.ts';

const HEADER = 5; // minimum (4 bytes), width (1)

/** Offsets from the segment's minimum, bit-packed at one width. */
export const packed: Encoding = {
  name: 'packed',
  bytes: ({ count, smallest, largest }) => HEADER + packedBytes(count, bitsFor(largest - smallest)),
  encode: (codes, { count, smallest, largest }, packer = plainPacker(codes)) => {
    const width = bitsFor(largest - smallest);
    const bytes = new Uint8Array(HEADER + packedBytes(count, width));
    writer(bytes).setUint32(0, smallest, true);
    bytes[4] = width;
    packer.bits(0, count, smallest, width, bytes, HEADER);
    return bytes;
  },
  decode: (bytes, count, out, from) => {
    const [width, base] = [bytes[4]!, writer(bytes).getUint32(0, true)];
    const isDone = inDecoder(bytes, count, out, from, 0, ({ kernel, bytes: at, out: to, size }) =>
      kernel.unpack(at + HEADER, width, base, count, to, size),
    );
    if (!isDone) unpackBits(bytes, HEADER, width, base, out, from, count);
  },
};
