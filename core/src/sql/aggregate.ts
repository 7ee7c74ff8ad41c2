import type { DataType } from '../values/index.ts';
import type { AggregateName } from '../formula/index.ts';
import type { SqlDialect } from './dialect.ts';
import { orderTerm } from './dialect.ts';

/** What an aggregate works on: a FROM and WHERE whose rows belong to groups by `keys`. */
export interface Grouping {
  readonly aggregate: AggregateName;
  readonly distinct: boolean;
  /** Each with the name that it gets. */
  readonly keys: readonly { readonly sql: string; readonly name: string }[];
  /** Missing for the count of rows. */
  readonly arg?: { readonly sql: string; readonly type: DataType };
  readonly by?: { readonly sql: string; readonly type: DataType };
  readonly from: string;
  readonly where: readonly string[];
}

/** A WHERE of all conditions, or nothing. */
export const whereSql = (where: readonly string[]): string =>
  where.length === 0 ? '' : `\n    where ${where.join('\n      and ')}`;

/** An aggregate that stands beside others in one SELECT; undefined for one that needs a SELECT of its own. */
export function aggregateSql(
  aggregate: AggregateName,
  isDistinct: boolean,
  arg: Grouping['arg'],
  dialect: SqlDialect,
): string | undefined {
  const distinct = isDistinct ? 'distinct ' : '';
  switch (aggregate) {
    case 'count':
      return arg ? `count(${distinct}${arg.sql})` : 'count(*)';
    case 'sum':
      return dialect.sum(arg!.sql, arg!.type, distinct);
    case 'avg':
      return dialect.average(arg!.sql, arg!.type, distinct);
    case 'min':
    case 'max':
      return dialect.extreme(aggregate, arg!.sql, arg!.type);
    case 'only':
      return `case when count(distinct ${arg!.sql}) = 1 then ${dialect.extreme('min', arg!.sql, arg!.type)} end`;
    default:
      return undefined;
  }
}

/**
 * A SELECT of the keys and the aggregate's value `v`, a row for each group; groups without rows (or without
 * values) may be missing.
 */
export function groupedSql(g: Grouping, dialect: SqlDialect): string {
  const value = aggregateSql(g.aggregate, g.distinct, g.arg, dialect);
  if (value !== undefined) return plain(g, value);
  switch (g.aggregate) {
    case 'latest':
    case 'earliest':
      return byMoment(g, dialect, g.aggregate === 'latest' ? 'desc' : 'asc');
    case 'median':
      return median(g, dialect);
    default:
      return variance(g, dialect);
  }
}

const names = (g: Grouping): string[] => g.keys.map((key) => key.name);
const listed = (parts: readonly string[]): string => parts.map((part) => `${part}, `).join('');
const groupBy = (keys: readonly string[]): string =>
  keys.length === 0 ? '' : `\n    group by ${keys.join(', ')}`;
const partition = (keys: readonly string[]): string =>
  keys.length === 0 ? '' : `partition by ${keys.join(', ')}`;

function plain(g: Grouping, value: string): string {
  const keys = g.keys.map((key) => `${key.sql} as ${key.name}`);
  return `select ${listed(keys)}${value} as v from ${g.from}${whereSql(g.where)}${groupBy(g.keys.map((_, i) => String(i + 1)))}`;
}

/** The rows themselves, for aggregates that need windows: keys, `a` the argument, `y` the moment. */
function entries(g: Grouping, argument: string): string {
  const keys = g.keys.map((key) => `${key.sql} as ${key.name}`);
  const moment = g.by ? `, ${g.by.sql} as y` : '';
  return `select ${listed(keys)}${argument} as a${moment} from ${g.from}${whereSql(g.where)}`;
}

function byMoment(g: Grouping, dialect: SqlDialect, order: 'asc' | 'desc'): string {
  const window = `${partition(names(g))} order by ${dialect.ordered('y', g.by!.type)} ${order}, ${orderTerm(dialect.ordered('a', g.arg!.type), order, 'last', dialect)}`;
  return `select ${listed(names(g))}a as v from (select e.*, row_number() over (${window}) as place from (${entries(g, g.arg!.sql)}) e where y is not null) r where place = 1`;
}

function median(g: Grouping, dialect: SqlDialect): string {
  const keys = names(g);
  const inner = `select ${listed(keys)}a, row_number() over (${partition(keys)} order by a) as place, count(*) over (${partition(keys)}) as n from (${entries(g, dialect.double(g.arg!.sql, g.arg!.type))}) e where a is not null`;
  return `select ${listed(keys)}avg(a) as v from (${inner}) r where place in (floor((n + 1) / 2), floor((n + 2) / 2))${groupBy(keys)}`;
}

/**
 * Two passes: the mean first, then the squared distances from it, which loses least (Chan, Golub and LeVeque
 * 1983).
 */
function variance(g: Grouping, dialect: SqlDialect): string {
  const keys = names(g);
  const inner = `select ${listed(keys)}a, avg(a) over (${partition(keys)}) as m from (${entries(g, dialect.double(g.arg!.sql, g.arg!.type))}) e where a is not null`;
  const divisor = g.aggregate.endsWith('_samp') ? 'nullif(count(*) - 1, 0)' : 'nullif(count(*), 0)';
  const value = `sum((a - m) * (a - m)) / ${divisor}`;
  return `select ${listed(keys)}${g.aggregate.startsWith('stddev') ? `sqrt(${value})` : value} as v from (${inner}) r${groupBy(keys)}`;
}
