import type { DataType } from '../values/index.ts';
import type { Codes } from './codes.ts';
import { codesArray } from './codes.ts';
import type { Domain } from './domain.ts';
import { listDomain } from './domain.ts';
import { decodeDomain, isRange } from './dictionary.ts';
import type { EncodedSegment } from './encodings/index.ts';
import { decodeSegment } from './encodings/index.ts';

/**
 * Measurements are often near-unique: their dictionary and codes then take more bytes than the doubles as
 * they are, 8 bytes a row.
 */
const BYTES = 8;
/** What stands in place of the dictionary: the values are in the segments. */
const RAW_TAG = 6;

/** A segment of doubles as they are, little-endian, NaN for null. */
export interface RawSegment {
  readonly encoding: 'doubles';
  readonly rows: number;
  readonly bytes: Uint8Array;
}

export type StoredSegment = EncodedSegment | RawSegment;

/** A column's dictionary and segments at rest. */
export interface RestingColumn {
  /** As `encodeDomain` writes it, or the one byte that says that the doubles stand in the segments. */
  readonly domain: Uint8Array;
  readonly segments: readonly StoredSegment[];
}

/** Whether a column's doubles as they are take fewer bytes than its dictionary and codes. */
export const prefersRawDoubles = (
  type: DataType,
  dictionaryBytes: number,
  codeBytes: number,
  rows: number,
): boolean => type.kind === 'double' && 1 + rows * BYTES < dictionaryBytes + codeBytes;

/**
 * The column as it is, or with its doubles in place of a dictionary and codes where they take fewer bytes.
 * `domain` is as `encodeDomain` writes it.
 */
export function inFewestBytes(
  type: DataType,
  domain: Uint8Array,
  segments: readonly EncodedSegment[],
): RestingColumn {
  const sum = (of: (s: EncodedSegment) => number) => segments.reduce((total, s) => total + of(s), 0);
  const codeBytes = sum((s) => s.bytes.length);
  const rows = sum((s) => s.rows);
  if (isRange(domain) || !prefersRawDoubles(type, domain.length, codeBytes, rows))
    return { domain, segments };
  const { values } = decodeDomain(domain) as Extract<Domain, { kind: 'list' }>;
  return {
    domain: Uint8Array.of(RAW_TAG),
    segments: segments.map((segment) => rawSegment(segment, values as ArrayLike<number>)),
  };
}

function rawSegment(segment: EncodedSegment, values: ArrayLike<number>): RawSegment {
  const codes = codesArray(values.length, segment.rows);
  decodeSegment(segment, codes, 0);
  const doubles = Float64Array.from(codes, (code) => (code === 0 ? NaN : values[code - 1]!));
  return { encoding: 'doubles', rows: segment.rows, bytes: new Uint8Array(doubles.buffer) };
}

export const holdsRawDoubles = (domain: Uint8Array): boolean => domain[0] === RAW_TAG && domain.length === 1;

/**
 * The domain and the codes of doubles as they are. `segments` follow each other; `rows` is the number of rows
 * of all of them.
 */
export function codesOfRawDoubles(
  segments: Iterable<Pick<RawSegment, 'bytes'>>,
  rows: number,
): { domain: Domain; codes: Codes } {
  const all = new Float64Array(rows);
  const bytes = new Uint8Array(all.buffer);
  let at = 0;
  for (const segment of segments) {
    if (at + segment.bytes.length <= bytes.length) bytes.set(segment.bytes, at);
    at += segment.bytes.length;
  }
  if (at !== bytes.length) throw new RangeError(`segments of ${at / BYTES} doubles for ${rows} rows`);
  return rankDoubles(all);
}

/** The doubles of some rows of a segment of them (`bytes`), in their order; null for NaN. */
export function rawDoublesAt(bytes: Uint8Array, rows: readonly number[]): (number | null)[] {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return rows.map((row) => {
    const value = view.getFloat64(row * BYTES, true);
    // -0 and 0 are one value.
    return Number.isNaN(value) ? null : value + 0;
  });
}

const DIGIT_BITS = 16;
const DIGITS = 1 << DIGIT_BITS;

/**
 * Sorts doubles by radix, 16 bits at a time from the lowest: with the sign bit turned over, and all bits of
 * negative numbers, doubles compare like whole numbers of 64 bits (Herf, "Radix Tricks", 2001). Gives the
 * distinct ones ascending, and each row's place among them from 1; NaN has 0. The array is used up.
 */
export function rankDoubles(values: Float64Array): { domain: Domain; codes: Codes } {
  const count = values.length;
  const words = new Uint32Array(values.buffer, values.byteOffset, count * 2);
  let order = new Uint32Array(count);
  let filled = 0;
  for (let row = 0; row < count; row++) {
    // -0 and 0 are one value.
    if (values[row] === 0) values[row] = 0;
    if (values[row] === values[row]) order[filled++] = row;
    const negative = words[2 * row + 1]! >>> 31;
    words[2 * row + 1] = negative ? ~words[2 * row + 1]! : words[2 * row + 1]! ^ 0x80000000;
    if (negative) words[2 * row] = ~words[2 * row]!;
  }
  order = order.subarray(0, filled);
  let sorted = new Uint32Array(filled);
  for (let digit = 0; digit < 64 / DIGIT_BITS; digit++) {
    const [word, shift] = [digit >> 1, (digit & 1) * DIGIT_BITS];
    const starts = new Uint32Array(DIGITS + 1);
    for (let k = 0; k < filled; k++) starts[((words[2 * order[k]! + word]! >>> shift) & (DIGITS - 1)) + 1]!++;
    if (starts.includes(filled)) continue;
    for (let d = 0; d < DIGITS; d++) starts[d + 1]! += starts[d]!;
    for (let k = 0; k < filled; k++)
      sorted[starts[(words[2 * order[k]! + word]! >>> shift) & (DIGITS - 1)]!++] = order[k]!;
    [order, sorted] = [sorted, order];
  }
  const places = new Uint32Array(count);
  const distinct = new Uint32Array(filled * 2);
  let size = 0;
  for (let k = 0; k < filled; k++) {
    const [low, high] = [words[2 * order[k]!]!, words[2 * order[k]! + 1]!];
    if (size === 0 || low !== distinct[2 * size - 2] || high !== distinct[2 * size - 1]) {
      distinct[2 * size] = low;
      distinct[2 * size + 1] = high;
      size++;
    }
    places[order[k]!] = size;
  }
  for (let k = 0; k < size; k++) {
    const negative = distinct[2 * k + 1]! >>> 31 === 0;
    distinct[2 * k + 1] = negative ? ~distinct[2 * k + 1]! : distinct[2 * k + 1]! ^ 0x80000000;
    if (negative) distinct[2 * k] = ~distinct[2 * k]!;
  }
  const codes = codesArray(size, count);
  codes.set(places);
  return { domain: listDomain(new Float64Array(distinct.buffer, 0, size)), codes };
}
