import type { Query } from '@crease/core/model';
import type { SQL_DIALECT_NAMES } from '@crease/contract';
import { compileQuery, dialectNamed, printedSql } from '@crease/core/sql';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { dataOf } from './modelRows.ts';

/** The SQL that answers a query. */
export const sql = task(
  (input: { query: Query; dialect: (typeof SQL_DIALECT_NAMES)[number] } & ModelVersion) => {
    const { model, checker, today } = dataOf(input);
    const dialect = dialectNamed(input.dialect)!;
    return { sql: printedSql(compileQuery({ model, checker, today }, input.query, dialect), dialect) };
  },
);
