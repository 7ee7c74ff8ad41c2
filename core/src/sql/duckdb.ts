import type { DataType } from '../values/index.ts';
import { scaleOf } from '../values/index.ts';
import { conversionBy, guarded, isExact } from './conversion.ts';
import type { SqlDialect, SqlOperand } from './dialect.ts';
import { MONTHS, plainCall } from './dialect.ts';
import { postgresql } from './postgresql.ts';

/** The widest decimal; plain `numeric` would be one of 18 digits, three of them behind the point. */
const WIDEST = 38;
const decimalOf = (scale: number): string => `decimal(${WIDEST}, ${scale})`;

const typeName = (type: DataType): string =>
  ({
    integer: 'bigint',
    decimal: decimalOf(scaleOf(type)),
    double: 'double',
    text: 'varchar',
    boolean: 'boolean',
    date: 'date',
    timestamp: 'timestamp',
  })[type.kind];

const nullOf = (type: DataType): string => `cast(null as ${typeName(type)})`;
const double = (sql: string, type: DataType): string =>
  type.kind === 'double' ? sql : `cast(${sql} as double)`;

/** A double as an exact number of a scale, half away from zero by its shortest notation. */
const exactOf = (sql: string, scale: number): string =>
  `try_cast(cast(${sql} as varchar) as ${decimalOf(scale)})`;

const NUMBER = `'[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)'`;

/** The day of its parts; a day that the month lacks is none. */
const dayFromParts = (year: string, month: string, day: string): string =>
  `case when ${year} between 1 and 9999 then try_cast(printf('%04d-%02d-%02d', cast(${year} as bigint), cast(${month} as bigint), cast(${day} as bigint)) as date) end`;

function fromText(x: string, to: DataType): string {
  const t = `trim(${x})`;
  switch (to.kind) {
    case 'integer':
      return `case when regexp_full_match(${t}, ${NUMBER}) then try_cast(round(try_cast(${t} as ${decimalOf(10)})) as bigint) end`;
    case 'decimal':
      return `case when regexp_full_match(${t}, ${NUMBER}) then try_cast(${t} as ${decimalOf(to.scale)}) end`;
    case 'double':
      return `case when regexp_full_match(${t}, '[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]+)?') then try_cast(${t} as double) end`;
    case 'boolean':
      return `case when lower(${t}) in ('true', 't', 'yes', '1') then true when lower(${t}) in ('false', 'f', 'no', '0') then false end`;
    case 'date':
      return `case when regexp_full_match(${t}, '[0-9]{4}-[0-9]{2}-[0-9]{2}') then try_cast(${t} as date) end`;
    case 'timestamp':
      return `case when regexp_full_match(${t}, '[0-9]{4}-[0-9]{2}-[0-9]{2}([ T]([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9](\\.[0-9]+)?)?)?') then try_cast(case when length(${t}) = 16 then ${t} || ':00' else ${t} end as timestamp) end`;
    default:
      return x;
  }
}

function toText(x: SqlOperand): string {
  if (x.type.kind === 'decimal') return `cast(cast(${x.sql} as ${decimalOf(x.type.scale)}) as varchar)`;
  if (x.type.kind !== 'double') return `cast(${x.sql} as varchar)`;
  // A whole double is written without a point, as elsewhere.
  return `case when ${x.sql} = trunc(${x.sql}) and abs(${x.sql}) < 1e15 then cast(cast(${x.sql} as bigint) as varchar) else cast(${x.sql} as varchar) end`;
}

function exact(x: SqlOperand, to: DataType): string {
  const from = x.type;
  if (to.kind === 'integer') {
    if (from.kind === 'integer') return x.sql;
    return from.kind === 'double' ? `try_cast(round(${x.sql}) as bigint)` : `cast(${x.sql} as bigint)`;
  }
  if (from.kind === 'boolean') return `cast(cast(${x.sql} as int) as ${typeName(to)})`;
  return isExact(from) ? `cast(${x.sql} as ${typeName(to)})` : exactOf(x.sql, scaleOf(to));
}

const convert = conversionBy({
  ...{ typeName, nullOf, toText, fromText, exact },
  double: (x) => double(x.sql, x.type),
});

/** The monday of a week and the first days of months are dates also of a moment. */
const intervalOf = (n: string, unit: string): string =>
  MONTHS[unit]
    ? `to_months(cast(${n} as int) * ${MONTHS[unit]})`
    : unit === 'week'
      ? `to_days(cast(${n} as int) * 7)`
      : `to_${unit}s(cast(${n} as ${unit === 'day' ? 'int' : 'bigint'}))`;

function unitStart(day: string, unit: string, firstMonth: number): string {
  if (unit === 'day') return day;
  const plain = unit.replace('fiscal ', '');
  if (!unit.startsWith('fiscal') || firstMonth === 1) return `cast(date_trunc('${plain}', ${day}) as date)`;
  const shift = `to_months(${firstMonth - 1})`;
  return `cast(date_trunc('${plain}', date_trunc('month', ${day}) - ${shift}) + ${shift} as date)`;
}

/** A number that grows by one at each boundary of the unit. */
function unitNumber(x: string, unit: string): string {
  switch (unit) {
    case 'day':
      return `(cast(${x} as date) - date '1970-01-01')`;
    case 'week':
      return `((cast(date_trunc('week', ${x}) as date) - date '1969-12-29') // 7)`;
    case 'second':
    case 'minute':
    case 'hour':
      return `cast(floor(epoch(${x}) / ${{ second: 1, minute: 60, hour: 3600 }[unit]}) as bigint)`;
    default:
      return `cast(floor((extract(year from ${x}) * 12 + extract(month from ${x}) - 1) / ${MONTHS[unit]}) as bigint)`;
  }
}

function rounded(x: SqlOperand, places: number, type: DataType): string {
  if (x.type.kind === 'double')
    return `case when abs(${x.sql}) < 1e15 then cast(round(${exactOf(x.sql, 18)}, ${places}) as double) else ${x.sql} end`;
  const scale = scaleOf(x.type);
  const kept = Math.min(places, scale);
  // Rounding an exact number to tens and hundreds is not known of decimals there.
  const unit = `1${'0'.repeat(Math.max(0, -kept))}`;
  const whole = `cast(round(${x.sql}, 0) as ${decimalOf(0)})`;
  const made =
    kept >= 0
      ? `round(${x.sql}, ${kept})`
      : `(sign(${x.sql}) * ((abs(cast(trunc(${x.sql}) as ${decimalOf(0)})) + ${unit} // 2) // ${unit}) * ${unit})`;
  if (type.kind === 'integer') return `cast(${kept === 0 ? whole : made} as bigint)`;
  return `cast(${made} as ${typeName(type)})`;
}

function apply(name: string, args: readonly SqlOperand[], type: DataType): string {
  const [x, y, z] = args as [SqlOperand, SqlOperand, SqlOperand];
  switch (name) {
    case '+':
    case '-':
    case '*':
    case '||':
      return `(${x.sql} ${name} ${y.sql})`;
    case '/':
      return `(${x.sql} / nullif(${y.sql}, 0))`;
    case '%':
    case 'mod':
      return type.kind === 'double'
        ? `(${x.sql} - ${y.sql} * trunc(${x.sql} / nullif(${y.sql}, 0)))`
        : `(${x.sql} % nullif(${y.sql}, 0))`;
    case 'div':
      return `cast(trunc(${x.sql} // nullif(${y.sql}, 0)) as bigint)`;
    case 'negate':
      return `(-${x.sql})`;
    case 'plus':
      return x.sql;
    case 'sign':
      return `cast(sign(${x.sql}) as bigint)`;
    case 'sqrt':
    case 'exp':
    case 'power':
    case 'ln':
      return `(${guarded(name, x.sql, y?.sql)})`;
    case 'round':
      return `(${rounded(x, y === undefined ? 0 : Number(y.constant), type)})`;
    case 'floor':
      return x.type.kind === 'double' ? `floor(${x.sql})` : `cast(floor(${x.sql}) as bigint)`;
    case 'ceiling':
      return x.type.kind === 'double' ? `ceil(${x.sql})` : `cast(ceil(${x.sql}) as bigint)`;
    case 'greatest':
    case 'least':
      return `case when ${args.map((a) => `${a.sql} is not null`).join(' and ')} then ${name}(${args.map((a) => a.sql).join(', ')}) end`;
    case 'substring': {
      const start = `greatest(${y.sql}, 1)`;
      if (z === undefined) return `substr(${x.sql}, ${start})`;
      return `case when ${z.sql} >= 0 then substr(${x.sql}, ${start}, greatest(0, ${y.sql} + ${z.sql} - ${start})) end`;
    }
    case 'position':
      return `strpos(${y.sql}, ${x.sql})`;
    case 'char_length':
      return `length(${x.sql})`;
    case 'extract':
      return y.type.kind === 'date' && ['hour', 'minute', 'second'].includes(String(x.constant))
        ? `case when ${y.sql} is not null then 0 end`
        : `cast(floor(extract(${String(x.constant)} from ${y.sql})) as bigint)`;
    case 'date_add': {
      const moved = `${x.sql} + ${intervalOf(y.sql, String(z.constant))}`;
      return x.type.kind === 'date' ? `cast(${moved} as date)` : `(${moved})`;
    }
    case 'date_diff':
      return `cast(${unitNumber(y.sql, String(z.constant))} - ${unitNumber(x.sql, String(z.constant))} as bigint)`;
    case 'date_trunc':
      return x.type.kind === 'date'
        ? unitStart(x.sql, String(y.constant), 1)
        : `cast(date_trunc('${String(y.constant)}', ${x.sql}) as timestamp)`;
    case 'make_date':
      return dayFromParts(x.sql, y.sql, z.sql);
    default:
      return plainCall(name, args);
  }
}

/**
 * DuckDB from 1.0 on. Values are in the database's own types, decimals with 38 digits; texts are compared by
 * their bytes, which is by code point.
 */
export const duckdb: SqlDialect = {
  name: 'duckdb',
  parameter: (number, type) => `$${number}::${typeName(type)}`,
  bound: postgresql.bound,
  read: (column) => column,
  show: (sql) => sql,
  convert,
  like: (value, pattern) => `(${value} like ${pattern})`,
  apply,
  sum: (sql, _type, distinct) => `sum(${distinct}${sql})`,
  average: (sql, type, distinct) => `avg(${distinct}${double(sql, type)})`,
  extreme: (name, sql, type) =>
    type.kind === 'boolean' ? `${name === 'min' ? 'bool_and' : 'bool_or'}(${sql})` : `${name}(${sql})`,
  double,
  rowId: (alias) => `${alias}.row_number`,
  ordered: (sql) => sql,
  same: (a, b) => `${a} is not distinct from ${b}`,
  notDistinct: 'is not distinct from',
  ordersNulls: true,
  materialized: 'as materialized',
  typeName,
  nullOf,
  true: 'true',
  false: 'false',
  unitStart,
  addDays: (day, days) => `(${day} + cast(${days} as int))`,
  addMonths: (day, months) => `cast(${day} + to_months(cast(${months} as int)) as date)`,
  startsMonth: (day) => `extract(day from ${day}) = 1`,
};
