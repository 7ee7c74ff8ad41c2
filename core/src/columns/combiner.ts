import type { Codes } from './codes.ts';
import { COMBINER_MODULE } from './combiner.generated.ts';
import { kernelMaker } from './wasm.ts';

/** The exports of `core/kernels/combiner.ts`; its own comments say what each does. */
interface CombinerKernel {
  readonly memory: { readonly buffer: ArrayBuffer };
  reserve(bytes: number): number;
  extend(codes: number, width: number, many: number, rows: number, places: number): void;
  meet(places: number, rows: number, known: number, firsts: number): number;
  number(places: number, firsts: number, met: number, numbers: number, known: number): void;
  look(places: number, rows: number, known: number): void;
  map(codes: number, width: number, rows: number, table: number, out: number, size: number): void;
  count(codes: number, width: number, rows: number, counts: number): void;
  mix(codes: number, width: number, rows: number, places: number): void;
  narrow(places: number, rows: number, shift: number): void;
  drop(codes: number, width: number, rows: number, empty: number): void;
  markTwice(places: number, empty: number, rows: number, met: number, twice: number): number;
  doubtful(places: number, empty: number, rows: number, twice: number, out: number): number;
}

const makeKernel = kernelMaker<CombinerKernel>(
  COMBINER_MODULE,
  'there is no memory left to combine columns: they have too many values',
);

let idle: CombinerKernel | undefined;

/** A kernel with more memory than this is not used again: memory never shrinks. */
const KEPT_BYTES = 32 << 20;
/** Rows that are brought over at a time: with what is made of them they stay in the second-level cache. */
const BLOCK_ROWS = 1 << 14;
/** Fewer rows are passed over here: bringing them over takes longer. */
const LEAST_ROWS = 1 << 12;

/** Hands `work` a kernel and the addresses of zeroed stretches of so many words. */
function withKernel<T>(
  words: readonly number[],
  work: (kernel: CombinerKernel, buffer: ArrayBuffer, at: number[]) => T,
): T {
  const used = idle;
  const kernel = used ?? makeKernel();
  idle = undefined;
  const sizes = words.map((n) => Math.ceil(n / 2) * 8);
  const bytes = sizes.reduce((sum, size) => sum + size, 0);
  const start = kernel.reserve(bytes);
  const { buffer } = kernel.memory;
  // Memory that was never used is zero, and takes no room until it is written to.
  if (used) new Uint8Array(buffer, start, bytes).fill(0);
  let end = start;
  const result = work(
    kernel,
    buffer,
    sizes.map((size) => (end += size) - size),
  );
  if (buffer.byteLength <= KEPT_BYTES) idle = kernel;
  return result;
}

const arrayOf = ({ BYTES_PER_ELEMENT: size }: Codes) =>
  size === 1 ? Uint8Array : size === 2 ? Uint16Array : Uint32Array;

const bring = (buffer: ArrayBuffer, at: number, codes: Codes, from: number, rows: number): void =>
  new (arrayOf(codes))(buffer, at, rows).set(codes.subarray(from, from + rows));

/** Codes, each below `size`. */
export interface SizedCodes {
  readonly codes: Codes;
  readonly size: number;
}

/**
 * A number for each row, by the combination of its codes: `numberOf` is asked once for each combination, with
 * the first row that has it. The product of the sizes is the memory that it takes, four bytes each. `look` is
 * called for every block of rows, and may throw to end it.
 */
export function numberCombinations(
  columns: readonly SizedCodes[],
  rows: number,
  numberOf: (row: number) => number,
  look: () => void = () => undefined,
): Uint32Array {
  const places = columns.reduce((n, { size }) => n * size, 1);
  const numbers = new Uint32Array(rows);
  if (rows < LEAST_ROWS) return numberHere(columns, numbers, places, numberOf);
  return withKernel(
    [places, BLOCK_ROWS, BLOCK_ROWS, BLOCK_ROWS, BLOCK_ROWS],
    (kernel, buffer, [known, cells, at, firstsAt, newAt]) => {
      const firsts = new Uint32Array(buffer, firstsAt, BLOCK_ROWS);
      const made = new Uint32Array(buffer, newAt, BLOCK_ROWS);
      const own = new Uint32Array(buffer, at, BLOCK_ROWS);
      for (let from = 0; from < rows; from += BLOCK_ROWS) {
        look();
        const count = Math.min(BLOCK_ROWS, rows - from);
        own.fill(0);
        for (const { codes, size } of columns) {
          bring(buffer, cells!, codes, from, count);
          kernel.extend(cells!, codes.BYTES_PER_ELEMENT, size, count, at!);
        }
        const met = kernel.meet(at!, count, known!, firstsAt!);
        for (let k = 0; k < met; k++) made[k] = numberOf(from + firsts[k]!);
        kernel.number(at!, firstsAt!, met, newAt!, known!);
        kernel.look(at!, count, known!);
        numbers.set(own.subarray(0, count), from);
      }
      return numbers;
    },
  );
}

function numberHere(
  columns: readonly SizedCodes[],
  numbers: Uint32Array,
  places: number,
  numberOf: (row: number) => number,
): Uint32Array {
  const known = new Uint32Array(places);
  for (let row = 0; row < numbers.length; row++) {
    const place = columns.reduce((sum, { codes, size }) => sum * size + codes[row]!, 0);
    known[place] ||= numberOf(row) + 1;
    numbers[row] = known[place]! - 1;
  }
  return numbers;
}

/** Writes into `out` what a table has for each code. */
export function mapCodes(codes: Codes, table: Uint32Array, out: Codes): void {
  const rows = codes.length;
  if (rows < LEAST_ROWS) {
    for (let row = 0; row < rows; row++) out[row] = table[codes[row]!]!;
    return;
  }
  withKernel([table.length, BLOCK_ROWS, BLOCK_ROWS], (kernel, buffer, [tableAt, cells, outAt]) => {
    new Uint32Array(buffer, tableAt, table.length).set(table);
    const [width, size] = [codes.BYTES_PER_ELEMENT, out.BYTES_PER_ELEMENT];
    const block = new (arrayOf(out))(buffer, outAt, BLOCK_ROWS);
    for (let from = 0; from < rows; from += BLOCK_ROWS) {
      const count = Math.min(BLOCK_ROWS, rows - from);
      bring(buffer, cells!, codes, from, count);
      kernel.map(cells!, width, count, tableAt!, outAt!, size);
      out.set(block.subarray(0, count), from);
    }
  });
}

/** Rows per code, the histogram of codes from 0 to `largest`. */
export function countCodes(largest: number, codes: Codes): Uint32Array {
  const rows = codes.length;
  if (rows < LEAST_ROWS) {
    const counts = new Uint32Array(largest + 1);
    for (let row = 0; row < rows; row++) counts[codes[row]!]!++;
    return counts;
  }
  return withKernel([largest + 1, BLOCK_ROWS], (kernel, buffer, [countsAt, cells]) => {
    for (let from = 0; from < rows; from += BLOCK_ROWS) {
      const count = Math.min(BLOCK_ROWS, rows - from);
      bring(buffer, cells!, codes, from, count);
      kernel.count(cells!, codes.BYTES_PER_ELEMENT, count, countsAt!);
    }
    return new Uint32Array(buffer, countsAt, largest + 1).slice();
  });
}

/** Places in the table of bits for one row: few rows then meet by chance, and the table stays small. */
const BITS_A_ROW = 8;

/** Codes with whether some of them are 0, which is null. */
export interface NullableCodes extends SizedCodes {
  readonly hasNulls: boolean;
}

/**
 * Rows whose combination of codes another row may have as well, ascending; rows with a null are left out.
 * Two passes over bits, one for each combination that could occur or, where those are too many, by a hash.
 * Undefined where there are more than `most` of them.
 */
export function doubtfulRows(
  columns: readonly NullableCodes[],
  rows: number,
  most: number,
): Uint32Array | undefined {
  const bits = Math.min(31, Math.max(10, Math.ceil(Math.log2(rows * BITS_A_ROW + 1))));
  const isExact = columns.reduce((n, { size }) => n * size, 1) <= 2 ** bits;
  const words = 2 ** (bits - 5);
  return withKernel(
    [words, words, BLOCK_ROWS, BLOCK_ROWS, BLOCK_ROWS, BLOCK_ROWS],
    (kernel, buffer, [met, twice, cells, places, empty, out]) => {
      const placesOf = (from: number, count: number): void => {
        new Uint32Array(buffer, places, count).fill(0);
        new Uint8Array(buffer, empty, count).fill(0);
        for (const { codes, size, hasNulls } of columns) {
          const width = codes.BYTES_PER_ELEMENT;
          bring(buffer, cells!, codes, from, count);
          if (isExact) kernel.extend(cells!, width, size, count, places!);
          else kernel.mix(cells!, width, count, places!);
          if (hasNulls) kernel.drop(cells!, width, count, empty!);
        }
        if (!isExact) kernel.narrow(places!, count, 32 - bits);
      };
      let doubts = 0;
      for (let from = 0; from < rows; from += BLOCK_ROWS) {
        const count = Math.min(BLOCK_ROWS, rows - from);
        placesOf(from, count);
        doubts += kernel.markTwice(places!, empty!, count, met!, twice!);
        if (doubts > most) return undefined;
      }
      const found = new Uint32Array(doubts);
      if (doubts === 0) return found;
      const block = new Uint32Array(buffer, out, BLOCK_ROWS);
      let at = 0;
      for (let from = 0; from < rows; from += BLOCK_ROWS) {
        const count = Math.min(BLOCK_ROWS, rows - from);
        placesOf(from, count);
        const here = kernel.doubtful(places!, empty!, count, twice!, out!);
        for (let k = 0; k < here; k++) found[at++] = from + block[k]!;
      }
      return found;
    },
  );
}
