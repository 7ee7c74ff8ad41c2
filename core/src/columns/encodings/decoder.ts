import type { Codes } from '../codes.ts';
import { kernelMaker } from '../wasm.ts';
import { DECODER_MODULE } from './decoder.generated.ts';

/** The exports of `core/kernels/decoder.ts`; its own comments say what each does. */
interface DecoderKernel {
  readonly memory: { readonly buffer: ArrayBuffer };
  reserve(bytes: number): number;
  unpack(at: number, width: number, base: number, count: number, out: number, size: number): void;
  unpackBlocks(at: number, rows: number, count: number, out: number, size: number): void;
  sum(steps: number, first: number, least: number, count: number, out: number, size: number): void;
  fill(codes: number, lengths: number, runs: number, out: number, size: number): void;
  decode(
    at: number,
    table: number,
    longest: number,
    base: number,
    count: number,
    out: number,
    size: number,
  ): void;
}

const makeKernel = kernelMaker<DecoderKernel>(DECODER_MODULE, 'there is no memory left to decode a column');

let idle: DecoderKernel | undefined;

/** Words are read whole: so many bytes behind the last one are read too. */
const OVERHANG = 8;
/** Segments of fewer rows are decoded here: bringing them over takes longer. */
const LEAST_ROWS = 256;
/** A kernel whose memory has grown beyond this is not used again: memory of a module never shrinks. */
const KEPT_BYTES = 32 << 20;

/** A segment in the memory of the kernel. */
export interface Decoding {
  readonly kernel: DecoderKernel;
  /** Where the segment's bytes lie. */
  readonly bytes: number;
  /** Where so many words of the encoding's own lie. */
  readonly words: number;
  /** Where codes are to be written, and the bytes of each. */
  readonly out: number;
  readonly size: number;
  /** Writes words of the encoding's own. */
  write(words: Uint32Array): void;
}

/**
 * Decodes a segment in the kernel, into `out` from row `from` on. `words` is how many words of its own the
 * encoding needs there. False where the segment is too small for it: then the encoding does it itself.
 */
export function inDecoder(
  bytes: Uint8Array,
  count: number,
  out: Codes,
  from: number,
  words: number,
  decode: (at: Decoding) => void,
): boolean {
  if (count < LEAST_ROWS) return false;
  const kernel = idle ?? makeKernel();
  idle = undefined;
  const size = out.BYTES_PER_ELEMENT;
  const whole = (n: number) => Math.ceil(n / 8) * 8;
  const [bytesSize, wordsSize] = [whole(bytes.length + OVERHANG), whole(words * 4 + OVERHANG)];
  const start = kernel.reserve(bytesSize + wordsSize + count * size);
  const { buffer } = kernel.memory;
  const [wordsAt, outAt] = [start + bytesSize, start + bytesSize + wordsSize];
  new Uint8Array(buffer, start, bytes.length).set(bytes);
  decode({
    kernel,
    bytes: start,
    words: wordsAt,
    out: outAt,
    size,
    write: (own) => new Uint32Array(buffer, wordsAt, own.length).set(own),
  });
  const made = size === 1 ? Uint8Array : size === 2 ? Uint16Array : Uint32Array;
  out.set(new made(buffer, outAt, count), from);
  if (buffer.byteLength <= KEPT_BYTES) idle = kernel;
  return true;
}
