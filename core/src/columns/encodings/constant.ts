import type { Encoding } from './encoding.ts';
import { writer } from './encoding.ts';

/** All rows hold one code: 4 bytes. */
export const constant: Encoding = {
  name: 'constant',
  bytes: (statistics) => (statistics.smallest === statistics.largest ? 4 : undefined),
  encode: (_codes, statistics) => {
    const bytes = new Uint8Array(4);
    writer(bytes).setUint32(0, statistics.smallest, true);
    return bytes;
  },
  decode: (bytes, count, out, from) => {
    out.fill(writer(bytes).getUint32(0, true), from, from + count);
  },
};
