import pg from 'pg';
import type { Json } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import type { CompiledRows } from '@crease/core/sql';
import { cellJson, postgresql } from '@crease/core/sql';
import { cellOf } from '../release/postgresqlCells.ts';

/** SQLSTATE of a statement that was ended because it took too long, or was cancelled (57014). */
const QUERY_CANCELED = '57014';

/** What is told of each statement once it has ended. */
export interface StatementTold {
  readonly sql: string;
  readonly milliseconds: number;
  readonly rows: number;
}

/** Statements within one transaction: what the server refuses ends the statement, not the transaction. */
export class Session {
  constructor(
    private readonly client: pg.Client,
    private readonly tell: (statement: StatementTold) => void = () => undefined,
  ) {}

  /** Rows of a compiled statement as JSON. Throws DataError for what the server refuses. */
  async rows({ sql, parameters, columns }: CompiledRows): Promise<Json[][]> {
    const values = parameters.map(({ value, type }) => postgresql.bound(value, type));
    const rows = await this.texts(sql, values);
    return rows.map((row) =>
      row.map((text, i) => {
        const { type } = columns[i]!;
        return cellJson(cellOf(text, type), type);
      }),
    );
  }

  /** Cells as the texts of the database. */
  async texts(text: string, values: readonly unknown[]): Promise<(string | null)[][]> {
    const start = performance.now();
    await this.client.query('savepoint asked');
    try {
      const { rows } = await this.client.query<(string | null)[]>({
        text,
        values: [...values],
        rowMode: 'array',
        types: { getTypeParser: () => (cell: string) => cell },
      });
      await this.client.query('release savepoint asked');
      this.tell({ sql: text, milliseconds: performance.now() - start, rows: rows.length });
      return rows;
    } catch (error) {
      if (!(error instanceof pg.DatabaseError)) throw error;
      await this.client.query('rollback to savepoint asked');
      throw new DataError(
        error.code === QUERY_CANCELED
          ? `the database ended a statement that took too long: ${error.message}`
          : `the database says: ${error.message}`,
        { code: error.code === QUERY_CANCELED ? 'limit' : 'failed' },
      );
    }
  }
}
