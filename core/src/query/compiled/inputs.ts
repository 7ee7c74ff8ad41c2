import type { Codes } from '../../columns/index.ts';
import type { Typed } from '../../formula/index.ts';
import type { Via } from '../../relate/index.ts';
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
    const start = this.data.pathStart(this.data.checker.reach.lookup(this.base, table, this.via)!);
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

  /** What a condition says of each base row. */
  baseMask(typed: Typed): Uint8Array {
    const passes = compileRow(this.data, typed, (table) => this.data.lookupIndex(this.base, table, this.via));
    return Uint8Array.from({ length: this.data.rowCount(this.base) }, (_, row) =>
      passes(row) === true ? 1 : 0,
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
