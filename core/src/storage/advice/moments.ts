import type { Column } from '../../columns/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { Value } from '../../values/index.ts';
import { DATE_PATTERNS, datePattern, TIMESTAMP_PATTERNS } from '../../values/index.ts';

/** Moments of fewer different texts are few enough as they are. */
const LEAST_TEXTS = 3;

interface Moments {
  /** By code; null for null. */
  readonly values: readonly Value[];
  readonly pattern: string;
}

const found = new WeakMap<Column, { readonly moments: Moments | undefined }>();

/**
 * The moments that a column's texts write, and the pattern by which all of them do; undefined where none is.
 */
export function momentsOf(column: Column): Moments | undefined {
  let known = found.get(column);
  if (!known) found.set(column, (known = { moments: readMoments(column) }));
  return known.moments;
}

function readMoments(column: Column): Moments | undefined {
  const texts = columnValues(column);
  if (texts.length < LEAST_TEXTS) return undefined;
  for (const text of [...TIMESTAMP_PATTERNS, ...DATE_PATTERNS]) {
    const pattern = datePattern(text)!;
    const values: Value[] = [];
    for (const t of texts) {
      const value = t === null ? null : pattern.parseTimestamp(t as string);
      if (value === undefined) break;
      values.push(value);
    }
    if (values.length === texts.length) return { values, pattern: text };
  }
  return undefined;
}
