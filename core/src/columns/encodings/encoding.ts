import type { Codes } from '../codes.ts';
import { packBits } from './bits.ts';

/** What one pass over a segment's codes tells; every encoding computes its exact size from it. */
export interface SegmentStatistics {
  readonly count: number;
  readonly smallest: number;
  readonly largest: number;
  readonly runs: number;
  /** Rows of the longest run. */
  readonly longestRun: number;
  /** Least and greatest difference of a code from the one before it; 0 where there is one row. */
  readonly leastStep: number;
  readonly greatestStep: number;
  /** Smallest and largest code of each block of `BLOCK` rows. */
  readonly blocks: readonly { smallest: number; largest: number }[];
  /** Rows by code less `smallest`; asked for where the codes lie close together. */
  frequencies(): Uint32Array;
}

/** Packs codes of the segment at hand into `out` from byte `at` on; see `packBits`. */
export interface Packer {
  /** `count` codes from row `from` on, less `base`. */
  bits(from: number, count: number, base: number, width: number, out: Uint8Array, at: number): void;
  /** Of `count` codes from the first row on, the differences from the one before, less `step`. */
  steps(count: number, step: number, width: number, out: Uint8Array, at: number): void;
  /** Of `count` codes from the first row on, less `base`, the bits that stand for each, up to 15. */
  coded(
    count: number,
    base: number,
    lengths: Uint8Array,
    bits: Uint16Array,
    out: Uint8Array,
    at: number,
  ): void;
}

export const plainPacker = (codes: Codes): Packer => ({
  bits: (from, count, base, width, out, at) => packBits(codes, from, count, base, width, out, at),
  steps: (count, step, width, out, at) => {
    const steps = new Uint32Array(count - 1);
    for (let i = 1; i < count; i++) steps[i - 1] = codes[i]! - codes[i - 1]! - step;
    packBits(steps, 0, count - 1, 0, width, out, at);
  },
  coded: (count, base, lengths, bits, out, at) => {
    let [held, waiting] = [0, 0];
    for (let i = 0; i < count; i++) {
      const symbol = codes[i]! - base;
      held |= bits[symbol]! << waiting;
      waiting += lengths[symbol]!;
      for (; waiting >= 8; waiting -= 8, held >>>= 8) out[at++] = held;
    }
    if (waiting > 0) out[at] = held;
  },
});

/**
 * One way to lay out a segment's codes in bytes. Sizes are exact: `encode` returns just `bytes(statistics)`
 * bytes.
 */
export interface Encoding {
  readonly name: EncodingName;
  /** Bytes that `encode` would take, or undefined where the encoding cannot hold the segment. */
  bytes(statistics: SegmentStatistics): number | undefined;
  encode(codes: Codes, statistics: SegmentStatistics, packer?: Packer): Uint8Array;
  /** Writes `count` codes into `out` from `from` on. */
  decode(bytes: Uint8Array, count: number, out: Codes, from: number): void;
}

export type EncodingName = 'constant' | 'packed' | 'blocks' | 'runs' | 'delta' | 'huffman';

/** Rows in a block of the block-wise encoding. */
export const BLOCK = 1024;

export const writer = (bytes: Uint8Array): DataView =>
  new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

export function statisticsOf(codes: Codes): SegmentStatistics {
  let [runs, run, longestRun] = [0, 0, 0];
  let last = -1;
  let [leastStep, greatestStep] = codes.length > 1 ? [Infinity, -Infinity] : [0, 0];
  const blocks: { smallest: number; largest: number }[] = [];
  for (let start = 0; start < codes.length; start += BLOCK) {
    let [smallest, largest] = [0xffffffff, 0];
    const end = Math.min(start + BLOCK, codes.length);
    for (let i = start; i < end; i++) {
      const code = codes[i]!;
      run = code === last ? run + 1 : 1;
      if (run > longestRun) longestRun = run;
      if (code !== last) {
        runs++;
        if (i > 0) {
          const step = code - last;
          if (step < leastStep) leastStep = step;
          if (step > greatestStep) greatestStep = step;
        }
      } else {
        if (leastStep > 0) leastStep = 0;
        if (greatestStep < 0) greatestStep = 0;
      }
      last = code;
      if (code < smallest) smallest = code;
      if (code > largest) largest = code;
    }
    blocks.push({ smallest, largest });
  }
  let [smallest, largest] = [blocks.length ? 0xffffffff : 0, 0];
  for (const block of blocks) {
    smallest = Math.min(smallest, block.smallest);
    largest = Math.max(largest, block.largest);
  }
  const frequencies = () => {
    const counts = new Uint32Array(largest - smallest + 1);
    for (let i = 0; i < codes.length; i++) counts[codes[i]! - smallest]!++;
    return counts;
  };
  return {
    count: codes.length,
    smallest,
    largest,
    runs,
    longestRun,
    leastStep,
    greatestStep,
    blocks,
    frequencies,
  };
}
