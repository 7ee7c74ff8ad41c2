import type { DataType, Value } from '../values/index.ts';
import type { Codes, Column, SizedCodes } from '../columns/index.ts';
import { columnOfNumbered, numberCombinations } from '../columns/index.ts';
import type { Evaluate, Typed } from '../formula/index.ts';
import { walkTyped } from '../formula/index.ts';
import type { Via } from '../relate/index.ts';
import type { ModelRows } from './modelRows.ts';
import { rowValues } from './rowFormula.ts';
import { lookForInterruption, ROWS_BETWEEN_LOOKS } from './interruption.ts';

/**
 * Up to so many combinations of codes have a place; beyond them, or beyond the rows, a formula is worked out
 * row by row.
 */
const MOST_PLACES = 1 << 26;

/**
 * The values of a row formula by number: `numbers[row]` is 0 for null, else one more than the value's place
 * among `distinct`. A value that a few columns decide is worked out once for each combination of their codes,
 * not for each row.
 */
export function numberedValues(
  data: ModelRows,
  table: string,
  typed: Typed,
  via: Via = [],
): { numbers: Uint32Array; distinct: Value[] } {
  const rows = data.rowCount(table);
  const evaluate = rowValues(data, table, typed, via);
  const deciding = decidingCodes(data, table, typed, via);
  const places = deciding?.reduce((n, d) => n * d.size, 1) ?? Infinity;
  return deciding && places <= Math.min(MOST_PLACES, Math.max(1 << 16, rows))
    ? byCombination(deciding, rows, evaluate)
    : byRow(rows, evaluate);
}

/** A column of a row formula over the rows of a table. */
export function derivedColumn(
  data: ModelRows,
  table: string,
  typed: Typed,
  name: string,
  type: DataType,
): Column {
  const { numbers, distinct } = numberedValues(data, table, typed);
  return columnOfNumbered(name, type, numbers, distinct);
}

/** Codes that decide the value on each row; undefined where more than columns of looked-up rows matters. */
function decidingCodes(data: ModelRows, table: string, typed: Typed, via: Via): SizedCodes[] | undefined {
  const found = new Map<Codes, SizedCodes>();
  let whole = true;
  walkTyped(typed, (node) => {
    if (
      node.kind === 'aggregate' ||
      node.kind === 'per' ||
      node.kind === 'measure' ||
      node.kind === 'context'
    )
      whole = false;
    if (node.kind !== 'column' || !whole) return;
    const start = data.startOf(table, node.table, via);
    const column = start ? undefined : data.column(table, node.column);
    const codes = start?.codes ?? column!.codes;
    found.set(codes, { codes, size: start?.size ?? column!.domain.size + 1 });
  });
  return whole ? [...found.values()] : undefined;
}

function interning() {
  const numberOf = new Map<Value, number>();
  const distinct: Value[] = [];
  const number = (value: Value): number => {
    if (value === null) return 0;
    let known = numberOf.get(value);
    if (known === undefined) {
      distinct.push(value);
      numberOf.set(value, (known = distinct.length));
    }
    return known;
  };
  return { distinct, number };
}

function byRow(rows: number, evaluate: Evaluate): { numbers: Uint32Array; distinct: Value[] } {
  const { distinct, number } = interning();
  const numbers = new Uint32Array(rows);
  for (let row = 0; row < rows; row++) {
    if (row % ROWS_BETWEEN_LOOKS === 0) lookForInterruption();
    numbers[row] = number(evaluate(row));
  }
  return { numbers, distinct };
}

function byCombination(deciding: readonly SizedCodes[], rows: number, evaluate: Evaluate) {
  const { distinct, number } = interning();
  const numbers = numberCombinations(deciding, rows, (row) => number(evaluate(row)), lookForInterruption);
  return { numbers, distinct };
}
