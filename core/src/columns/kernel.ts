import { ENCODER_MODULE } from './kernel.generated.ts';
import { kernelMaker } from './wasm.ts';

/**
 * The exports of `core/kernels/encoder.ts`; its own comments say what each does. Addresses are bytes into
 * `memory`.
 */
export interface EncoderKernel {
  readonly memory: { readonly buffer: ArrayBuffer };
  readonly runs: { readonly value: number };
  readonly longestRun: { readonly value: number };
  readonly columnRuns: { readonly value: number };
  readonly nulls: { readonly value: number };
  leastStep(): number;
  greatestStep(): number;
  allocate(bytes: number): number;
  release(at: number): void;
  byTable(cells: number, width: number, rows: number, table: number, out: number): void;
  byShift(cells: number, width: number, rows: number, shift: number, out: number): void;
  byRank(
    cells: number,
    width: number,
    rows: number,
    shift: number,
    bits: number,
    before: number,
    out: number,
  ): void;
  mark(cells: number, width: number, rows: number, shift: number, bits: number): void;
  rankWords(bits: number, words: number, before: number): number;
  members(bits: number, words: number, low: number, out: number): void;
  startColumn(): void;
  startSegment(blocks: number, blockCount: number): void;
  observe(codes: number, from: number, to: number, blocks: number, counts: number): void;
  pack(codes: number, count: number, base: number, width: number, out: number): void;
  differences(codes: number, count: number, step: number, out: number): void;
  packCoded(codes: number, count: number, base: number, table: number, out: number): void;
  countCodes(codes: number, count: number, base: number, out: number): void;
  readonly merged: { readonly value: number };
  readonly mergedEnd: { readonly value: number };
  setMergedEnd(at: number): void;
  startMerge(count: number, nulls: number, nullCount: number, utf8: number): void;
  endMerge(): void;
  window(
    i: number,
    bytes: number,
    ends: number,
    base: number,
    places: number,
    count: number,
    goesOn: number,
  ): void;
  merge(outEnd: number): number;
  isUsedUp(i: number): number;
  compose(table: number, count: number, of: number): void;
}

/** What `merge` stops for; from 0 on a list needs its next window. */
export const MergeStop = { merged: -1, outputFull: -2, notUtf8: -3 } as const;

let idle: EncoderKernel | undefined;

/** A kernel whose memory has grown beyond this is not used again: memory of a module never shrinks. */
const KEPT_BYTES = 64 << 20;

const makeKernel = kernelMaker<EncoderKernel>(
  ENCODER_MODULE,
  'the encoder has no memory left: the column has too many different values',
);

/** Hands `work` a kernel with an allocator; all that was allocated is free again afterwards. */
export function withEncoder<T>(work: (arena: Arena) => T): T {
  const kernel = idle ?? makeKernel();
  idle = undefined;
  const arena = new Arena(kernel);
  try {
    return work(arena);
  } finally {
    arena.clear();
    if (kernel.memory.buffer.byteLength <= KEPT_BYTES) idle = kernel;
  }
}

/** Memory of an encoder during one piece of work. */
export class Arena {
  private readonly taken: number[] = [];

  constructor(readonly kernel: EncoderKernel) {}

  /** The address of zeroed memory. */
  allocate(bytes: number): number {
    const at = this.kernel.allocate(Math.max(8, bytes));
    this.taken.push(at);
    return at;
  }

  /** The address of a copy of an array. */
  put(array: Uint8Array | Uint16Array | Uint32Array): number {
    const at = this.allocate(array.byteLength);
    this.bytes(at, array.byteLength).set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength));
    return at;
  }

  /** Frees what was allocated at that address before the work ends. */
  release(at: number): void {
    this.taken.splice(this.taken.lastIndexOf(at), 1);
    this.kernel.release(at);
  }

  /** Views hold until the next allocation. */
  bytes(at: number, length: number): Uint8Array {
    return new Uint8Array(this.kernel.memory.buffer, at, length);
  }

  words(at: number, length: number): Uint32Array<ArrayBuffer> {
    return new Uint32Array(this.kernel.memory.buffer, at, length);
  }

  clear(): void {
    for (const at of this.taken) this.kernel.release(at);
    this.taken.length = 0;
  }
}
