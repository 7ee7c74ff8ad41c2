import { kernelMaker } from '../columns/index.ts';
import { READER_MODULE } from './kernel.generated.ts';

/**
 * The exports of `core/kernels/reader.ts`; its own comments say what each does. Addresses are bytes into
 * `memory`.
 */
export interface ReaderKernel {
  readonly memory: { readonly buffer: ArrayBuffer };
  readonly rows: { readonly value: number };
  readonly position: { readonly value: number };
  readonly line: { readonly value: number };
  readonly hardCells: { readonly value: number };
  readonly leftOut: { readonly value: number };
  configure(fields: number, delimiter: number, quote: number, newline: number, columns: number): void;
  setColumn(i: number, place: number, kind: number, scale: number, point: number, limit: number): void;
  setMoment(
    i: number,
    length: number,
    year: number,
    month: number,
    day: number,
    hour: number,
    minute: number,
    second: number,
    fraction: number,
    digits: number,
    inDays: number,
  ): number;
  addNull(length: number): number;
  room(bytes: number): number;
  startChunk(): void;
  paddedOf(i: number): number;
  linesAt(): number;
  hardAt(): number;
  problemsAt(): number;
  take(from: number, stop: number, end: number, last: number): number;
  put(column: number, row: number, value: number): void;
  resetTexts(i: number): void;
  entriesOf(i: number): number;
  bytesOf(i: number): number;
  isAscii(i: number): number;
  narrow(i: number): number;
  outOf(i: number): number;
  lowOf(i: number): number;
  highOf(i: number): number;
  sortTexts(i: number): void;
  sortedAt(i: number): number;
  sortedEndsAt(i: number): number;
  rankAt(i: number): number;
}

/** Kinds of columns and of problems, as the kernel numbers them. */
export const KernelKind = { number: 0, moment: 1, text: 2 } as const;
export const KernelProblem = { ragged: 1, openQuote: 2, textAfterQuote: 3, longField: 4 } as const;
/** Set in the length of a hard cell that holds doubled quotes. */
export const DOUBLED = 0x80000000;

/** A reader with a memory of its own. */
export const makeKernel = kernelMaker<ReaderKernel>(
  READER_MODULE,
  'the reader has no memory left: the file has too many different texts',
);
