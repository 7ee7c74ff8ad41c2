import type { Value } from '../values/index.ts';
import { scaleOf, toDouble } from '../values/index.ts';
import type { Column, TableData } from '../columns/index.ts';
import { columnOf, columnValues } from '../columns/index.ts';
import type { Relationship } from '../model/index.ts';

/** Looked-up row of each row: row + 1 of the other table, or 0 where there is no partner. */
export type RowIndex = Uint32Array;

/**
 * One number per distinct key of a row's columns; 0 where one of them is null. Equal keys of both ends get
 * equal numbers.
 */
export interface KeyNumbers {
  readonly from: Uint32Array;
  readonly to: Uint32Array;
  /** Keys are numbered from 1 up to, not including, this. */
  readonly size: number;
}

/** Values of two numeric columns are compared as numbers whatever their scale; everything else as it is. */
const comparableValue = (value: Value, column: Column): Value =>
  typeof value === 'string' || typeof value === 'boolean' || value === null
    ? value
    : column.type.kind === 'decimal'
      ? normalised(value as number | bigint, scaleOf(column.type))
      : value;

/** A decimal as the integer it equals, or as text where it has a fraction, or is beyond a safe number. */
const normalised = (value: number | bigint, scale: number): Value => {
  const factor = 10 ** scale;
  if (typeof value === 'number') return value % factor === 0 ? value / factor : toDouble(value, scale);
  return value % BigInt(factor) === 0n ? value / BigInt(factor) : toDouble(value, scale);
};

/**
 * Numbers the keys of both ends of a relationship alike, column by column through the dictionaries, not row
 * by row.
 */
export function keyNumbers(from: readonly Column[], to: readonly Column[]): KeyNumbers {
  let [a, b] = [new Uint32Array(from[0]!.rowCount), new Uint32Array(to[0]!.rowCount)];
  let size = 1;
  from.forEach((fromColumn, i) => {
    const toColumn = to[i]!;
    const numbers = new Map<Value, number>();
    const number = (value: Value) => {
      let known = numbers.get(value);
      if (known === undefined) numbers.set(value, (known = numbers.size + 1));
      return known;
    };
    const numbered = (column: Column) =>
      Uint32Array.from(columnValues(column), (value, code) =>
        code === 0 ? 0 : number(comparableValue(value, column)),
      );
    const [fromNumbers, toNumbers] = [numbered(fromColumn), numbered(toColumn)];
    if (i === 0) {
      a = Uint32Array.from({ length: a.length }, (_, row) => fromNumbers[fromColumn.codes[row]!]!);
      b = Uint32Array.from({ length: b.length }, (_, row) => toNumbers[toColumn.codes[row]!]!);
      size = numbers.size + 1;
      return;
    }
    const pairs = new Map<number, number>();
    const width = numbers.size + 1;
    const combine = (rows: Uint32Array, column: Column, codes: Uint32Array) => {
      for (let row = 0; row < rows.length; row++) {
        const next = codes[column.codes[row]!]!;
        if (rows[row] === 0 || next === 0) {
          rows[row] = 0;
          continue;
        }
        const pair = rows[row]! * width + next;
        let known = pairs.get(pair);
        if (known === undefined) pairs.set(pair, (known = pairs.size + 1));
        rows[row] = known;
      }
    };
    combine(a, fromColumn, fromNumbers);
    combine(b, toColumn, toNumbers);
    size = pairs.size + 1;
  });
  return { from: a, to: b, size };
}

/** Whether codes of two columns are a fixed distance apart: ranges of one type. */
const areShifted = (from: Column, to: Column): boolean =>
  from.domain.kind === 'range' &&
  to.domain.kind === 'range' &&
  from.type.kind === to.type.kind &&
  scaleOf(from.type) === scaleOf(to.type);

/**
 * By code of a column: row + 1 of the first row that has the same value in the other column, or 0. Rows
 * themselves are not touched on this side, so a lookup costs what its dictionary costs, however many rows
 * there are.
 */
export function rowByCode(from: Column, to: Column): Uint32Array {
  const first = new Uint32Array(to.domain.size + 1);
  const { codes } = to;
  for (let row = codes.length - 1; row >= 0; row--) first[codes[row]!] = row + 1;
  first[0] = 0;
  const found = new Uint32Array(from.domain.size + 1);
  if (from.domain.kind === 'range' && to.domain.kind === 'range' && areShifted(from, to)) {
    const shift = from.domain.first - to.domain.first;
    // Code 0 of the other side is null, which is nobody's partner; beyond its range there is nothing.
    for (let code = 1; code < found.length; code++) found[code] = first[code + shift] ?? 0;
    return found;
  }
  const rowOf = new Map<Value, number>();
  columnValues(to).forEach((value, code) => {
    if (code > 0 && first[code] !== 0) rowOf.set(comparableValue(value, to), first[code]!);
  });
  columnValues(from).forEach((value, code) => {
    if (code > 0) found[code] = rowOf.get(comparableValue(value, from)) ?? 0;
  });
  return found;
}

/**
 * By code of a column: 1 where rows have a value that no row of the other column has. Read from the
 * dictionaries and histograms alone.
 */
export function orphanCodes(from: Column, to: Column): Uint8Array {
  if (from.domain.kind === 'range' && to.domain.kind === 'range' && areShifted(from, to)) {
    const shift = from.domain.first - to.domain.first;
    const { counts } = to;
    const own = from.counts;
    const orphans = new Uint8Array(own.length);
    // Beyond the other's range there are no counts.
    for (let code = 1; code < own.length; code++)
      if (own[code]! > 0 && (code + shift < 1 || !counts[code + shift])) orphans[code] = 1;
    return orphans;
  }
  const known = new Set<Value>();
  columnValues(to).forEach((value, code) => {
    if (code > 0 && to.counts[code]! > 0) known.add(comparableValue(value, to));
  });
  return Uint8Array.from(columnValues(from), (value, code) =>
    code > 0 && from.counts[code]! > 0 && !known.has(comparableValue(value, from)) ? 1 : 0,
  );
}

/** Whether a key that rows of `from` have stands on several rows of `to`. */
export function meetsSeveral(from: readonly Column[], to: readonly Column[]): boolean {
  if (to.length === 1 && to[0]!.distinct === to[0]!.rowCount - to[0]!.nulls) return false;
  const numbers = keyNumbers(from, to);
  const rows = new Uint32Array(numbers.size);
  for (const key of numbers.to) rows[key]!++;
  return numbers.from.some((key) => key !== 0 && rows[key]! > 1);
}

const relationshipKeys = (relationship: Relationship, from: TableData, to: TableData): KeyNumbers =>
  keyNumbers(
    relationship.from.columns.map((name) => columnOf(from, name)),
    relationship.to.columns.map((name) => columnOf(to, name)),
  );

/**
 * For each row of the `from` end its partner at the `to` end; of several partners the first (a claim tells of
 * them).
 */
export function rowIndex(relationship: Relationship, from: TableData, to: TableData): RowIndex {
  if (relationship.from.columns.length === 1) {
    const column = columnOf(from, relationship.from.columns[0]!);
    const byCode = rowByCode(column, columnOf(to, relationship.to.columns[0]!));
    const { codes } = column;
    const index = new Uint32Array(codes.length);
    for (let row = 0; row < index.length; row++) index[row] = byCode[codes[row]!]!;
    return index;
  }
  const keys = relationshipKeys(relationship, from, to);
  const first = new Uint32Array(keys.size);
  for (let row = keys.to.length - 1; row >= 0; row--) first[keys.to[row]!] = row + 1;
  first[0] = 0;
  return Uint32Array.from(keys.from, (k) => first[k]!);
}

/** Chains two indexes: where the first has no partner, neither has the chain. */
export const chained = (first: RowIndex, second: RowIndex): RowIndex =>
  Uint32Array.from(first, (row) => (row === 0 ? 0 : second[row - 1]!));
