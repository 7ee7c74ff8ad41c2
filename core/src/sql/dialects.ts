import type { SqlDialect } from './dialect.ts';
import { duckdb } from './duckdb.ts';
import { mariadb } from './mariadb.ts';
import { postgresql } from './postgresql.ts';
import { sqlite } from './sqlite.ts';

/** All dialects in which questions are written. A new one is one file and an entry here. */
export const SQL_DIALECTS = [sqlite, postgresql, duckdb, mariadb] as const satisfies readonly SqlDialect[];

/** The dialect of a name; undefined where there is none. */
export const dialectNamed = (name: string): SqlDialect | undefined =>
  SQL_DIALECTS.find((dialect) => dialect.name === name);

/** Their names, as a sentence lists them. */
export const DIALECT_NAMES = SQL_DIALECTS.map((dialect) => dialect.name)
  .join(', ')
  .replace(/, (?=[^,]*$)/, ' or ');
