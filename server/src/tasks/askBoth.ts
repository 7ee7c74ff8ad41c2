import type { BothState } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { answerDifference, answerQuery, DataError } from '@crease/core/query';
import { answerInSqlite } from '../sources/sqliteDatabase.ts';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** Tables are laid into SQLite row by row, in memory: more would take minutes. */
const MOST_ROWS = 3_000_000;

/** Answers a question on columns and in SQL, and compares the two answers. */
export const askBoth = task((input: { query: Query } & ModelVersion): BothState => {
  const data = dataOf(input);
  try {
    const sql = answerInSqlite(data, input.query, MOST_ROWS);
    const note = answerDifference(answerQuery(data, input.query), sql);
    return note === undefined ? { agrees: true, rows: sql.rows.length } : { agrees: false, note };
  } catch (error) {
    if (!(error instanceof DataError)) throw error;
    return { agrees: null, note: error.message };
  }
});
