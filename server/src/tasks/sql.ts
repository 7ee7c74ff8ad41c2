import type { Query } from '@crease/core/model';
import { compileQuery, postgresql, printedSql, sqlite } from '@crease/core/sql';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

const DIALECTS = { sqlite, postgresql };

/** The SQL that answers a query. */
export const sql = task((input: { query: Query; dialect: keyof typeof DIALECTS } & ModelVersion) => {
  const { model, checker, today } = dataOf(input);
  const dialect = DIALECTS[input.dialect];
  return { sql: printedSql(compileQuery({ model, checker, today }, input.query, dialect), dialect) };
});
