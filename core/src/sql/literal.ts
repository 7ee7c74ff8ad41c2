import type { DataType, Value } from '../values/index.ts';
import type { CompiledQuery } from './compiled.ts';
import type { SqlDialect } from './dialect.ts';

/** A value as a literal of a dialect. Throws RangeError for a double that no literal can write. */
function literal(value: Value, type: DataType, dialect: SqlDialect): string {
  const bound = dialect.bound(value, type);
  if (bound === null) return 'null';
  if (typeof bound === 'string') return `'${bound.replaceAll("'", "''")}'`;
  if (typeof bound === 'number' && !Number.isFinite(bound))
    throw new RangeError(`${bound} cannot be written as a literal`);
  return String(bound);
}

/** Quoted texts and names, in which nothing is a parameter, and numbered parameters of both dialects. */
const PIECES = /'(?:[^']|'')*'|"(?:[^"]|"")*"|[?$](\d+)/g;

/**
 * A compiled query as a statement that stands alone, as a view needs it: its parameters are literals of the
 * dialect.
 */
export function standaloneSql({ sql, parameters }: CompiledQuery, dialect: SqlDialect): string {
  return sql.replaceAll(PIECES, (piece, number: string | undefined) => {
    const parameter = number === undefined ? undefined : parameters[Number(number) - 1];
    return parameter ? literal(parameter.value, parameter.type, dialect) : piece;
  });
}
