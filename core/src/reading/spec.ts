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
}

export interface ReadSpec {
  readonly table: string;
  readonly columns: readonly ColumnToRead[];
  readonly dialect: Dialect;
  /** Texts that mean null; by default the empty field. */
  readonly nulls?: readonly string[];
}
