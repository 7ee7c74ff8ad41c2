import type { Exact, Value } from '../values/index.ts';
import { add, formatType, isExact, isNumeric, toJson } from '../values/index.ts';
import type { Column, ReadProblem, TableData } from '../columns/index.ts';
import {
  codesArray,
  columnOf,
  columnOfCodes,
  columnOfValues,
  columnValues,
  mergeDomains,
  PartsError,
  tableOf,
  valueAt,
} from '../columns/index.ts';
import { keyNumbers } from '../relate/index.ts';

/**
 * What becomes of rows whose key is there already: their values are taken over, or their quantities are added
 * onto those that are there.
 */
export const MERGE_MODES = ['update', 'add quantities'] as const;
export type MergeMode = (typeof MERGE_MODES)[number];

export interface MergeOrder {
  readonly mode: MergeMode;
  /** Columns that tell a row. */
  readonly key: readonly string[];
  /** Columns that are added, with `add quantities`. */
  readonly quantities: readonly string[];
}

/**
 * Coming rows by what becomes of them: they make new rows, change one, leave one as it was, or are refused.
 */
export interface LoadCounts {
  readonly added: number;
  readonly changed: number;
  readonly unchanged: number;
  readonly refused: number;
}

type Json = null | boolean | number | string;

/** A value that a load changes. */
export interface LoadChange {
  readonly key: readonly Json[];
  readonly column: string;
  readonly before: Json;
  readonly after: Json;
}

export interface Merged {
  readonly table: TableData;
  readonly counts: LoadCounts;
  /** Rows that were not taken, with their lines; the first thousand. */
  readonly refused: readonly ReadProblem[];
  /** Some of what changes. */
  readonly changes: readonly LoadChange[];
}

const KEPT_REFUSED = 1000;
const KEPT_CHANGES = 20;
const NONE = -1;
const SEVERAL = -2;

/**
 * Brings rows into a table by key. Rows that are there keep their places, new ones follow; columns that do
 * not come keep their values, and are null in new rows. A row without a key, or whose key cannot tell one
 * row, is refused. Throws PartsError where columns do not fit together.
 */
export function mergeRows(existing: TableData, coming: TableData, order: MergeOrder): Merged {
  checkColumns(existing, coming, order);
  const { own, target, refusals, refused } = matchRows(existing, coming, order);
  const width = existing.rowCount + own.length;
  /** By row of the result: the coming row that it takes its values from, or none. */
  const source = new Int32Array(width).fill(NONE);
  target.forEach((row, from) => {
    if (row >= 0 && row < existing.rowCount && source[row] === NONE) source[row] = from;
  });
  own.forEach((from, i) => (source[existing.rowCount + i] = from));
  const changed = new Uint8Array(existing.rowCount);
  const changes: LoadChange[] = [];
  const note = (row: number, column: Column, before: Value, after: Value) => {
    changed[row] = 1;
    if (changes.length < KEPT_CHANGES)
      changes.push({
        key: order.key.map((name) => {
          const k = columnOf(existing, name);
          return toJson(valueAt(k, row), k.type);
        }),
        column: column.name,
        before: toJson(before, column.type),
        after: toJson(after, column.type),
      });
  };
  const isQuantity = (name: string) =>
    order.mode === 'add quantities' && order.quantities.some((q) => q.toLowerCase() === name.toLowerCase());
  const columns = [...existing.columns].map(([key, column]) => {
    const other = coming.columns.get(key);
    if (isQuantity(column.name) && other) return added(column, other, target, width, existing.rowCount, note);
    // With quantities added, everything else stays as it is; new rows bring all that they have.
    const takes = (row: number) => row >= existing.rowCount || order.mode === 'update';
    return taken(column, other, source, takes, note);
  });
  const { lineOf: was } = existing;
  const { lineOf: comes } = coming;
  const isThere = (row: number) => row >= 0 && row < existing.rowCount;
  const tally = (is: (row: number) => boolean) => target.reduce((n, row) => n + (is(row) ? 1 : 0), 0);
  return {
    table: tableOf(existing.name, columns, {
      rowCount: width,
      ...(existing.sourceNames ? { sourceNames: existing.sourceNames } : {}),
      problems: [...existing.problems, ...coming.problems],
      misfits: existing.misfits,
      ...(was || comes
        ? {
            lineOf: (row: number) =>
              source[row]! >= 0 && (row >= existing.rowCount || changed[row])
                ? (comes?.(source[row]!) ?? 0)
                : (was?.(row) ?? 0),
          }
        : {}),
    }),
    counts: {
      added: tally((row) => row >= existing.rowCount),
      changed: tally((row) => isThere(row) && changed[row] === 1),
      unchanged: tally((row) => isThere(row) && changed[row] === 0),
      refused: refusals,
    },
    refused,
    changes,
  };
}

function checkColumns(existing: TableData, coming: TableData, { key, quantities, mode }: MergeOrder): void {
  if (key.length === 0) throw new PartsError('rows are matched by key: choose the key columns first');
  for (const name of key)
    for (const [table, whose] of [
      [existing, 'the rows that are there'],
      [coming, 'the new ones'],
    ] as const)
      if (!table.columns.has(name.toLowerCase()))
        throw new PartsError(`${whose} have no column ${name}, which is part of the key`);
  for (const [name, column] of coming.columns) {
    const had = existing.columns.get(name);
    if (!had)
      throw new PartsError(
        `the rows that are there have no column ${column.name}: leave it out, or load all rows again`,
      );
    if (formatType(had.type) !== formatType(column.type))
      throw new PartsError(
        `${column.name} is ${formatType(had.type)} in the rows that are there and ${formatType(column.type)} in the new ones`,
      );
  }
  if (mode === 'add quantities')
    for (const name of quantities) {
      const column = existing.columns.get(name.toLowerCase());
      if (!column || !isNumeric(column.type))
        throw new PartsError(`${name} is no column of numbers: only those can be added`);
    }
}

/**
 * By coming row the row of the result that it belongs to, or none; `own` are the coming rows that begin new
 * ones.
 */
function matchRows(existing: TableData, coming: TableData, { key }: MergeOrder) {
  const of = (table: TableData) => key.map((name) => columnOf(table, name));
  const keys = keyNumbers(of(coming), of(existing));
  const rowOf = new Int32Array(keys.size).fill(NONE);
  keys.to.forEach((k, row) => (rowOf[k] = rowOf[k] === NONE ? row : SEVERAL));
  const met = new Uint8Array(keys.size);
  const target = new Int32Array(coming.rowCount).fill(NONE);
  const own: number[] = [];
  const refused: ReadProblem[] = [];
  let refusals = 0;
  const refuse = (row: number, message: string) => {
    refusals++;
    if (refused.length < KEPT_REFUSED)
      refused.push({ line: coming.lineOf?.(row) ?? row + 1, message, kind: 'refused' });
  };
  keys.from.forEach((k, row) => {
    if (k === 0) return refuse(row, `the key (${key.join(', ')}) has no value`);
    const there = rowOf[k]!;
    if (there === SEVERAL)
      return refuse(row, 'its key occurs several times in the table: it is not clear which row is meant');
    // Two lines of one key are not merged: what only one of them says would be lost.
    if (met[k]) return refuse(row, 'its key occurs a second time in the load');
    met[k] = 1;
    if (there >= 0) target[row] = there;
    else {
      target[row] = existing.rowCount + own.length;
      rowOf[k] = target[row]!;
      own.push(row);
    }
  });
  return { own, target, refusals, refused };
}

/** Values that are there, or those that come in their place. */
function taken(
  column: Column,
  other: Column | undefined,
  source: Int32Array,
  takes: (row: number) => boolean,
  note: (row: number, column: Column, before: Value, after: Value) => void,
): Column {
  const { domain, maps } = other
    ? mergeDomains([column.domain, other.domain])
    : { domain: column.domain, maps: [undefined, undefined] as (Uint32Array | undefined)[] };
  const [ownMap, otherMap] = maps;
  const codes = codesArray(domain.size, source.length);
  for (let row = 0; row < codes.length; row++) {
    const from = source[row]!;
    const isThere = row < column.rowCount;
    const before = isThere ? (ownMap ? ownMap[column.codes[row]!]! : column.codes[row]!) : 0;
    if (from < 0 || !takes(row) || !other) {
      codes[row] = before;
      continue;
    }
    const after = otherMap ? otherMap[other.codes[from]!]! : other.codes[from]!;
    codes[row] = after;
    if (isThere && after !== before)
      note(row, column, columnValues(column)[column.codes[row]!]!, columnValues(other)[other.codes[from]!]!);
  }
  return columnOfCodes(column.name, column.type, domain, codes);
}

/**
 * Values that are there with those that come added; null counts for nothing, and stays null where nothing
 * comes.
 */
function added(
  column: Column,
  other: Column,
  target: Int32Array,
  width: number,
  rows: number,
  note: (row: number, column: Column, before: Value, after: Value) => void,
): Column {
  const [own, coming] = [columnValues(column), columnValues(other)];
  const values: Value[] = Array.from({ length: width }, (_, row) =>
    row < rows ? own[column.codes[row]!]! : null,
  );
  const plus = (a: Value, b: Value): Value =>
    a === null
      ? b
      : b === null
        ? a
        : isExact(column.type)
          ? add(a as Exact, b as Exact)
          : (a as number) + (b as number);
  target.forEach((row, from) => {
    if (row >= 0) values[row] = plus(values[row]!, coming[other.codes[from]!]!);
  });
  for (let row = 0; row < rows; row++) {
    const before = own[column.codes[row]!]!;
    if (values[row] !== before) note(row, column, before, values[row]!);
  }
  return columnOfValues(column.name, column.type, values);
}
