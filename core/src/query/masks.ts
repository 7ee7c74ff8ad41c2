import type { Codes, Column } from '../columns/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Typed } from '../formula/index.ts';
import { columnsOf, compileScalar } from '../formula/index.ts';
import { cardinalityOf } from '../model/index.ts';
import type { Via } from '../relate/index.ts';
import type { Condition } from './context.ts';
import type { ModelRows } from './modelRows.ts';
import { codesWhere } from './codeRanges.ts';
import { compileRow } from './rowFormula.ts';
import { Tuples } from './tuples.ts';
import { lookForInterruption, ROWS_BETWEEN_LOOKS } from './interruption.ts';

const NO_ROW = new Uint32Array(1);

/** The one column that a condition rests on; undefined where it names several. */
export function onlyColumn(data: ModelRows, typed: Typed): Column | undefined {
  const columns = columnsOf(typed);
  return columns.length === 1 ? data.column(columns[0]!.table, columns[0]!.column) : undefined;
}

/**
 * What a condition on one column says by code; undefined where it is cheaper to judge it on each row: it is
 * not made of ranges, and there are as many values as rows.
 */
export function codeMask(column: Column, typed: Typed): Uint8Array | undefined {
  const ranged = codesWhere(column, typed);
  if (ranged) return ranged;
  if (column.domain.size >= column.rowCount) return undefined;
  const values = columnValues(column);
  const passes = compileScalar(typed, () => (code) => values[code]!);
  return Uint8Array.from(values, (_, code) => (passes(code) === true ? 1 : 0));
}

/**
 * What a condition on columns of one table says by row + 1; entry 0 stands for no row. Judged once per row,
 * or once per value.
 */
export function rowMask(data: ModelRows, table: string, typed: Typed): Uint8Array {
  const rowCount = data.rowCount(table);
  const mask = new Uint8Array(rowCount + 1);
  const none = compileRow(data, typed, () => NO_ROW);
  mask[0] = none(0) === true ? 1 : 0;
  const only = onlyColumn(data, typed);
  const byCode = only && codeMask(only, typed);
  if (only && byCode) {
    const codes: Codes = only.codes;
    for (let row = 0; row < rowCount; row++) mask[row + 1] = byCode[codes[row]!]!;
    return mask;
  }
  const passes = compileRow(data, typed, () => undefined);
  for (let row = 0; row < rowCount; row++) {
    if (row % ROWS_BETWEEN_LOOKS === 0) lookForInterruption();
    mask[row + 1] = passes(row) === true ? 1 : 0;
  }
  return mask;
}

/**
 * Rows of the calendar (row + 1; 0 is no row) that a set of days keeps; where `base` refers to a level of it,
 * those of whole members.
 */
export function dayMask(
  data: ModelRows,
  base: string,
  condition: Extract<Condition, { kind: 'days' }>,
  via: Via,
): Uint8Array {
  const path = data.checker.reach.lookup(base, condition.calendar, via)!;
  const level = path.find((r) => cardinalityOf(r) === 'many-to-level');
  return level ? wholeMembers(data, level.to, condition.keeps) : condition.keeps;
}

/** A member of a level is kept when all rows of the calendar that belong to it are. */
function wholeMembers(
  data: ModelRows,
  level: { table: string; columns: readonly string[] },
  keeps: Uint8Array,
): Uint8Array {
  const columns = level.columns.map((name) => data.column(level.table, name));
  const tuples = new Tuples(columns.map((c) => c.domain.size + 1));
  const member = Int32Array.from({ length: keeps.length - 1 }, (_, row) =>
    tuples.add((p) => columns[p]!.codes[row]!),
  );
  const whole = new Uint8Array(tuples.size).fill(1);
  member.forEach((m, row) => (whole[m]! &= keeps[row + 1]!));
  return Uint8Array.from(keeps, (_, i) => (i === 0 ? 0 : whole[member[i - 1]!]!));
}
