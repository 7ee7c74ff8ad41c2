import type { Value } from '../values/index.ts';
import type { Codes, Column, RowLists, TableData } from '../columns/index.ts';
import type { FormulaChecker, TypedAggregate } from '../formula/index.ts';
import type { Model, Relationship, Table } from '../model/index.ts';
import type { Path, RowIndex, Via } from '../relate/index.ts';

import type { KeyColumns, PathStart } from './rowIndexes.ts';

/** Which executor runs plans. `auto` has code made where there are enough rows to be worth it. */
export type Executor = 'auto' | 'plain' | 'compiled';

/** A tuple of members, with the value of each measure. */
export interface FoundCell {
  /** By axis. */
  readonly codes: readonly number[];
  readonly values: readonly Value[];
}

/**
 * What the way from a question to its answer reads of a model and its rows; `ModelData` has it. All throw
 * DataError for what cannot be had.
 */
export interface ModelRows {
  readonly model: Model;
  readonly checker: FormulaChecker;
  /** Days since 1970-01-01. */
  readonly today: number;
  readonly executor: Executor;
  modelTable(name: string): Table;
  table(name: string): TableData;
  rowCount(table: string): number;
  column(table: string, column: string): Column;
  /** An aggregate of a row formula: for each row of its owner. */
  referring(node: TypedAggregate & { readonly owner: string }): Value[];
  hasSeveralPartners(r: Relationship): boolean;
  pathIndex(path: Path): RowIndex | undefined;
  /** Rows of one end of a relationship by the key of the other; `keyOf` gives that of each of its rows. */
  entryLists(entering: KeyColumns, met: KeyColumns): RowLists & { readonly keyOf: Uint32Array };
  pathStart(path: Path): PathStart | undefined;
  startOf(
    base: string,
    table: string,
    via?: Via,
  ): { readonly codes: Codes; readonly size: number } | undefined;
  lookupIndex(base: string, table: string, via?: Via): RowIndex | undefined;
  ends(end: { table: string; columns: readonly string[] }): TableData;
  determines(table: string, levelColumns: readonly string[], column: string): boolean;
  calendarDays(table: string): { sorted: number[]; byRow: (number | null)[] };
}
