import type { DataType, Value } from '../values/index.ts';
import type { Codes, Column } from '../columns/index.ts';
import { codesArray, columnOfCodes, columnOfValues, listDomain, prefersRange, rangeDomain } from '../columns/index.ts';

const CHUNK_ROWS = 1 << 16;
/** Stands for null in 4-byte chunks. */
const NULL_32 = -0x80000000;

/**
 * Whole numbers (integers, or decimals times 10^scale) row by row, in chunks narrowed to 4 bytes where they fit.
 * Numbers beyond 2^53 are kept aside as bigints.
 */
export class NumberCollector {
  private readonly chunks: (Float64Array | Int32Array)[] = [];
  private chunk = new Float64Array(CHUNK_ROWS);
  private inChunk = 0;
  private readonly wide = new Map<number, bigint>();

  get rowCount(): number {
    return this.chunks.length * CHUNK_ROWS + this.inChunk;
  }

  add(value: number): void {
    this.chunk[this.inChunk++] = value;
    if (this.inChunk === CHUNK_ROWS) this.close();
  }

  addNull(): void {
    this.add(NaN);
  }

  addWide(value: bigint): void {
    this.wide.set(this.rowCount, value);
    this.add(NaN);
  }

  finish(name: string, type: DataType): Column {
    const rowCount = this.rowCount;
    this.close();
    if (this.wide.size > 0) {
      const values: Value[] = new Array(rowCount);
      this.each((row, value) => (values[row] = this.wide.get(row) ?? (Number.isNaN(value) ? null : value)), rowCount);
      return columnOfValues(name, type, values);
    }
    const { low, high } = this.extremes(rowCount);
    if (low > high) return columnOfCodes(name, type, listDomain([]), new Uint8Array(rowCount));
    const span = high - low + 1;
    if (prefersRange(low, high, 1, rowCount) || span <= 1 << 22) {
      const codes = codesArray(span, rowCount);
      const distinct = this.offsets(low, span, codes);
      if (prefersRange(low, high, distinct, rowCount)) return columnOfCodes(name, type, rangeDomain(low, span), codes);
    }
    return this.listed(name, type, rowCount);
  }

  private extremes(rowCount: number): { low: number; high: number } {
    let low = Infinity;
    let high = -Infinity;
    let left = rowCount;
    for (const chunk of this.chunks) {
      const end = Math.min(chunk.length, left);
      const none = chunk instanceof Int32Array ? NULL_32 : NaN;
      for (let i = 0; i < end; i++) {
        const value = chunk[i]!;
        if (value === none) continue; // never true for NaN, which compares false below
        if (value < low) low = value;
        if (value > high) high = value;
      }
      left -= end;
    }
    return { low, high };
  }

  /** Codes as offsets from `low`, and how many different ones there are. */
  private offsets(low: number, span: number, codes: Codes): number {
    const seen = new Uint8Array(span + 1);
    let distinct = 0;
    let row = 0;
    for (const chunk of this.chunks) {
      const narrow = chunk instanceof Int32Array;
      const end = Math.min(chunk.length, codes.length - row);
      for (let i = 0; i < end; i++, row++) {
        const value = chunk[i]!;
        if (narrow ? value === NULL_32 : value !== value) continue;
        const code = value - low + 1;
        codes[row] = code;
        if (seen[code] === 0) {
          seen[code] = 1;
          distinct++;
        }
      }
    }
    return distinct;
  }

  /** By sorting the distinct values. */
  private listed(name: string, type: DataType, rowCount: number): Column {
    const all = new Float64Array(rowCount);
    let filled = 0;
    this.each((_row, value) => {
      if (value === value) all[filled++] = value;
    }, rowCount);
    const sorted = all.subarray(0, filled).sort();
    let distinct = 0;
    for (let i = 0; i < filled; i++) if (i === 0 || sorted[i] !== sorted[i - 1]) sorted[distinct++] = sorted[i]!;
    const values = sorted.slice(0, distinct);
    const codes = codesArray(distinct, rowCount);
    this.each((row, value) => {
      if (value === value) codes[row] = placeOf(values, value) + 1;
    }, rowCount);
    return columnOfCodes(name, type, listDomain(values), codes);
  }

  private close(): void {
    if (this.inChunk === 0) return;
    const chunk = this.chunk.subarray(0, this.inChunk);
    this.chunks.push(narrowed(chunk) ?? this.chunk);
    if (this.inChunk === CHUNK_ROWS && this.chunks.at(-1) === this.chunk) this.chunk = new Float64Array(CHUNK_ROWS);
    this.inChunk = 0;
  }

  private each(visit: (row: number, value: number) => void, rowCount: number): void {
    let row = 0;
    for (const chunk of this.chunks) {
      const narrow = chunk instanceof Int32Array;
      for (let i = 0; i < chunk.length && row < rowCount; i++, row++) {
        const value = chunk[i]!;
        visit(row, narrow && value === NULL_32 ? NaN : value);
      }
    }
  }
}

/** The chunk in 4 bytes a value, or undefined where one of them does not fit. */
function narrowed(chunk: Float64Array): Int32Array | undefined {
  const narrow = new Int32Array(chunk.length);
  for (let i = 0; i < chunk.length; i++) {
    const value = chunk[i]!;
    if (value !== value) narrow[i] = NULL_32;
    else {
      narrow[i] = value;
      if (narrow[i] !== value || value === NULL_32) return undefined;
    }
  }
  return narrow;
}

function placeOf(sorted: Float64Array, value: number): number {
  let [low, high] = [0, sorted.length - 1];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (sorted[middle]! < value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/**
 * Reads a whole number times 10^scale from bytes, or NaN where the bytes are not plain notation with at most `scale`
 * digits after the point (the caller then reads them the slow way). Up to 15 digits.
 */
export function parseScaled(bytes: Uint8Array, start: number, end: number, scale: number, point: number): number {
  let at = start;
  const negative = bytes[at] === 45;
  if (negative || bytes[at] === 43) at++;
  if (end - at > 15 || at >= end) return NaN;
  let value = 0;
  let digits = 0;
  while (at < end) {
    const digit = bytes[at]! - 48;
    if (digit < 0 || digit > 9) break;
    value = value * 10 + digit;
    digits++;
    at++;
  }
  let fraction = 0;
  if (at < end && bytes[at] === point && scale > 0) {
    at++;
    while (at < end) {
      const digit = bytes[at]! - 48;
      if (digit < 0 || digit > 9) return NaN;
      value = value * 10 + digit;
      fraction++;
      digits++;
      at++;
    }
  }
  if (at < end || digits === 0 || fraction > scale || digits + scale - fraction > 15) return NaN;
  while (fraction++ < scale) value *= 10;
  return negative ? -value + 0 : value;
}
