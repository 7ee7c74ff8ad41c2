import { functionNamed } from '../formula/index.ts';
import type { DataType, Value } from '../values/index.ts';

/** An operand of a function: its SQL and its type; `constant` where it is a literal of the formula. */
export interface SqlOperand {
  readonly sql: string;
  readonly type: DataType;
  readonly constant?: Value;
}

/**
 * How one database says what the standard leaves open. Within a statement every value has a canonical form,
 * which `read` makes from what the tables hold and `show` makes presentable: in SQLite, which has neither, a
 * decimal is a whole number times 10^scale, a date an ISO 8601 text.
 */
export interface SqlDialect {
  readonly name: string;
  /** A numbered parameter (from 1) of a type. */
  parameter(number: number, type: DataType): string;
  /** What a parameter is bound to. */
  bound(value: Value, type: DataType): null | number | bigint | string;
  /** A stored column in canonical form. */
  read(column: string, type: DataType): string;
  /** A canonical value as people read it. */
  show(sql: string, type: DataType): string;
  convert(operand: SqlOperand, to: DataType): string;
  like(text: string, pattern: string): string;
  apply(name: string, args: readonly SqlOperand[], type: DataType): string;
  /** The aggregate `name` over canonical values; `avg` gives a double. */
  sum(sql: string, type: DataType, distinct: string): string;
  average(sql: string, type: DataType, distinct: string): string;
  /** The least or greatest of canonical values. */
  extreme(name: 'min' | 'max', sql: string, type: DataType): string;
  double(sql: string, type: DataType): string;
  /** What tells rows of a table apart. */
  rowId(alias: string): string;
  /** What texts are ordered by: code points. */
  ordered(sql: string, type: DataType): string;
  /**
   * Whether two values are the same, null being the same as null: written so that the database can join by
   * hashing.
   */
  same(a: string, b: string, type: DataType): string;
  /** What values of a type are of in the database. */
  typeName(type: DataType): string;
  /** The operator by which two values are the same, null being the same as null. */
  readonly notDistinct: string;
  /** Whether ORDER BY knows NULLS FIRST and LAST, of SQL:2003. */
  readonly ordersNulls: boolean;
  /** What stands between the name of a relation and its statement where it is worked out once. */
  readonly materialized: string;
  /** No value of a type. */
  nullOf(type: DataType): string;
  readonly true: string;
  readonly false: string;
  /** First day of the unit that holds a day; day arithmetic on canonical dates. */
  unitStart(day: string, unit: string, firstMonth: number): string;
  addDays(day: string, days: string): string;
  addMonths(day: string, months: string): string;
  /** Whether a day is the first of its month. */
  startsMonth(day: string): string;
}

/** A function that a dialect has no case for, as its own file says it. */
export function plainCall(name: string, args: readonly SqlOperand[]): string {
  const call = functionNamed(name)?.sql;
  if (!call) throw new TypeError(`no SQL for ${name}`);
  return call(...args.map((a) => a.sql));
}

/** A term of ORDER BY; where nulls stand is said by SQL's words, or by a term before it. */
export function orderTerm(
  sql: string,
  way: 'asc' | 'desc',
  nulls: 'first' | 'last',
  { ordersNulls }: SqlDialect,
): string {
  if (ordersNulls) return `${sql} ${way} nulls ${nulls}`;
  return `(${sql}) is ${nulls === 'last' ? '' : 'not '}null, ${sql} ${way}`;
}

export const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

/** Months of a unit; undefined for days and weeks. */
export const MONTHS: Readonly<Record<string, number>> = {
  month: 1,
  quarter: 3,
  year: 12,
  'fiscal quarter': 3,
  'fiscal year': 12,
};
