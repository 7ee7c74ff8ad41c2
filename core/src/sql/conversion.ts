import type { DataType } from '../values/index.ts';
import type { SqlDialect, SqlOperand } from './dialect.ts';

/** What dialects with types of their own say each in its way where a value becomes one of another type. */
export interface Conversions extends Pick<SqlDialect, 'typeName' | 'nullOf'> {
  toText(x: SqlOperand): string;
  fromText(sql: string, to: DataType): string;
  /** A number or a boolean as a whole number or a decimal. */
  exact(x: SqlOperand, to: DataType): string;
  /** A number or a boolean as a double. */
  double(x: SqlOperand): string;
}

export const isExact = ({ kind }: DataType): boolean => kind === 'integer' || kind === 'decimal';
const isNumber = (type: DataType): boolean => isExact(type) || type.kind === 'double';

/** A value as one of another type; null where no value of its type is one. */
export const conversionBy =
  (by: Conversions): SqlDialect['convert'] =>
  (x, to) => {
    const from = x.type;
    if (to.kind === 'text') return from.kind === 'text' ? x.sql : `(${by.toText(x)})`;
    if (from.kind === 'text') return `(${by.fromText(x.sql, to)})`;
    const counts = isNumber(from) || from.kind === 'boolean';
    switch (to.kind) {
      case 'integer':
      case 'decimal':
        return counts ? by.exact(x, to) : by.nullOf(to);
      case 'double':
        return counts ? by.double(x) : by.nullOf(to);
      case 'boolean':
        if (from.kind === 'boolean') return x.sql;
        return isNumber(from) ? `(${x.sql} <> 0)` : by.nullOf(to);
      case 'date':
        if (from.kind === 'date') return x.sql;
        return from.kind === 'timestamp' ? `cast(${x.sql} as ${by.typeName(to)})` : by.nullOf(to);
      default:
        if (from.kind === 'timestamp') return x.sql;
        return from.kind === 'date' ? `cast(${x.sql} as ${by.typeName(to)})` : by.nullOf(to);
    }
  };

/** A call that is null outside of the function's domain, where the database would raise an error. */
export function guarded(name: string, x: string, y: string | undefined): string {
  switch (name) {
    case 'sqrt':
      return `case when ${x} >= 0 then sqrt(${x}) end`;
    case 'ln':
      return `case when ${x} > 0 then ln(${x}) end`;
    case 'exp':
      return `case when ${x} < -700 then 0 when ${x} < 709.78 then exp(${x}) end`;
    default:
      return `case when ${x} < 0 and ${y} <> floor(${y}) then null when ${x} = 0 and ${y} < 0 then null else power(${x}, ${y}) end`;
  }
}
