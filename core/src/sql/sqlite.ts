import type { DataType } from '../values/index.ts';
import { formatDate, formatTimestamp, scaleOf } from '../values/index.ts';
import type { Exact } from '../values/index.ts';
import type { SqlDialect, SqlOperand } from './dialect.ts';
import { MONTHS, plainCall } from './dialect.ts';

/** Decimal digits that a double holds for certain. */
export const DOUBLE_DIGITS = 15;

const power = (scale: number): string => `1${'0'.repeat(scale)}`;

/** The day of a moment, and what follows it in a timestamp. */
const dayOf = (x: SqlOperand): string => (x.type.kind === 'timestamp' ? `substr(${x.sql}, 1, 10)` : x.sql);

/** Days since 1970-01-01; a Julian day begins at noon. */
const dayNumber = (day: string): string => `cast(julianday(${day}) - 2440587.5 as integer)`;
/** Months since the year 0. */
const monthNumber = (day: string): string =>
  `(cast(substr(${day}, 1, 4) as integer) * 12 + cast(substr(${day}, 6, 2) as integer) - 1)`;
function addDays(day: string, days: string): string {
  return `date(${day}, (${days}) || ' days')`;
}

/**
 * A day that the month lacks becomes its last. The day is named as seldom as can be: calls lie within each
 * other, and their texts would multiply.
 */
function addMonths(day: string, months: string): string {
  const first = `date(${day}, 'start of month', (${months}) || ' months'`;
  return `min(${first}, (substr(${day}, 9, 2) - 1) || ' days'), ${first}, '+1 month', '-1 day'))`;
}

function unitStart(day: string, unit: string, firstMonth: number): string {
  if (unit === 'day') return day;
  if (unit === 'week') return `date(${day}, 'weekday 0', '-6 days')`;
  const months = MONTHS[unit]!;
  if (months === 1) return `date(${day}, 'start of month')`;
  // Months since the unit began; a year is added where the fiscal one begins later.
  const offset = unit.startsWith('fiscal') ? 12 - (firstMonth - 1) : 0;
  const since = `(cast(substr(${day}, 6, 2) as integer) + ${offset - 1}) % ${months}`;
  return `date(${day}, 'start of month', '-' || (${since}) || ' months')`;
}

/** A number that grows by one at each boundary of the unit. */
function unitNumber(x: SqlOperand, unit: string): string {
  const day = dayOf(x);
  const seconds = `cast(strftime('%s', ${x.sql}) as integer)`;
  // Shifted beyond any moment before 1970, so that division rounds down.
  const whole = (number: string, size: number) => `((${number} + ${size} * 1000000000) / ${size})`;
  switch (unit) {
    case 'day':
      return dayNumber(day);
    case 'week':
      return `((${dayNumber(day)} + 3 + 7000000) / 7)`;
    case 'second':
      return seconds;
    case 'minute':
      return whole(seconds, 60);
    case 'hour':
      return whole(seconds, 3600);
    default:
      return `(${monthNumber(day)} / ${MONTHS[unit]})`;
  }
}

/** Rounds a whole number away from zero at half, after division by a power of ten. */
const dividedRounded = (sql: string, divisor: string): string =>
  `case when ${sql} < 0 then -((-(${sql}) + ${divisor} / 2) / ${divisor}) else (${sql} + ${divisor} / 2) / ${divisor} end`;

function rescaled(sql: string, from: number, to: number): string {
  if (from === to) return sql;
  return to > from ? `(${sql} * ${power(to - from)})` : `(${dividedRounded(sql, power(from - to))})`;
}

const double = (sql: string, type: DataType): string =>
  scaleOf(type) > 0
    ? `(cast(${sql} as real) / ${power(scaleOf(type))})`
    : type.kind === 'double'
      ? sql
      : `cast(${sql} as real)`;

/** A double rounded half away from zero by its shortest notation, as people read it. */
const roundedDouble = (sql: string, places: number): string =>
  `case when abs(${sql}) >= 1e15 or abs(${sql}) < 1e-4 then round(${sql}, ${Math.max(places, 0)}) else sign(${sql}) * cast(cast(round(cast(cast(abs(${sql}) as text) || 'e${places}' as real)) as text) || 'e${-places}' as real) end`;

function text(x: SqlOperand): string {
  const scale = scaleOf(x.type);
  switch (x.type.kind) {
    case 'decimal':
      return scale === 0
        ? `cast(${x.sql} as text)`
        : `case when ${x.sql} is not null then printf('%s%d.%0${scale}d', case when ${x.sql} < 0 then '-' else '' end, abs(${x.sql}) / ${power(scale)}, abs(${x.sql}) % ${power(scale)}) end`;
    case 'boolean':
      return `case ${x.sql} when 1 then 'true' when 0 then 'false' end`;
    case 'double':
      return `case when ${x.sql} = cast(${x.sql} as integer) and abs(${x.sql}) < 1e15 then cast(cast(${x.sql} as integer) as text) else cast(${x.sql} as text) end`;
    default:
      return x.type.kind === 'integer' ? `cast(${x.sql} as text)` : x.sql;
  }
}

function fromText(x: string, to: DataType): string {
  const t = `trim(${x})`;
  switch (to.kind) {
    case 'integer':
    case 'decimal': {
      const plain = `${t} not glob '*[^0-9.+-]*' and ${t} glob '*[0-9]*' and substr(${t}, 2) not glob '*[+-]*' and length(${t}) - length(replace(${t}, '.', '')) <= 1`;
      const scale = scaleOf(to);
      const whole = scale === 0 ? `${t} not glob '*.*'` : 'false';
      return `case when ${plain} then case when ${whole} then cast(${t} as integer) else cast(round(cast(${t} as real) * ${power(scale)}) as integer) end end`;
    }
    case 'double':
      return `case when ${t} not glob '*[^0-9.eE+-]*' and ${t} glob '*[0-9]*' then cast(${t} as real) end`;
    case 'boolean':
      return `case lower(${t}) when 'true' then 1 when 't' then 1 when 'yes' then 1 when '1' then 1 when 'false' then 0 when 'f' then 0 when 'no' then 0 when '0' then 0 end`;
    case 'date':
      return `case when ${t} glob '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]' and date(${t}, '+0 days') = ${t} then ${t} end`;
    case 'timestamp':
      return `case when ${t} glob '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]*' then datetime(${t}, '+0 days') end`;
    default:
      return x;
  }
}

function convert(x: SqlOperand, to: DataType): string {
  const from = x.type;
  const exact = (type: DataType) => type.kind === 'integer' || type.kind === 'decimal';
  if (to.kind === 'text') return from.kind === 'text' ? x.sql : `(${text(x)})`;
  if (from.kind === 'text') return `(${fromText(x.sql, to)})`;
  if (exact(to)) {
    if (exact(from)) return rescaled(x.sql, scaleOf(from), scaleOf(to));
    if (from.kind === 'double')
      return `cast(round(${roundedDouble(x.sql, scaleOf(to))} * ${power(scaleOf(to))}) as integer)`;
    return from.kind === 'boolean' ? `(${x.sql} * ${power(scaleOf(to))})` : 'null';
  }
  if (to.kind === 'double')
    return exact(from) || from.kind === 'boolean'
      ? double(x.sql, from)
      : from.kind === 'double'
        ? x.sql
        : 'null';
  if (to.kind === 'boolean')
    return from.kind === 'boolean'
      ? x.sql
      : exact(from) || from.kind === 'double'
        ? `(${x.sql} <> 0)`
        : 'null';
  if (to.kind === 'date')
    return from.kind === 'date' ? x.sql : from.kind === 'timestamp' ? `substr(${x.sql}, 1, 10)` : 'null';
  return from.kind === 'timestamp' ? x.sql : from.kind === 'date' ? `(${x.sql} || ' 00:00:00')` : 'null';
}

function shifted(x: SqlOperand, n: string, unit: string): string {
  const rest = x.type.kind === 'timestamp' ? ` || substr(${x.sql}, 11)` : '';
  if (MONTHS[unit]) return `(${addMonths(dayOf(x), `${n} * ${MONTHS[unit]}`)}${rest})`;
  if (unit === 'day' || unit === 'week')
    return `(${addDays(dayOf(x), `${n} * ${unit === 'week' ? 7 : 1}`)}${rest})`;
  return `(datetime(${x.sql}, (${n}) || ' ${unit}s') || substr(${x.sql}, 20))`;
}

function truncated(x: SqlOperand, unit: string): string {
  const start = unitStart(dayOf(x), unit, 1);
  if (x.type.kind === 'date') return start;
  const kept: Record<string, [number, string]> = {
    hour: [13, ':00:00'],
    minute: [16, ':00'],
    second: [19, ''],
  };
  return kept[unit]
    ? `(substr(${x.sql}, 1, ${kept[unit][0]}) || '${kept[unit][1]}')`
    : `(${start} || ' 00:00:00')`;
}

function part(x: SqlOperand, name: string): string {
  const day = dayOf(x);
  const number = (from: number, length: number) => `cast(substr(${x.sql}, ${from}, ${length}) as integer)`;
  // The Thursday of a day's week lies in the year to which ISO 8601 counts the week.
  const thursday = `date(${day}, '-3 days', 'weekday 4')`;
  switch (name) {
    case 'year':
      return number(1, 4);
    case 'month':
      return number(6, 2);
    case 'day':
      return number(9, 2);
    case 'quarter':
      return `((${number(6, 2)} + 2) / 3)`;
    case 'week':
      return `((strftime('%j', ${thursday}) - 1) / 7 + 1)`;
    case 'isoyear':
      return `cast(substr(${thursday}, 1, 4) as integer)`;
    case 'isodow':
      return `((strftime('%w', ${day}) + 6) % 7 + 1)`;
    default:
      return x.type.kind === 'date'
        ? `(${x.sql} is null) * 0`
        : number({ hour: 12, minute: 15, second: 18 }[name]!, 2);
  }
}

/** Whole numbers rounded down (or up), of scaled ones. */
const floored = (sql: string, scale: number): string => {
  const unit = power(scale);
  return `((${sql} - ((${sql} % ${unit}) + ${unit}) % ${unit}) / ${unit})`;
};

/** The day of its parts; a day that the month lacks would be taken as one of the next. */
function madeDate(year: string, month: string, day: string): string {
  const text = `printf('%04d-%02d-%02d', ${year}, ${month}, ${day})`;
  return `case when ${year} between 1 and 9999 and ${month} between 1 and 12 and ${day} between 1 and 31 and date(${text}, '+0 days') = ${text} then ${text} end`;
}

function apply(name: string, args: readonly SqlOperand[], type: DataType): string {
  const [x, y, z] = args as [SqlOperand, SqlOperand, SqlOperand];
  const list = () => args.map((a) => a.sql).join(', ');
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
        ? `mod(${x.sql}, nullif(${y.sql}, 0))`
        : `(${x.sql} % nullif(${y.sql}, 0))`;
    case 'div':
      return `(${x.sql} / nullif(${y.sql}, 0))`;
    case 'negate':
      return `(-${x.sql})`;
    case 'plus':
      return x.sql;
    case 'coalesce':
      return args.length === 1 ? x.sql : `coalesce(${list()})`;
    case 'sign':
    case 'sqrt':
    case 'exp':
    case 'power':
    case 'ln':
      return `${name}(${list()})`;
    case 'round': {
      const places = y === undefined ? 0 : Number(y.constant);
      if (x.type.kind === 'double') return `(${roundedDouble(x.sql, places)})`;
      const from = scaleOf(x.type);
      const to = Math.min(places, from);
      return to >= 0 ? rescaled(x.sql, from, to) : `(${rescaled(x.sql, from, to)} * ${power(-to)})`;
    }
    case 'floor':
      return x.type.kind === 'double' ? `floor(${x.sql})` : floored(x.sql, scaleOf(x.type));
    case 'ceiling':
      return x.type.kind === 'double' ? `ceil(${x.sql})` : `(-${floored(`(-${x.sql})`, scaleOf(x.type))})`;
    case 'greatest':
      return args.length === 1 ? x.sql : `max(${list()})`;
    case 'least':
      return args.length === 1 ? x.sql : `min(${list()})`;
    case 'substring': {
      const start = `max(${y.sql}, 1)`;
      if (z === undefined) return `substr(${x.sql}, ${start})`;
      return `case when ${z.sql} >= 0 then substr(${x.sql}, ${start}, max(0, ${y.sql} + ${z.sql} - ${start})) end`;
    }
    case 'position':
      return `instr(${y.sql}, ${x.sql})`;
    case 'char_length':
      return `length(${x.sql})`;
    case 'extract':
      return part(y, String(x.constant));
    case 'date_add':
      return shifted(x, y.sql, String(z.constant));
    case 'date_diff':
      return `(${unitNumber(y, String(z.constant))} - ${unitNumber(x, String(z.constant))})`;
    case 'date_trunc':
      return truncated(x, String(y.constant));
    case 'make_date':
      return madeDate(x.sql, y.sql, z.sql);
    default:
      return plainCall(name, args);
  }
}

/**
 * SQLite from 3.39 on, with its mathematical functions. Decimals are whole numbers times 10^scale, dates and
 * timestamps ISO 8601 texts.
 */
export const sqlite: SqlDialect = {
  name: 'sqlite',
  parameter: (number) => `?${number}`,
  bound: (value, type) => {
    if (value === null || typeof value === 'string') return value;
    if (typeof value === 'boolean') return value ? 1 : 0;
    if (type.kind === 'date') return formatDate(Number(value));
    if (type.kind === 'timestamp') return formatTimestamp(value as Exact).replace('T', ' ');
    return type.kind !== 'double' && typeof value === 'number' ? BigInt(value) : value;
  },
  read: (column, type) => {
    if (type.kind !== 'decimal' || type.scale === 0) return column;
    const rounded = `cast(round(${column} * ${power(type.scale)}) as integer)`;
    // A double holds 15 digits; a wider decimal is held as text where it has more.
    return type.precision <= DOUBLE_DIGITS
      ? rounded
      : `case typeof(${column}) when 'text' then cast(replace(${column}, '.', '') as integer) else ${rounded} end`;
  },
  show: (sql, type) => (scaleOf(type) > 0 ? `${sql} / ${power(scaleOf(type))}.0` : sql),
  convert,
  // SQLite's own like knows no case; glob does.
  like: (value, pattern) =>
    `(${value} glob replace(replace(replace(replace(replace(${pattern}, '[', '[[]'), '*', '[*]'), '?', '[?]'), '%', '*'), '_', '?'))`,
  apply,
  sum: (sql, _type, distinct) => `sum(${distinct}${sql})`,
  average: (sql, type, distinct) =>
    scaleOf(type) > 0 ? `avg(${distinct}${sql}) / ${power(scaleOf(type))}` : `avg(${distinct}${sql})`,
  extreme: (name, sql) => `${name}(${sql})`,
  double,
  rowId: (alias) => `${alias}.rowid`,
  ordered: (sql) => sql,
  same: (a, b) => `${a} is ${b}`,
  notDistinct: 'is not distinct from',
  ordersNulls: true,
  materialized: 'as materialized',
  typeName: ({ kind }) =>
    ({ double: 'real', text: 'text', date: 'text', timestamp: 'text' })[kind as string] ?? 'integer',
  nullOf: () => 'null',
  true: '1',
  false: '0',
  unitStart,
  addDays,
  addMonths,
  startsMonth: (day) => `substr(${day}, 9, 2) = '01'`,
};
