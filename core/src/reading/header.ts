import { fieldText, LARGEST_RECORD_BYTES, Scanner } from './scanner.ts';
import { ReadError } from './errors.ts';
import type { Dialect } from './dialect.ts';
import type { ReadSpec } from './spec.ts';

/** Where the rows of a file begin, and which of their fields the columns are. */
export interface Layout {
  /** Fields of a record. */
  readonly width: number;
  /** Per column to read, its field from 0. */
  readonly places: readonly number[];
  /** First byte behind the header. */
  readonly bodyAt: number;
  /** The file's line on which the body starts, from 1. */
  readonly line: number;
}

const BYTE_ORDER_MARK = [0xef, 0xbb, 0xbf];

/**
 * Where the header begins, or the first row where there is none: behind a byte order mark and the lines
 * above. Undefined beyond the head.
 */
export function bodyStart(head: Uint8Array, dialect: Pick<Dialect, 'skip' | 'newline'>): number | undefined {
  let at = BYTE_ORDER_MARK.every((byte, i) => head[i] === byte) ? 3 : 0;
  for (let k = 0; k < (dialect.skip ?? 0); k++) {
    const end = head.indexOf(byteOf(dialect.newline), at);
    if (end < 0) return undefined;
    at = end + 1;
  }
  return at;
}

/**
 * Reads the header of a file of UTF-8 text. `head` is its beginning, `whole` whether that is all of it.
 * Gives undefined where the header goes on beyond the head. Throws ReadError for a file without a header or
 * without a wanted column.
 */
export function readLayout(spec: ReadSpec, head: Uint8Array, whole: boolean): Layout | undefined {
  const { dialect } = spec;
  const start = bodyStart(head, dialect);
  if (start === undefined) {
    if (!whole && head.length <= LARGEST_RECORD_BYTES) return undefined;
    throw new ReadError(
      `the file of table ${spec.table} has no line after the ${dialect.skip} lines to skip`,
    );
  }
  const above = dialect.skip ?? 0;
  if (!dialect.header) {
    const places = spec.columns.map(({ place }, i) => place ?? i);
    return { width: spec.fields ?? spec.columns.length, places, bodyAt: start, line: 1 + above };
  }
  const end = recordEnd(
    head,
    start,
    byteOf(dialect.quote),
    byteOf(dialect.delimiter),
    byteOf(dialect.newline),
  );
  if (end === undefined && !whole) {
    if (head.length > LARGEST_RECORD_BYTES)
      throw new ReadError(
        `table ${spec.table}: the record that starts on line 1 is longer than 64 MB: is a quote not closed?`,
      );
    return undefined;
  }
  if (start >= head.length)
    throw new ReadError(
      `the file of table ${spec.table} is empty: a header line with the column names is expected`,
    );
  const bodyAt = end ?? head.length;
  const names: string[] = [];
  const scanner = new Scanner(
    byteOf(dialect.delimiter),
    byteOf(dialect.quote),
    byteOf(dialect.newline),
    (spans) => {
      for (let i = 0; i < spans.count; i++)
        names.push(fieldText(spans, i, dialect.quote).trim().toLowerCase());
    },
  );
  scanner.push(head.subarray(start, bodyAt));
  scanner.end();
  let line = 1 + above;
  for (let i = start; i < bodyAt; i++) if (head[i] === byteOf(dialect.newline)) line++;
  return { width: names.length, places: placesOf(spec, names), bodyAt, line };
}

export const byteOf = (text: string): number => (text === '' ? 0 : text.charCodeAt(0));

function placesOf(spec: ReadSpec, names: readonly string[]): number[] {
  const taken = new Map<string, number>();
  return spec.columns.map((column) => {
    if (column.place !== undefined && column.place < names.length) return column.place;
    const wanted = column.fileName ?? column.name;
    // Of fields of one name the columns take one after the other.
    const name = wanted.trim().toLowerCase();
    const again = names.indexOf(name, (taken.get(name) ?? -1) + 1);
    const place = again < 0 ? names.indexOf(name) : again;
    taken.set(name, place);
    if (place < 0) {
      throw new ReadError(
        `the file of table ${spec.table} has no column "${wanted}"; its header names ${names.slice(0, 12).join(', ')}${names.length > 12 ? ', …' : ''}`,
      );
    }
    return place;
  });
}

/**
 * Where the record that starts at `from` ends, its line end included; undefined where that is not in the
 * bytes.
 */
function recordEnd(
  bytes: Uint8Array,
  from: number,
  quote: number,
  delimiter: number,
  newline: number,
): number | undefined {
  let inQuotes = false;
  let closedAt = -1; // where the field's quotes were last closed: a quote right behind goes on within them
  for (let at = from, fieldStart = from; at < bytes.length; at++) {
    const byte = bytes[at]!;
    if (at === fieldStart && quote !== 0 && byte === quote) inQuotes = true;
    else if (inQuotes) {
      if (byte === quote) [inQuotes, closedAt] = [false, at];
    } else if (byte === quote && at === closedAt + 1 && closedAt > fieldStart) inQuotes = true;
    else if (byte === newline) return at + 1;
    else if (byte === delimiter) fieldStart = at + 1;
  }
  return undefined;
}
