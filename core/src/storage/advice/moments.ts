import type { Column } from '../../columns/index.ts';
import { columnValues, walkTexts } from '../../columns/index.ts';
import type { Exact, WrittenMoment } from '../../values/index.ts';
import {
  DATE_PATTERNS,
  datePattern,
  fixedLayout,
  fixedReader,
  splitTimestamp,
  TIMESTAMP_PATTERNS,
} from '../../values/index.ts';

/** Moments of fewer different texts are few enough as they are. */
const LEAST_TEXTS = 2;

/** The moments of a column's values, by code; what stands at code 0 means nothing. */
export interface Moments {
  /** Days since 1970-01-01. */
  readonly days: Int32Array;
  /** Microseconds of the day. */
  readonly micros: Float64Array;
}

/** Moments that are written as texts, all by one pattern. */
export interface WrittenMoments extends Moments {
  readonly pattern: string;
}

const found = new WeakMap<Column, { readonly moments: WrittenMoments | undefined }>();

/**
 * The moments that a column's texts write, and the pattern by which all of them do; undefined where none is.
 */
export function momentsOf(column: Column): WrittenMoments | undefined {
  let known = found.get(column);
  if (!known) found.set(column, (known = { moments: readMoments(column) }));
  return known.moments;
}

const noMoments = (column: Column): Moments => ({
  days: new Int32Array(column.size + 1),
  micros: new Float64Array(column.size + 1),
});

/** The moments of a column of timestamps. */
export function momentsOfTimestamps(column: Column): Moments {
  const moments = noMoments(column);
  columnValues(column).forEach((value, code) => {
    if (value !== null) put(moments, code, splitTimestamp(value as Exact));
  });
  return moments;
}

function put({ days, micros }: Moments, code: number, moment: WrittenMoment): void {
  days[code] = moment.days;
  micros[code] = moment.micros;
}

function readMoments(column: Column): WrittenMoments | undefined {
  if (column.size < LEAST_TEXTS) return undefined;
  // Most columns of texts are told from their first one, without reading the others.
  const [first] = column.valuesOf([1]) as [string];
  for (const pattern of [...TIMESTAMP_PATTERNS, ...DATE_PATTERNS]) {
    if (datePattern(pattern)!.parseTimestamp(first) === undefined) continue;
    const moments = noMoments(column);
    if (readFixed(column, pattern, moments) ?? readPlain(column, pattern, moments))
      return { ...moments, pattern };
  }
  return undefined;
}

/** From the bytes of the texts; undefined where a text has to be looked at as such. */
function readFixed(column: Column, pattern: string, moments: Moments): true | undefined {
  const layout = fixedLayout(pattern);
  if (!layout) return undefined;
  const moment: WrittenMoment = { days: 0, micros: 0 };
  const read = fixedReader(layout, moment);
  const isWhole = walkTexts(column.encodedDomain(), (text, length, place) => {
    if (!read(text, length)) return false;
    put(moments, place + 1, moment);
    return true;
  });
  return isWhole || undefined;
}

function readPlain(column: Column, pattern: string, moments: Moments): boolean {
  const { parseTimestamp } = datePattern(pattern)!;
  return columnValues(column).every((text, code) => {
    if (text === null) return true;
    const value = parseTimestamp(text as string);
    if (value !== undefined) put(moments, code, splitTimestamp(value));
    return value !== undefined;
  });
}
