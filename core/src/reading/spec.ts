import type { DataType } from '../values/index.ts';
import type { Dialect } from './dialect.ts';

export interface ColumnToRead {
  /** Name in the table. */
  readonly name: string;
  /** Name in the file's header, if another. */
  readonly fileName?: string;
  readonly type: DataType;
  readonly pattern?: string;
  readonly decimalComma?: boolean;
  readonly thousands?: string;
  /**
   * Its field in a record, from 0: of two columns of one name, or of a file without names. By default it is
   * found by its name, or its turn.
   */
  readonly place?: number;
}

export interface ReadSpec {
  readonly table: string;
  readonly columns: readonly ColumnToRead[];
  readonly dialect: Dialect;
  /** Fields of a record of a file without a header; by default as many as there are columns. */
  readonly fields?: number;
  /** Texts that mean null; by default the empty field. */
  readonly nulls?: readonly string[];
}
