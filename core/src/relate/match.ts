import type { Column } from '../columns/index.ts';
import { columnByCode, columnValues } from '../columns/index.ts';
import { keyNumbers } from './rowIndex.ts';
import type { Exact } from '../values/index.ts';
import { DATE, splitTimestamp, toJson } from '../values/index.ts';

/** What the rows say about relating some columns to others, before anybody decides. */
export interface Match {
  readonly rows: number;
  readonly nulls: number;
  /** Filled rows that find a partner. */
  readonly matched: number;
  readonly fromDistinct: number;
  readonly toDistinct: number;
  /** Whether each value of the `to` end stands on one row only, and likewise of the `from` end. */
  readonly toUnique: boolean;
  readonly fromUnique: boolean;
  readonly orphans: readonly { readonly value: string; readonly rows: number }[];
}

/** Orphans that are named, the most frequent first. */
export const MOST_ORPHANS = 8;

/** The days of moments. */
export function daysOfMoments(moments: Column): Column {
  const values = columnValues(moments);
  return columnByCode(moments.name, moments, DATE, (code) => {
    const value = values[code]!;
    return value === null ? null : splitTimestamp(value as Exact).days;
  });
}

/** Compares the values of two ends, all rows of both. */
export function matchColumns(from: readonly Column[], to: readonly Column[]): Match {
  const keys = keyNumbers(from, to);
  const [fromCounts, toCounts] = [new Uint32Array(keys.size), new Uint32Array(keys.size)];
  const firstRow = new Int32Array(keys.size).fill(-1);
  keys.from.forEach((key, row) => {
    fromCounts[key]!++;
    if (firstRow[key]! < 0) firstRow[key] = row;
  });
  for (const key of keys.to) toCounts[key]!++;
  let [matched, fromDistinct, toDistinct, fromMost, toMost] = [0, 0, 0, 0, 0];
  const orphans: { key: number; rows: number }[] = [];
  for (let key = 1; key < keys.size; key++) {
    const [a, b] = [fromCounts[key]!, toCounts[key]!];
    if (a > 0) fromDistinct++;
    if (b > 0) toDistinct++;
    if (a > fromMost) fromMost = a;
    if (b > toMost) toMost = b;
    if (a > 0 && b > 0) matched += a;
    if (a > 0 && b === 0) orphans.push({ key, rows: a });
  }
  const text = (key: number) =>
    from.map((c) => String(toJson(columnValues(c)[c.codes[firstRow[key]!]!]!, c.type))).join(', ');
  return {
    rows: keys.from.length,
    nulls: fromCounts[0]!,
    matched,
    fromDistinct,
    toDistinct,
    toUnique: toMost <= 1,
    fromUnique: fromMost <= 1,
    orphans: orphans
      .sort((x, y) => y.rows - x.rows)
      .slice(0, MOST_ORPHANS)
      .map(({ key, rows }) => ({ value: text(key), rows })),
  };
}
