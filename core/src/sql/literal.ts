import type { CompiledQuery } from './compiled.ts';
import type { SqlDialect } from './dialect.ts';

/** What a dialect binds a value to. */
export type Bound = ReturnType<SqlDialect['bound']>;

/**
 * A bound value as a literal of standard SQL, in which a backslash is a character like others. Throws
 * RangeError for a double that no literal can write.
 */
export function literal(bound: Bound): string {
  if (bound === null) return 'null';
  if (typeof bound === 'string') return `'${bound.replaceAll("'", "''")}'`;
  if (typeof bound === 'number' && !Number.isFinite(bound))
    throw new RangeError(`${bound} cannot be written as a literal`);
  return String(bound);
}

/** Quoted texts and names, in which nothing is a parameter, and numbered parameters of all dialects. */
const PIECES = /'(?:[^']|'')*'|"(?:[^"]|"")*"|[?$](\d+)/g;

/** A statement with literals in place of its parameters, by their numbers from 1. */
export const withLiterals = (sql: string, literalOf: (number: number) => string): string =>
  sql.replaceAll(PIECES, (piece, number: string | undefined) =>
    number === undefined ? piece : literalOf(Number(number)),
  );

/**
 * A compiled query as a statement that stands alone, as a view needs it: its parameters are literals of the
 * dialect.
 */
export const standaloneSql = ({ sql, parameters }: CompiledQuery, dialect: SqlDialect): string =>
  withLiterals(sql, (number) => {
    const { value, type } = parameters[number - 1]!;
    return literal(dialect.bound(value, type));
  });
