import type { DataType, Value } from '../values/index.ts';
import { codesArray } from './codes.ts';
import type { Column } from './column.ts';
import { columnOfCodes, domainOfDistinct } from './column.ts';

/** A column of which only the values of groups are known. */
export interface GroupedValues {
  readonly name: string;
  readonly type: DataType;
  /** By group. */
  readonly values: readonly Value[];
}

/**
 * Columns of rows that are known by their groups: the values that rows have together, and how many rows have
 * them. Rows of a group follow each other; all columns have them in the same order.
 */
export function columnsOfGroups(columns: readonly GroupedValues[], counts: readonly number[]): Column[] {
  const rowCount = counts.reduce((sum, count) => sum + count, 0);
  return columns.map(({ name, type, values }) => {
    const numberOf = new Map<Value, number>();
    const distinct: Value[] = [];
    const numbers = values.map((value) => {
      if (value === null) return 0;
      let number = numberOf.get(value);
      if (number === undefined) numberOf.set(value, (number = distinct.push(value)));
      return number;
    });
    const { domain, remap } = domainOfDistinct(distinct, rowCount);
    const codes = codesArray(domain.size, rowCount);
    let at = 0;
    counts.forEach((count, group) => codes.fill(remap[numbers[group]!]!, at, (at += count)));
    return columnOfCodes(name, type, domain, codes);
  });
}
