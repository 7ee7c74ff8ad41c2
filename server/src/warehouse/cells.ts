import type { Answer } from '@crease/core/query';
import { DataError } from '@crease/core/query';
import type { CompiledAnswer, SqlDialect } from '@crease/core/sql';
import { answerOf } from '@crease/core/sql';
import type { DataType } from '@crease/core/values';
import { textReader } from '@crease/core/values';

/** Runs a statement and gives its cells as the texts of the database. */
export type AskTexts = (
  sql: string,
  values: readonly unknown[],
) => Promise<readonly (readonly (string | null)[])[]>;

/**
 * The answer of a compiled query (compiled with `exact`) from a database that gives cells as texts, as the
 * columns engine would give it. Statements are asked one after the other, then put together.
 */
export async function answerInTexts(
  compiled: CompiledAnswer,
  dialect: SqlDialect,
  ask: AskTexts,
): Promise<Answer> {
  const queries = [compiled.rows, compiled.totals, ...(compiled.subtotals ?? []).map((s) => s.query)];
  const found = new Map<string, readonly unknown[][]>();
  const keyOf = (sql: string, values: readonly unknown[]) => JSON.stringify([sql, values.map(String)]);
  for (const query of queries) {
    if (!query) continue;
    const values = query.parameters.map(({ value, type }) => dialect.bound(value, type));
    const rows = await ask(query.sql, values);
    found.set(
      keyOf(query.sql, values),
      rows.map((row) => row.map((text, i) => cellOf(text, query.columns[i]?.type))),
    );
  }
  return answerOf(compiled, dialect, (sql, values) => found.get(keyOf(sql, values))!);
}

/** A text of the database as `answerOf` takes cells: exact numbers as whole ones of their scale. */
export function cellOf(text: string | null, type: DataType | undefined): unknown {
  if (text === null || type === undefined) return text;
  switch (type.kind) {
    case 'boolean':
      return text === 't' || text === 'true' || text === '1' ? 1 : 0;
    case 'integer':
    case 'decimal': {
      const value = textReader(type)(text);
      // An average, for one, may have more digits than its type: that is no exact number to compare.
      if (value === undefined) throw new DataError(`${text} has more digits than its type`);
      return BigInt(value as number | bigint);
    }
    case 'double':
      return Number(text);
    default:
      return text;
  }
}
