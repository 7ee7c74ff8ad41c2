import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';

/** A database that cannot be reached or read: the message says which, why, and what to do. */
export class DatabaseError extends Error {}

/** Which table of a database. SQLite files have no schemas. */
export interface TableName {
  readonly schema?: string | undefined;
  readonly table: string;
}

/** A column as the database declares it. */
export interface DrawnColumn {
  readonly name: string;
  /** What it is read as; undefined where the rows are to tell. */
  readonly type: DataType | undefined;
  /** Declared as text: rows may tell that it holds days, never that it holds numbers. */
  readonly isText: boolean;
  readonly pattern?: string;
  /** What its type is there, where it is read as another. */
  readonly was?: string;
}

/** A table before it is drawn. */
export interface TableAbout {
  readonly columns: readonly DrawnColumn[];
  /** As far as the database knows without counting. */
  readonly rows: number | null;
}

/** What a draw is told while it goes on. */
export interface Drawing {
  /** Names of columns, in order; by default all. One that is gone by now is an error. */
  readonly columns?: readonly string[];
  readonly limit?: number;
  /** Stands for null in the text, because an empty text is not null. */
  readonly nullText: string;
  readonly signal: AbortSignal;
  onBytes(bytes: number): void;
}

/** One database that tables are read from. Nothing is ever written to it. */
export interface DatabaseReader {
  /** Connects and gives the server's own name and version. */
  test(signal?: AbortSignal): Promise<string>;
  tables(): Promise<DatabaseTable[]>;
  /** What the account may do beyond reading these tables, and the SQL for one that cannot. */
  rights(tables: readonly TableName[]): Promise<RightsState>;
  about(table: TableName): Promise<TableAbout>;
  /** Rows of a table as delimited UTF-8 text with a header (RFC 4180), written to a file as they come. */
  draw(table: TableName, file: string, drawing: Drawing): Promise<void>;
}

/** The values that rows have together in some columns, as texts, and how many rows have them. */
export interface Groups {
  /** By group, in any order. */
  readonly cells: readonly (readonly (string | null)[])[];
  readonly counts: readonly number[];
}

/** What stands in a column, as `groups` has it. */
export interface CellText {
  readonly column: string;
  readonly text: string | null;
}

/** A database whose tables can be passed through: groups of their rows are asked for. */
export interface GroupedReader {
  about(table: TableName): Promise<TableAbout>;
  /** At most so many groups, of at least so many rows each; of no columns one group of all rows. */
  groups(table: TableName, columns: readonly string[], most: number, rows?: number): Promise<Groups>;
  /** Some rows, as they come first; those that have some texts in columns in the order of their values. */
  firstRows(
    table: TableName,
    columns: readonly string[],
    most: number,
    where?: readonly CellText[],
  ): Promise<(string | null)[][]>;
  /** How many rows have no value in each of some columns. */
  nulls(table: TableName, columns: readonly string[]): Promise<number[]>;
  /** What changes when rows may have changed; undefined where nobody knows. */
  version(table: TableName): Promise<string | undefined>;
}

/** A name as SQL writes it, whatever it holds. */
export const quoteIdentifier = (name: string): string => {
  if (name.includes('\0')) throw new DatabaseError('a name with a zero byte is none of a database');
  return `"${name.replaceAll('"', '""')}"`;
};

export const tableText = ({ schema, table }: TableName): string =>
  schema === undefined ? table : `${schema}.${table}`;
