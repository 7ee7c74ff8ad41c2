import type { Codes } from '../../columns/index.ts';
import { valueOfCode } from '../../columns/index.ts';
import type { Typed } from '../../formula/index.ts';
import { columnsOf, compileScalar, operandsOf, tablesOf } from '../../formula/index.ts';
import { sameName } from '../../model/index.ts';
import type { Path, Via } from '../../relate/index.ts';
import { lookForInterruption, ROWS_BETWEEN_LOOKS } from '../interruption.ts';
import { codeMask, onlyColumn, rowMask } from '../masks.ts';
import type { ModelRows } from '../modelRows.ts';
import { compileRow } from '../rowFormula.ts';
import type { ColumnInput, Through } from './operands.ts';
import type { Field } from './plan.ts';

/**
 * An input that leads to rows of a looked-up table, and what makes tables by row + 1 tables by what it holds.
 */
export interface Way {
  readonly input: number;
  readonly through: Through;
}

/** Combinations of values up to which each of them is judged, in place of each row. */
const MOST_COMBINED = 1 << 20;

/** What a table by code says of each row. */
export function rowsByCode(codes: Codes, byCode: Uint8Array): Uint8Array {
  const rows = new Uint8Array(codes.length);
  for (let row = 0; row < rows.length; row++) rows[row] = byCode[codes[row]!]!;
  return rows;
}

/** Whether a formula reads columns alone: none of the rows that refer to its own. */
const isOfColumns = (typed: Typed): boolean =>
  typed.kind !== 'aggregate' && operandsOf(typed).every(isOfColumns);

/** The arrays that a plan reads, each once. */
export class Inputs {
  readonly codes: Codes[] = [];
  private readonly tables = new Map<object, number>();

  constructor(
    readonly data: ModelRows,
    readonly base: string,
    readonly via: Via,
  ) {}

  of(codes: Codes): number {
    const known = this.codes.indexOf(codes);
    return known >= 0 ? known : this.codes.push(codes) - 1;
  }

  /** How the base table leads to one that it looks up; undefined for the base table itself. */
  way(table: string): Way | undefined {
    return this.wayOf(this.data.checker.reach.lookup(this.base, table, this.via)!);
  }

  wayOf(path: Path): Way | undefined {
    const start = this.data.pathStart(path);
    if (!start) return undefined;
    const { codes, rowOf } = start;
    return {
      input: this.of(codes),
      through: (byRow) => {
        if (!rowOf) return byRow;
        const byCode = new (byRow.constructor as new (length: number) => typeof byRow)(rowOf.length);
        for (let code = 0; code < rowOf.length; code++) byCode[code] = byRow[rowOf[code]!]!;
        return byCode;
      },
    };
  }

  column(table: string, name: string): ColumnInput {
    const column = this.data.column(table, name);
    return { column, ...(this.way(table) ?? { input: this.of(column.codes) }) };
  }

  /** What a condition says of each base row: each part of an `and` or `or` where its columns are. */
  baseMask(typed: Typed): Uint8Array {
    if (typed.kind === 'logic') {
      const mask = this.baseMask(typed.left);
      const other = this.baseMask(typed.right);
      if (typed.operator === 'and') for (let row = 0; row < mask.length; row++) mask[row]! &= other[row]!;
      else for (let row = 0; row < mask.length; row++) mask[row]! |= other[row]!;
      return mask;
    }
    return this.lookedUpMask(typed) ?? this.combinedMask(typed) ?? this.judgedMask(typed);
  }

  /** Of a condition on one table: judged on its rows, or on the values of its one column. */
  private lookedUpMask(typed: Typed): Uint8Array | undefined {
    const tables = tablesOf(typed);
    if (tables.length !== 1) return undefined;
    const way = this.way(tables[0]!);
    if (way) return rowsByCode(this.codes[way.input]!, way.through(rowMask(this.data, tables[0]!, typed)));
    const only = onlyColumn(this.data, typed);
    const byCode = only && codeMask(only, typed);
    return only && byCode ? rowsByCode(only.codes, byCode) : undefined;
  }

  /** Of a condition on columns of the base table with few combinations of values: each is judged once. */
  private combinedMask(typed: Typed): Uint8Array | undefined {
    const named = columnsOf(typed);
    if (!isOfColumns(typed) || named.some((c) => !sameName(c.table, this.base))) return undefined;
    const columns = named.map((c) => this.data.column(c.table, c.column));
    const places = columns.reduce((product, c) => product * (c.domain.size + 1), 1);
    const rowCount = this.data.rowCount(this.base);
    if (columns.length === 0 || places > MOST_COMBINED || places > rowCount) return undefined;
    const codes = columns.map((c) => c.codes);
    const sizes = columns.map((c) => c.domain.size + 1);
    const at = new Int32Array(columns.length);
    const passes = compileScalar(typed, (node) => {
      if (node.kind !== 'column') throw new TypeError(`${node.kind} is no column`);
      const k = named.findIndex((c) => sameName(c.table, node.table) && sameName(c.column, node.column));
      return () => valueOfCode(columns[k]!.domain, at[k]!);
    });
    // 1 more than what the condition says; 0 where the combination has not been met.
    const known = new Uint8Array(places);
    const mask = new Uint8Array(rowCount);
    for (let row = 0; row < rowCount; row++) {
      let place = 0;
      for (let k = 0; k < codes.length; k++) place = place * sizes[k]! + codes[k]![row]!;
      if (known[place] === 0) {
        for (let k = 0; k < codes.length; k++) at[k] = codes[k]![row]!;
        known[place] = passes(0) === true ? 2 : 1;
      }
      mask[row] = known[place]! - 1;
    }
    return mask;
  }

  /** Judged row by row. */
  private judgedMask(typed: Typed): Uint8Array {
    const passes = compileRow(this.data, typed, (table) => this.data.lookupIndex(this.base, table, this.via));
    const mask = new Uint8Array(this.data.rowCount(this.base));
    for (let row = 0; row < mask.length; row++) {
      if (row % ROWS_BETWEEN_LOOKS === 0) lookForInterruption();
      mask[row] = passes(row) === true ? 1 : 0;
    }
    return mask;
  }

  /** Tells fields apart: two of one key are the same. */
  keyOf(field: Field): string {
    return JSON.stringify(field, (_, value: unknown) => {
      if (typeof value === 'bigint') return `${value}n`;
      if (typeof value === 'number' && !Number.isFinite(value)) return String(value);
      if (!ArrayBuffer.isView(value)) return value;
      if (!this.tables.has(value)) this.tables.set(value, this.tables.size);
      return { table: this.tables.get(value) };
    });
  }
}
