import type { Codes } from '../../columns/index.ts';
import type { Typed } from '../../formula/index.ts';
import { tablesOf } from '../../formula/index.ts';
import type { Path, Via } from '../../relate/index.ts';
import { numberedValues } from '../derivedColumn.ts';
import { codeMask, onlyColumn, rowMask } from '../masks.ts';
import type { ModelRows } from '../modelRows.ts';
import type { ColumnInput, Through } from './operands.ts';
import type { Field } from './plan.ts';

/**
 * An input that leads to rows of a looked-up table, and what makes tables by row + 1 tables by what it holds.
 */
export interface Way {
  readonly input: number;
  readonly through: Through;
}

/** What a table by code says of each row. */
export function rowsByCode(codes: Codes, byCode: Uint8Array): Uint8Array {
  const rows = new Uint8Array(codes.length);
  for (let row = 0; row < rows.length; row++) rows[row] = byCode[codes[row]!]!;
  return rows;
}

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
    const start = this.startOf(path);
    return start && { input: this.of(start.codes), through: start.through };
  }

  /** The codes that lead along a path, without being an input yet. */
  private startOf(path: Path): { codes: Codes; through: Through } | undefined {
    const start = this.data.pathStart(path);
    if (!start) return undefined;
    const { codes, rowOf } = start;
    return {
      codes,
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
    return this.lookedUpMask(typed) ?? this.judgedMask(typed);
  }

  /** Of a condition on one table: judged on its rows, or on the values of its one column. */
  private lookedUpMask(typed: Typed): Uint8Array | undefined {
    const tables = tablesOf(typed);
    if (tables.length !== 1) return undefined;
    const start = this.startOf(this.data.checker.reach.lookup(this.base, tables[0]!, this.via)!);
    if (start) return rowsByCode(start.codes, start.through(rowMask(this.data, tables[0]!, typed)));
    const only = onlyColumn(this.data, typed);
    const byCode = only && codeMask(only, typed);
    return only && byCode ? rowsByCode(only.codes, byCode) : undefined;
  }

  /** Judged once for each combination of the values that it rests on, or row by row where there are many. */
  private judgedMask(typed: Typed): Uint8Array {
    const { numbers, distinct } = numberedValues(this.data, this.base, typed, this.via);
    return rowsByCode(
      numbers,
      Uint8Array.from([null, ...distinct], (value) => (value === true ? 1 : 0)),
    );
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
