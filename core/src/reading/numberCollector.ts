import type { DataType, Value } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
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
    let [low, high] = [Infinity, -Infinity];
    this.each((_row, value) => {
      if (value < low) low = value;
      if (value > high) high = value;
    }, rowCount);
    if (low > high) return columnOfCodes(name, type, listDomain([]), new Uint8Array(rowCount));
    const span = high - low + 1;
    if (prefersRange(low, high, 1, rowCount) || span <= 1 << 22) {
      const seen = new Uint8Array(span);
      let distinct = 0;
      this.each((_row, value) => {
        if (value === value && seen[value - low] === 0) {
          seen[value - low] = 1;
          distinct++;
        }
      }, rowCount);
      if (prefersRange(low, high, distinct, rowCount)) {
        const codes = codesArray(span, rowCount);
        this.each((row, value) => {
          if (value === value) codes[row] = value - low + 1;
        }, rowCount);
        return columnOfCodes(name, type, rangeDomain(low, span), codes);
      }
    }
    return this.listed(name, type, rowCount);
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
    this.chunks.push(fits32(chunk) ? Int32Array.from(chunk, (value) => (value === value ? value : NULL_32)) : this.chunk);
    if (this.inChunk === CHUNK_ROWS) this.chunk = new Float64Array(CHUNK_ROWS);
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

function fits32(chunk: Float64Array): boolean {
  for (let i = 0; i < chunk.length; i++) {
    const value = chunk[i]!;
    if (value === value && (value <= NULL_32 || value > 0x7fffffff || value !== (value | 0))) return false;
  }
  return true;
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
