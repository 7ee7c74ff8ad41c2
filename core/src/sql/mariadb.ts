import type { DataType } from '../values/index.ts';
import { scaleOf } from '../values/index.ts';
import { conversionBy, guarded } from './conversion.ts';
import type { SqlDialect, SqlOperand } from './dialect.ts';
import { MONTHS, plainCall } from './dialect.ts';
import { postgresql } from './postgresql.ts';

/** The widest decimal of a scale; digits behind the point are 38 at most. */
const decimalOf = (scale: number): string => `decimal(65, ${scale})`;

const typeName = (type: DataType): string =>
  ({
    integer: 'signed',
    decimal: decimalOf(scaleOf(type)),
    double: 'double',
    text: 'char',
    boolean: 'signed',
    date: 'date',
    timestamp: 'datetime(6)',
  })[type.kind];

/** Texts are compared by their code points, with their spaces: not as their columns have it. */
const COLLATION = 'utf8mb4_nopad_bin';

const nullOf = (type: DataType): string => `cast(null as ${typeName(type)})`;
const double = (sql: string, type: DataType): string =>
  type.kind === 'double' ? sql : `cast(${sql} as double)`;

/** A double as an exact number, by its shortest notation; null beyond what a decimal holds. */
const exactOf = (sql: string, scale: number): string =>
  `case when abs(${sql}) < 1e26 then cast(cast(${sql} as char) as ${decimalOf(Math.max(scale, 20))}) end`;

const NUMBER = `'^[+-]?([0-9]+[.]?[0-9]*|[.][0-9]+)$'`;
const DAY = '[0-9]{4}-[0-9]{2}-[0-9]{2}';

/** The day of its parts; a day that the month lacks is none. */
function dayFromParts(year: string, month: string, day: string): string {
  const text = (d: string) => `concat(lpad(${year}, 4, '0'), '-', lpad(${month}, 2, '0'), '-', ${d})`;
  return `case when ${year} between 1 and 9999 and ${month} between 1 and 12 then case when ${day} between 1 and day(last_day(${text(`'01'`)})) then cast(${text(`lpad(${day}, 2, '0')`)} as date) end end`;
}

/** The day at the beginning of a text that looks like one, if the calendar has it. */
const dayOfText = (t: string): string =>
  `(case when substr(${t}, 6, 2) between '01' and '12' and substr(${t}, 9, 2) between '01' and '31' and substr(${t}, 1, 4) > '0000' then case when cast(substr(${t}, 9, 2) as signed) <= day(last_day(concat(substr(${t}, 1, 8), '01'))) then cast(substr(${t}, 1, 10) as date) end end)`;

function fromText(x: string, to: DataType): string {
  const t = `trim(${x})`;
  switch (to.kind) {
    case 'integer':
      return `case when ${t} regexp ${NUMBER} then cast(round(cast(${t} as ${decimalOf(20)})) as signed) end`;
    case 'decimal':
      return `case when ${t} regexp ${NUMBER} then cast(round(cast(${t} as ${decimalOf(30)}), ${to.scale}) as ${decimalOf(to.scale)}) end`;
    case 'double':
      return `case when ${t} regexp '^[+-]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][+-]?[0-9]+)?$' then cast(${t} as double) end`;
    case 'boolean':
      return `case when lower(${t}) in ('true', 't', 'yes', '1') then 1 when lower(${t}) in ('false', 'f', 'no', '0') then 0 end`;
    case 'date':
      return `case when ${t} regexp '^${DAY}$' then ${dayOfText(t)} end`;
    case 'timestamp':
      return `case when ${t} regexp '^${DAY}([ T]([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.][0-9]+)?)?)?$' and ${dayOfText(t)} is not null then cast(replace(${t}, 'T', ' ') as datetime(6)) end`;
    default:
      return x;
  }
}

/** A moment as ISO 8601 has it, with a fraction only where there is one. */
const momentText = (sql: string): string =>
  `trim(trailing '.' from trim(trailing '0' from date_format(${sql}, '%Y-%m-%d %H:%i:%s.%f')))`;

function toText(x: SqlOperand): string {
  switch (x.type.kind) {
    case 'decimal':
      return `cast(cast(${x.sql} as ${decimalOf(x.type.scale)}) as char)`;
    case 'boolean':
      return `case ${x.sql} when 1 then 'true' when 0 then 'false' end`;
    case 'timestamp':
      return momentText(x.sql);
    default:
      return `cast(${x.sql} as char)`;
  }
}

function exact(x: SqlOperand, to: DataType): string {
  const from = x.type;
  if (to.kind === 'integer') {
    if (from.kind === 'integer' || from.kind === 'boolean') return x.sql;
    return `cast(round(${from.kind === 'double' ? exactOf(x.sql, 20) : x.sql}) as signed)`;
  }
  if (from.kind === 'boolean') return `cast(${x.sql} as ${typeName(to)})`;
  const number = from.kind === 'double' ? exactOf(x.sql, scaleOf(to)) : x.sql;
  return `cast(round(${number}, ${scaleOf(to)}) as ${typeName(to)})`;
}

const convert = conversionBy({
  ...{ typeName, nullOf, toText, fromText, exact },
  double: (x) => double(x.sql, x.type),
});

function unitStart(day: string, unit: string, firstMonth: number): string {
  switch (unit) {
    case 'day':
      return day;
    case 'week':
      return `cast(${day} - interval weekday(${day}) day as date)`;
    default: {
      const first = `(${day} - interval day(${day}) - 1 day)`;
      const shift = unit.startsWith('fiscal') ? firstMonth - 1 : 0;
      // Months since a year began in its first month.
      const past = `(month(${day}) + 11 - ${shift}) % 12 % ${MONTHS[unit]}`;
      return `cast(${first} - interval (${past}) month as date)`;
    }
  }
}

/** A number that grows by one at each boundary of the unit. */
function unitNumber(x: string, unit: string): string {
  const seconds = `(to_days(${x}) * 86400 + time_to_sec(cast(${x} as time)))`;
  switch (unit) {
    case 'day':
      return `to_days(${x})`;
    case 'week':
      return `floor((to_days(${x}) - 2) / 7)`;
    case 'second':
      return seconds;
    case 'minute':
    case 'hour':
      return `floor(${seconds} / ${unit === 'minute' ? 60 : 3600})`;
    default:
      return `floor((year(${x}) * 12 + month(${x}) - 1) / ${MONTHS[unit]})`;
  }
}

const intervalOf = (n: string, unit: string): string =>
  MONTHS[unit] ? `interval (${n}) * ${MONTHS[unit]} month` : `interval (${n}) ${unit}`;

function part(name: string, y: SqlOperand): string {
  if (y.type.kind === 'date' && ['hour', 'minute', 'second'].includes(name))
    return `case when ${y.sql} is not null then 0 end`;
  switch (name) {
    case 'week':
      return `week(${y.sql}, 3)`;
    case 'isoyear':
      return `(yearweek(${y.sql}, 3) div 100)`;
    case 'isodow':
      return `(weekday(${y.sql}) + 1)`;
    default:
      return `${name}(${y.sql})`;
  }
}

function truncated(x: SqlOperand, unit: string): string {
  if (x.type.kind === 'date') return unitStart(x.sql, unit, 1);
  const kept: Record<string, string> = {
    hour: '%Y-%m-%d %H:00:00',
    minute: '%Y-%m-%d %H:%i:00',
    second: '%Y-%m-%d %H:%i:%s',
  };
  return kept[unit]
    ? `cast(date_format(${x.sql}, '${kept[unit]}') as datetime(6))`
    : `cast(${unitStart(`cast(${x.sql} as date)`, unit, 1)} as datetime(6))`;
}

function rounded(x: SqlOperand, places: number, type: DataType): string {
  if (x.type.kind === 'double')
    return `case when abs(${x.sql}) < 1e15 then cast(round(${exactOf(x.sql, 20)}, ${places}) as double) else ${x.sql} end`;
  const made = `round(${x.sql}, ${Math.min(places, scaleOf(x.type))})`;
  return `cast(${made} as ${typeName(type)})`;
}

function apply(name: string, args: readonly SqlOperand[], type: DataType): string {
  const [x, y, z] = args as [SqlOperand, SqlOperand, SqlOperand];
  switch (name) {
    case '+':
    case '-':
    case '*':
    case '/':
      return `(${x.sql} ${name} ${y.sql})`;
    case '||':
      return `concat(${x.sql}, ${y.sql})`;
    case '%':
    case 'mod':
      return `(${x.sql} % ${y.sql})`;
    case 'div':
      return `(${x.sql} div ${y.sql})`;
    case 'negate':
      return `(-${x.sql})`;
    case 'plus':
      return x.sql;
    case 'sign':
      return `sign(${x.sql})`;
    case 'sqrt':
    case 'exp':
    case 'power':
    case 'ln':
      return `(${guarded(name, x.sql, y?.sql)})`;
    case 'round':
      return `(${rounded(x, y === undefined ? 0 : Number(y.constant), type)})`;
    case 'floor':
    case 'ceiling':
      return x.type.kind === 'double' ? `${name}(${x.sql})` : `cast(${name}(${x.sql}) as signed)`;
    case 'greatest':
    case 'least':
      return args.length === 1 ? x.sql : `${name}(${args.map((a) => a.sql).join(', ')})`;
    case 'substring': {
      const start = `greatest(${y.sql}, 1)`;
      if (z === undefined) return `substr(${x.sql}, ${start})`;
      return `case when ${z.sql} >= 0 then substr(${x.sql}, ${start}, greatest(0, ${y.sql} + ${z.sql} - ${start})) end`;
    }
    case 'position':
      return `locate(${x.sql}, ${y.sql})`;
    case 'char_length':
      return `char_length(${x.sql})`;
    case 'extract':
      return part(String(x.constant), y);
    case 'date_add': {
      const moved = `${x.sql} + ${intervalOf(y.sql, String(z.constant))}`;
      return x.type.kind === 'date' ? `cast(${moved} as date)` : `(${moved})`;
    }
    case 'date_diff':
      return `cast(${unitNumber(y.sql, String(z.constant))} - ${unitNumber(x.sql, String(z.constant))} as signed)`;
    case 'date_trunc':
      return truncated(x, String(y.constant));
    case 'make_date':
      return `(${dayFromParts(x.sql, y.sql, z.sql)})`;
    default:
      return plainCall(name, args);
  }
}

/**
 * MariaDB from 10.6 on, with `sql_mode` ANSI_QUOTES. Values are in the database's own types, booleans as 1
 * and 0; texts are compared by code point, whatever the collation of their columns.
 */
export const mariadb: SqlDialect = {
  name: 'mariadb',
  parameter: (number, type) =>
    type.kind === 'text'
      ? `(convert($${number} using utf8mb4) collate ${COLLATION})`
      : `cast($${number} as ${typeName(type)})`,
  bound: (value, type) => (typeof value === 'boolean' ? Number(value) : postgresql.bound(value, type)),
  read: (column, type) =>
    type.kind === 'text' ? `(convert(${column} using utf8mb4) collate ${COLLATION})` : column,
  show: (sql) => sql,
  convert,
  like: (value, pattern) => `(${value} like ${pattern} escape '')`,
  apply,
  sum: (sql, type, distinct) =>
    type.kind === 'decimal' || type.kind === 'integer'
      ? `cast(sum(${distinct}${sql}) as ${decimalOf(scaleOf(type))})`
      : `sum(${distinct}${sql})`,
  average: (sql, type, distinct) => `avg(${distinct}${double(sql, type)})`,
  extreme: (name, sql) => `${name}(${sql})`,
  double,
  rowId: (alias) => `${alias}.row_no`,
  ordered: (sql) => sql,
  same: (a, b) => `${a} <=> ${b}`,
  notDistinct: '<=>',
  ordersNulls: false,
  materialized: 'as',
  typeName,
  nullOf,
  true: 'true',
  false: 'false',
  unitStart,
  addDays: (day, days) => `cast(${day} + interval (${days}) day as date)`,
  addMonths: (day, months) => `cast(${day} + interval (${months}) month as date)`,
  startsMonth: (day) => `day(${day}) = 1`,
};
