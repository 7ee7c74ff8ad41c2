import type { DataType, Exact, Value } from '../values/index.ts';
import { add, formatType, toJson } from '../values/index.ts';
import { columnPath } from '../formula/index.ts';
import type { AskedCell, DetailListing, Query, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Json, ModelData, Scan } from '../query/index.ts';
import {
  addressCells,
  aggregateGroups,
  compileRow,
  Evaluator,
  filterAsCondition,
  QueryError,
  resolvePath,
  rowValues,
  scan,
  unreachedBy,
  withCondition,
} from '../query/index.ts';
import type { WorkedAggregate } from './collector.ts';
import { AggregateCollector } from './collector.ts';

/** What is asked of the rows behind cells of an answer. */
export interface RowsRequest {
  readonly query: Query;
  /** Several cells are taken together. */
  readonly cells: readonly AskedCell[];
  /** A listing of the model, for the aggregates over its table. */
  readonly listing?: string | undefined;
  /** Columns written `table.column`, in place of those of the listing. */
  readonly columns?: readonly string[] | undefined;
  readonly limit?: number | undefined;
  /** Whether rows are given with their keys, by which they can be corrected. */
  readonly keys?: boolean | undefined;
  /**
   * For those who see not all: the columns that they see of a table, by its name in lower case. Nothing but
   * its sums is given of a table that has no entry.
   */
  readonly shown?: Readonly<Record<string, readonly string[]>> | undefined;
}

/** The rows that an aggregate of a measure was worked out of. */
export interface AggregateRows {
  /** As its formula writes it. */
  readonly text: string;
  readonly table: string;
  readonly columns: readonly { readonly name: string; readonly title?: string; readonly type: string }[];
  readonly rows: readonly (readonly Json[])[];
  /** Of each row its line in the file that it came from; empty where none is known. */
  readonly lines: readonly number[];
  /** How many rows there are beyond those listed. */
  readonly more: number;
  /** Worked out from all rows, also those that a listing hides; null where it is no sum over rows. */
  readonly sum: string | null;
  /** What the evaluator gave. */
  readonly of: string | null;
  /** Rows that the listing's own condition hides. */
  readonly hiddenByListing: number;
  /** What the rows stand for, where they are not summed. */
  readonly standsFor?: string;
  /** Of the rows listed, those values that somebody has corrected; missing where there are none. */
  readonly corrected?: readonly CorrectedCell[];
  /** Of each row listed the values of its table's key, where they are asked for and it has one. */
  readonly keys?: readonly (readonly Json[])[];
}

/** A value in place of the one that was read. */
export interface CorrectedCell {
  /** Places in `rows` and `columns`, from 0. */
  readonly row: number;
  readonly column: number;
  readonly was: Json;
  readonly author: string | null;
  readonly at: string | null;
  readonly comment: string | null;
}

export interface RowsBehind {
  readonly aggregates: readonly AggregateRows[];
}

/** Rows that are listed where nobody says how many. */
export const USUAL_LIMIT = 500;

/**
 * The rows behind cells: for each aggregate of the measure those that the evaluator's own context leaves. A
 * row that several of the cells have stands once for each. Throws QueryError where the answer has no such
 * cell, and for columns that its rows do not look up.
 */
export function rowsBehind(data: ModelData, request: RowsRequest): RowsBehind {
  const { query, cells } = request;
  const listing = listingOf(data, request.listing);
  const worked = addressCells(data, query, cells).map(({ worked: found, measure, context, cell: one }) => {
    const collector = new AggregateCollector(found.data.checker);
    const applies = unreachedBy(found.data, measure.node, context).length === 0;
    if (applies) new Evaluator(found.data, collector).values(measure.node, context, one);
    return { data: found.data, found: collector.found };
  });
  const [first] = worked;
  if (!first) throw new QueryError('name a cell');
  return {
    aggregates: first.found.map((aggregate, i) =>
      listed(
        worked.flatMap((w) => (w.found[i] ? [{ data: w.data, aggregate: w.found[i] }] : [])),
        aggregate,
        listing,
        request,
      ),
    ),
  };
}

/** The listing of a name; throws QueryError where the model has none. */
export function listingOf(
  data: Pick<ModelData, 'model'>,
  name: string | undefined,
): DetailListing | undefined {
  if (name === undefined) return undefined;
  const listings = data.model.detailListings ?? [];
  const found = listings.find((l) => sameName(l.name, name));
  if (!found)
    throw new QueryError(
      `the model has no listing "${name}"${listings.length > 0 ? `: it has ${listings.map((l) => l.name).join(', ')}` : ''}`,
    );
  return found;
}

interface Behind {
  readonly data: ModelData;
  readonly aggregate: WorkedAggregate;
}

function listed(
  behind: readonly Behind[],
  { node, text }: WorkedAggregate,
  asked: DetailListing | undefined,
  request: RowsRequest,
): AggregateRows {
  const { data } = behind[0]!;
  const table = data.modelTable(node.base);
  const listing = asked && sameName(asked.table, table.name) ? asked : undefined;
  const usual = request.shown
    ? (request.shown[table.name.toLowerCase()] ?? []).map((c) => columnPath(table.name, c))
    : visible(table);
  const columns = (request.columns ?? listing?.columns ?? usual).map((c) =>
    typeof c === 'string' ? { column: c } : c,
  );
  const all = behind.map((b) => rowsOf(b));
  const rows = all.flat();
  const isHidden = listing?.where === undefined ? () => false : hiddenBy(data, table.name, listing.where);
  const shown = rows.filter((row) => !isHidden(row));
  const limit = request.limit ?? listing?.limit ?? USUAL_LIMIT;
  const some = sorted(data, table.name, shown, listing?.sort ?? [], limit);
  const values = columns.map(({ column }) => valuesOf(data, table.name, column));
  const { lineOf } = data.table(table.name);
  const corrected = values.flatMap((column, c) =>
    column.corrected(some).map((cell) => ({ ...cell, column: c })),
  );
  const key = request.keys ? (table.key ?? []) : [];
  const keys = key.map((name) => valuesOf(data, table.name, columnPath(table.name, name)));
  const isSum =
    (node.aggregate === 'sum' || node.aggregate === 'count') && !node.distinct && isOneCell(behind);
  return {
    text,
    table: table.name,
    columns: columns.map((c, i) => ({
      name: values[i]!.name,
      ...('title' in c && c.title !== undefined ? { title: c.title } : {}),
      type: formatType(values[i]!.type),
    })),
    rows: rowsOfColumns(values.map(({ of, type }) => of(some).map((value) => toJson(value, type)))),
    lines: lineOf ? some.map((row) => lineOf(row)) : [],
    more: shown.length - some.length,
    sum: isSum ? sumOf(behind, all) : null,
    of: isOneCell(behind) ? together(behind, isSum) : null,
    hiddenByListing: rows.length - shown.length,
    ...(isSum ? {} : { standsFor: meaningOf(node, text, isOneCell(behind)) }),
    ...(corrected.length > 0 ? { corrected } : {}),
    ...(keys.length > 0
      ? { keys: rowsOfColumns(keys.map(({ of, type }) => of(some).map((value) => toJson(value, type)))) }
      : {}),
  };
}

const isOneCell = (behind: readonly Behind[]): boolean =>
  behind.every((b) => b.aggregate.cells.tuples.size === 1);

/** Base rows of an aggregate in its cells, in their order. */
function rowsOf({ data, aggregate }: Behind): number[] {
  const { node, context, cells } = aggregate;
  const apart = filterAsCondition(node, context.via, data.checker.reach);
  const own = apart ? withCondition(context, apart.condition) : context;
  const filter = apart ? undefined : node.filter;
  const made = scan(data, own, node.base);
  const groups = new Set(new Evaluator(data).groupsOf(made, own, node.base, cells));
  const passes =
    filter && compileRow(data, filter, (table) => data.lookupIndex(node.base, table, context.via));
  const [only] = groups.size === 1 ? groups : [];
  const rows = (only !== undefined && only >= 0 && made.rowsOf?.(only)) || rowsIn(made, groups);
  return passes ? rows.filter((row) => passes(row) === true) : rows;
}

/** Base rows of some groups, in their order. */
function rowsIn(made: Scan, groups: ReadonlySet<number>): number[] {
  const found: number[] = [];
  const { groups: entries, rows } = made;
  for (let entry = 0; entry < entries.length; entry++)
    if (entries[entry]! >= 0 && groups.has(entries[entry]!)) found.push(rows ? rows[entry]! : entry);
  return found;
}

/** What the aggregate gives over the rows that are listed and hidden. */
function sumOf(behind: readonly Behind[], rows: readonly (readonly number[])[]): string | null {
  let total: Value = null;
  behind.forEach(({ data, aggregate: { node, context } }, i) => {
    const of = rows[i]!;
    const arg =
      node.arg && compileRow(data, node.arg, (table) => data.lookupIndex(node.base, table, context.via));
    const [sum] = aggregateGroups({
      aggregate: node.aggregate,
      distinct: false,
      groups: new Int32Array(of.length),
      groupCount: 1,
      ...(arg ? { arg: (entry: number) => arg(of[entry]!), argType: node.arg!.type! } : {}),
    });
    total = plus(total, sum!, node.type);
  });
  return textOf(total, behind[0]!.aggregate.node.type);
}

/** What the evaluator gave; of several cells together, where that is a sum. */
function together(behind: readonly Behind[], isSum: boolean): string | null {
  if (behind.length > 1 && !isSum) return null;
  const total = behind.reduce<Value>(
    (sum, b) => plus(sum, b.aggregate.values[0]!, b.aggregate.node.type),
    null,
  );
  return textOf(total, behind[0]!.aggregate.node.type);
}

export function plus(a: Value, b: Value, type: DataType | null): Value {
  if (a === null || b === null) return a ?? b;
  return type?.kind === 'double' ? Number(a) + Number(b) : add(a as Exact, b as Exact);
}

const textOf = (value: Value, type: DataType | null): string | null =>
  value === null ? null : String(type ? toJson(value, type) : value);

/** Columns of a table that are not hidden; all where none is shown. */
export function visible(table: Table): string[] {
  const shown = table.columns.filter((c) => !c.hidden);
  return (shown.length > 0 ? shown : table.columns).map((c) => columnPath(table.name, c.name));
}

/** A column of the base by its name alone, or any by its path. */
function columnOf(data: ModelData, base: string, path: string): { table: string; column: string } {
  const own = data.checker.names.column(base, path);
  return own ? { table: base, column: own.name } : resolvePath(data, path);
}

interface ListedColumn {
  readonly name: string;
  readonly type: DataType;
  /** Of base rows, from 0. */
  of(rows: readonly number[]): Value[];
  /** Which of these base rows have a corrected value in it, by their places. */
  corrected(rows: readonly number[]): Omit<CorrectedCell, 'column'>[];
}

const rowsOfColumns = <T>(columns: readonly (readonly T[])[]): T[][] =>
  (columns[0] ?? []).map((_, i) => columns.map((column) => column[i]!));

/** A column of the base or of a table that it looks up, by base row. Throws QueryError for any other. */
function valuesOf(data: ModelData, base: string, path: string): ListedColumn {
  const { table, column } = columnOf(data, base, path);
  if (!sameName(table, base) && !data.checker.reach.lookup(base, table))
    throw new QueryError(`a row of ${base} looks up no row of ${table}: leave ${path} out of the columns`);
  const found = data.column(table, column);
  const index = data.lookupIndex(base, table);
  const made = data.table(table).corrected?.get(column.toLowerCase())?.byRow;
  return {
    name: columnPath(table, column),
    type: found.type,
    corrected: (rows) =>
      !made || made.size === 0
        ? []
        : rows.flatMap((row, i) => {
            const cell = made.get(index ? index[row]! - 1 : row);
            return cell ? [{ ...cell, row: i, was: toJson(cell.was, found.type) }] : [];
          }),
    of: (rows) => {
      if (!index) return found.valuesAt(rows);
      const met = rows.filter((row) => index[row] !== 0);
      const values = found.valuesAt(met.map((row) => index[row]! - 1));
      let at = 0;
      return rows.map((row) => (index[row] === 0 ? null : values[at++]!));
    },
  };
}

/** Tells base rows that a condition leaves out. Throws QueryError for one that is broken. */
function hiddenBy(data: ModelData, base: string, where: string): (row: number) => boolean {
  const checked = data.checker.condition(where);
  if (!checked.typed)
    throw new QueryError(
      `the condition of the listing, ${where}: ${checked.faults.map((f) => f.message).join('; ')}`,
    );
  const passes = rowValues(data, base, checked.typed);
  return (row) => passes(row) !== true;
}

/** The first rows in an order; without one as they stand in the table. */
function sorted(
  data: ModelData,
  base: string,
  rows: readonly number[],
  sort: NonNullable<DetailListing['sort']>,
  limit: number,
): readonly number[] {
  if (sort.length === 0) return rows.slice(0, limit);
  const keys = sort.map(({ of, order }) => {
    const { table, column } = columnOf(data, base, of);
    const values = data.column(table, column);
    const index = data.lookupIndex(base, table);
    // Codes of a column compare like its values; null comes last.
    const code = (row: number) => {
      const at = index ? index[row]! : row + 1;
      return at === 0 ? 0 : values.codes[at - 1]!;
    };
    return { code, isDescending: order === 'descending' };
  });
  return [...rows]
    .sort((a, b) => {
      for (const { code, isDescending } of keys) {
        const [x, y] = [code(a), code(b)];
        if (x === y) continue;
        if (x === 0 || y === 0) return x === 0 ? 1 : -1;
        return isDescending ? y - x : x - y;
      }
      return a - b;
    })
    .slice(0, limit);
}

const MEANINGS: Readonly<Record<string, string>> = {
  avg: 'their average',
  min: 'the least among them',
  max: 'the greatest among them',
  median: 'the middle one of them',
  latest: 'the value of the latest of them',
  earliest: 'the value of the earliest of them',
  only: 'the one value that all of them have',
  count: 'how many different values they have',
};

/** What rows stand for that are not summed; `isOnce` where the aggregate is worked out once for the cell. */
export function meaningOf(
  { aggregate, distinct }: { readonly aggregate: string; readonly distinct: boolean },
  text: string,
  isOnce: boolean,
): string {
  const of = distinct ? MEANINGS.count! : (MEANINGS[aggregate] ?? 'how far they are spread');
  return isOnce
    ? `${text} is no sum over these rows, but ${of}`
    : `these rows are behind ${text}, which is worked out for each combination of a "per" by itself`;
}
