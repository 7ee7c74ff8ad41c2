import type { DataType, Exact } from '../values/index.ts';
import { formatDate, formatExact, formatTimestamp, scaleOf } from '../values/index.ts';
import { conversionBy, guarded } from './conversion.ts';
import type { SqlDialect, SqlOperand } from './dialect.ts';
import { MONTHS, plainCall } from './dialect.ts';

const typeName = (type: DataType): string =>
  ({
    integer: 'bigint',
    decimal: 'numeric',
    double: 'double precision',
    text: 'text',
    boolean: 'boolean',
    date: 'date',
    timestamp: 'timestamp',
  })[type.kind];

const double = (sql: string, type: DataType): string =>
  type.kind === 'double' ? sql : `cast(${sql} as double precision)`;

const intervalOf = (unit: string): string =>
  MONTHS[unit]
    ? `interval '${MONTHS[unit]} months'`
    : unit === 'week'
      ? `interval '7 days'`
      : `interval '1 ${unit}'`;

function unitStart(day: string, unit: string, firstMonth: number): string {
  if (unit === 'day') return day;
  const plain = unit.replace('fiscal ', '');
  if (!unit.startsWith('fiscal') || firstMonth === 1) return `cast(date_trunc('${plain}', ${day}) as date)`;
  const shift = `interval '${firstMonth - 1} months'`;
  // From the first of the month, so that going back and forth by months changes no day.
  return `cast(date_trunc('${plain}', date_trunc('month', ${day}) - ${shift}) + ${shift} as date)`;
}

const addMonths = (day: string, months: string): string =>
  `cast(${day} + (${months}) * interval '1 month' as date)`;

/** A number that grows by one at each boundary of the unit. */
function unitNumber(x: string, unit: string): string {
  const months = `(extract(year from ${x}) * 12 + extract(month from ${x}) - 1)`;
  switch (unit) {
    case 'day':
      return `(cast(${x} as date) - date '1970-01-01')`;
    case 'week':
      return `((cast(date_trunc('week', ${x}) as date) - date '1969-12-29') / 7)`;
    case 'second':
    case 'minute':
    case 'hour':
      return `floor(extract(epoch from ${x}) / ${{ second: 1, minute: 60, hour: 3600 }[unit]})`;
    default:
      return `floor(${months} / ${MONTHS[unit]})`;
  }
}

const NUMBER = `'^[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)$'`;

function dayFromText(t: string): string {
  const [year, month, day] = ['1, 4', '6, 2', '9, 2'].map((part) => {
    const [from, length] = part.split(', ');
    return `cast(substr(${t}, ${from}, ${length}) as int)`;
  });
  return `case when ${t} ~ '^[0-9]{4}-[0-9]{2}-[0-9]{2}' then ${dayFromParts(year!, month!, day!)} end`;
}

/** The parts are checked one after the other: the database raises an error for a day that is none. */
function dayFromParts(year: string, month: string, day: string): string {
  const [y, m, d] = [year, month, day].map((part) => `cast(${part} as int)`);
  const last = `extract(day from make_date(${y}, ${m}, 1) + interval '1 month' - interval '1 day')`;
  return `case when ${year} between 1 and 9999 and ${month} between 1 and 12 then case when ${day} between 1 and ${last} then make_date(${y}, ${m}, ${d}) end end`;
}

function fromText(x: string, to: DataType): string {
  const t = `trim(${x})`;
  switch (to.kind) {
    case 'integer':
      return `case when ${t} ~ ${NUMBER} then cast(round(cast(${t} as numeric)) as bigint) end`;
    case 'decimal':
      return `case when ${t} ~ ${NUMBER} then round(cast(${t} as numeric), ${to.scale}) end`;
    case 'double':
      return `case when ${t} ~ '^[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]+)?$' then cast(${t} as double precision) end`;
    case 'boolean':
      return `case when lower(${t}) in ('true', 't', 'yes', '1') then true when lower(${t}) in ('false', 'f', 'no', '0') then false end`;
    case 'date':
      return `case when length(${t}) = 10 then ${dayFromText(t)} end`;
    case 'timestamp':
      return `case when ${dayFromText(t)} is not null and ${t} ~ '^.{10}([ T]([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9](\\.[0-9]+)?)?)?$' then cast(${t} as timestamp) end`;
    default:
      return x;
  }
}

function toText(x: SqlOperand): string {
  switch (x.type.kind) {
    case 'decimal':
      return `cast(round(${x.sql}, ${x.type.scale}) as text)`;
    case 'boolean':
      return `case ${x.sql} when true then 'true' when false then 'false' end`;
    default:
      return `cast(${x.sql} as text)`;
  }
}

function exact(x: SqlOperand, to: DataType): string {
  const from = x.type;
  if (to.kind === 'integer') {
    if (from.kind === 'boolean') return `cast(cast(${x.sql} as int) as bigint)`;
    return from.kind === 'integer' ? x.sql : `cast(round(cast(${x.sql} as numeric)) as bigint)`;
  }
  if (from.kind === 'boolean') return `cast(cast(${x.sql} as int) as numeric)`;
  if (from.kind === 'integer') return `cast(${x.sql} as numeric)`;
  if (from.kind === 'decimal' && from.scale <= scaleOf(to)) return x.sql;
  return `round(cast(${x.sql} as numeric), ${scaleOf(to)})`;
}

const nullOf = (type: DataType): string => `cast(null as ${typeName(type)})`;

const convert = conversionBy({
  ...{ typeName, nullOf, toText, fromText, exact },
  double: (x) =>
    x.type.kind === 'boolean' ? `cast(cast(${x.sql} as int) as double precision)` : double(x.sql, x.type),
});

function extremum(name: 'greatest' | 'least', args: readonly SqlOperand[]): string {
  const list = args.map((a) => (a.type.kind === 'text' ? `${a.sql} collate "C"` : a.sql)).join(', ');
  return `case when ${args.map((a) => `${a.sql} is not null`).join(' and ')} then ${name}(${list}) end`;
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
      return `cast(trunc(cast(${x.sql} as numeric) / nullif(${y.sql}, 0)) as bigint)`;
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
    case 'round': {
      const places = y === undefined ? 0 : Number(y.constant);
      if (x.type.kind === 'double')
        return `cast(round(cast(${x.sql} as numeric), ${places}) as double precision)`;
      const rounded = `round(cast(${x.sql} as numeric), ${Math.min(places, scaleOf(x.type))})`;
      return type.kind === 'integer' ? `cast(${rounded} as bigint)` : rounded;
    }
    case 'floor':
      return x.type.kind === 'double' ? `floor(${x.sql})` : `cast(floor(${x.sql}) as bigint)`;
    case 'ceiling':
      return x.type.kind === 'double' ? `ceil(${x.sql})` : `cast(ceil(${x.sql}) as bigint)`;
    case 'greatest':
    case 'least':
      return extremum(name, args);
    case 'substring': {
      const start = `cast(greatest(${y.sql}, 1) as int)`;
      if (z === undefined) return `substr(${x.sql}, ${start})`;
      return `case when ${z.sql} >= 0 then substr(${x.sql}, ${start}, cast(greatest(0, ${y.sql} + ${z.sql} - greatest(${y.sql}, 1)) as int)) end`;
    }
    case 'position':
      return `strpos(${y.sql}, ${x.sql})`;
    case 'char_length':
      return `char_length(${x.sql})`;
    case 'extract':
      return y.type.kind === 'date' && ['hour', 'minute', 'second'].includes(String(x.constant))
        ? `case when ${y.sql} is not null then 0 end`
        : `cast(floor(extract(${String(x.constant)} from ${y.sql})) as bigint)`;
    case 'date_add': {
      const moved = `${x.sql} + ${y.sql} * ${intervalOf(String(z.constant))}`;
      return x.type.kind === 'date' ? `cast(${moved} as date)` : `(${moved})`;
    }
    case 'date_diff':
      return `cast(${unitNumber(y.sql, String(z.constant))} - ${unitNumber(x.sql, String(z.constant))} as bigint)`;
    case 'date_trunc':
      return x.type.kind === 'date'
        ? unitStart(x.sql, String(y.constant), 1)
        : `date_trunc('${String(y.constant)}', ${x.sql})`;
    case 'make_date':
      return dayFromParts(x.sql, y.sql, z.sql);
    default:
      return plainCall(name, args);
  }
}

/** Some value of each type: what null is compared as, beside whether it is null. */
const ANY: Readonly<Record<DataType['kind'], string>> = {
  integer: '0',
  decimal: '0',
  double: '0',
  text: `''`,
  boolean: 'false',
  date: `date '2000-01-01'`,
  timestamp: `timestamp '2000-01-01'`,
};

/**
 * PostgreSQL from 13 on. Values are in the database's own types; texts are ordered by code point through the
 * collation "C".
 */
export const postgresql: SqlDialect = {
  name: 'postgresql',
  parameter: (number, type) => `$${number}::${typeName(type)}`,
  bound: (value, type) => {
    if (value === null || typeof value === 'string') return value;
    if (typeof value === 'boolean') return String(value);
    if (type.kind === 'date') return formatDate(Number(value));
    if (type.kind === 'timestamp') return formatTimestamp(value as Exact);
    return type.kind === 'decimal' ? formatExact(value, type.scale) : String(value);
  },
  read: (column) => column,
  show: (sql) => sql,
  convert,
  like: (value, pattern) => `(${value} like ${pattern} escape '')`,
  apply,
  sum: (sql, _type, distinct) => `sum(${distinct}${sql})`,
  average: (sql, type, distinct) =>
    `cast(avg(${distinct}${type.kind === 'double' ? sql : `cast(${sql} as numeric)`}) as double precision)`,
  extreme: (name, sql, type) =>
    type.kind === 'boolean'
      ? `${name === 'min' ? 'bool_and' : 'bool_or'}(${sql})`
      : `${name}(${type.kind === 'text' ? `${sql} collate "C"` : sql})`,
  double,
  rowId: (alias) => `${alias}.ctid`,
  ordered: (sql, type) =>
    type.kind === 'text' ? `${sql} collate "C"` : type.kind === 'boolean' ? `cast(${sql} as int)` : sql,
  same: (a, b, type) =>
    `coalesce(${a}, ${ANY[type.kind]}) = coalesce(${b}, ${ANY[type.kind]}) and (${a} is null) = (${b} is null)`,
  notDistinct: 'is not distinct from',
  ordersNulls: true,
  materialized: 'as materialized',
  typeName,
  nullOf,
  true: 'true',
  false: 'false',
  unitStart,
  addDays: (day, days) => `(${day} + (${days}))`,
  addMonths,
  startsMonth: (day) => `extract(day from ${day}) = 1`,
};
