import type { TableData } from '@crease/core/columns';
import type { Table } from '@crease/core/model';
import type { SqlDialect, StatementParts } from '@crease/core/sql';
import type { ColumnSql } from './readColumn.ts';
import type { Place, Search } from './places.ts';

/** One state of a database, in which statements are asked one after the other. */
export interface WarehouseSession {
  /** From now on the database ends a statement that takes longer. */
  endAfter(milliseconds: number): Promise<void>;
  /** Tables of a model in the catalog. Throws DatabaseError for one that may not be read. */
  findPlaces(search: Search): Promise<Map<string, Place>>;
  /**
   * Cells of a statement as texts, as `cellOf` reads them. Throws DataError for what the database refuses;
   * the session goes on.
   */
  texts(sql: string, values: readonly unknown[]): Promise<(string | null)[][]>;
  /** From now on rows come as they lie, from the first one on. */
  inOrder(): Promise<void>;
}

/** Pages (or other stretches that a database keeps rows in), from one up to but not with another. */
export interface Stretch {
  readonly from: number;
  readonly to: number;
}

/** How a kind of database says where rows are, beside its dialect. */
export interface PlacedRows extends ColumnSql {
  /** What tells rows of a place (alias `t`) apart, under the name that the dialect's `rowId` gives it. */
  rowId(place: Place): string;
  /** Whether rows of a place are drawn at random without reading all of them. */
  isDrawn(place: Place): boolean;
  /**
   * What stands behind the table (alias `t`): about a share of its rows (from 0 to 1), the same ones for each
   * statement; or those of a stretch; or all.
   */
  part(part: { readonly share?: number; readonly stretch?: Stretch }): string;
  /** Rows that are held here as a relation, with a number of each under the name of `rowId`. */
  valuesOf(table: Table, rows: TableData, text: StatementParts): string;
}

/** A database that can be asked where its rows lie. */
export interface WarehouseEngine {
  readonly dialect: SqlDialect;
  readonly rows: PlacedRows;
  /**
   * Does work within one state of the database. A signal ends the statement that runs, also at the server.
   * Throws DatabaseError for a database that cannot be reached.
   */
  within<T>(work: (session: WarehouseSession) => Promise<T>, signal?: AbortSignal): Promise<T>;
}

/** What is told of each statement once it has ended. */
export interface StatementTold {
  readonly sql: string;
  readonly milliseconds: number;
  readonly rows: number;
}
