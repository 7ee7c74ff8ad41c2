import type { DataType, Exact, Value } from '../values/index.ts';
import { formatExact, narrow, scaleOf, toJson } from '../values/index.ts';
import type { Answer, Json } from '../query/index.ts';
import type { CompiledAnswer } from './compile.ts';
import { answerColumns } from './compile.ts';
import type { SqlDialect } from './dialect.ts';

/** A database that answers a statement with rows of canonical values. */
export type RunSql = (sql: string, parameters: readonly (null | number | bigint | string)[]) => readonly (readonly unknown[])[];

/** The answer of a compiled query (compiled with `exact`) as the columns engine would give it. */
export function answerOf(compiled: CompiledAnswer, dialect: SqlDialect, run: RunSql): Answer {
  const ask = (query: CompiledAnswer['rows']): Json[][] =>
    run(
      query.sql,
      query.parameters.map(({ value, type }) => dialect.bound(value, type)),
    ).map((row) => row.map((cell, i) => cellJson(cell, query.columns[i]!.type)));
  return {
    columns: answerColumns(compiled),
    rows: ask(compiled.rows),
    ...(compiled.totals ? { totals: ask(compiled.totals)[0]! } : {}),
    unreached: compiled.unreached,
  };
}

/** A canonical SQLite value as JSON. */
function cellJson(cell: unknown, type: DataType): Json {
  if (cell === null || cell === undefined) return null;
  switch (type.kind) {
    case 'boolean':
      return Number(cell) !== 0;
    case 'integer':
    case 'decimal': {
      const exact: Exact = typeof cell === 'bigint' ? narrow(cell) : Math.round(Number(cell));
      return type.kind === 'decimal' ? formatExact(exact, scaleOf(type)) : toJson(exact as Value, type);
    }
    case 'double':
      return Number.isFinite(Number(cell)) ? Number(cell) : null;
    case 'timestamp':
      return String(cell).replace(' ', 'T');
    default:
      return String(cell);
  }
}
