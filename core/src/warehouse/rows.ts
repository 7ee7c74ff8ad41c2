import type { DetailListing, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { Json } from '../query/index.ts';
import { QueryError } from '../query/index.ts';
import type { AggregateRows, RowsBehind, RowsRequest } from '../rows/index.ts';
import { listingOf, meaningOf, plus, USUAL_LIMIT, visible } from '../rows/index.ts';
import type { AggregateBehind, SqlSetting } from '../sql/index.ts';
import { RowsBehindSql } from '../sql/index.ts';
import { formatType, fromJson, TEXT, toJson } from '../values/index.ts';
import type { Warehouse } from './facts.ts';

/**
 * The rows behind cells where they lie: counts, what they add up to and the first rows travel. As
 * `rowsBehind` of columns, without lines of files and corrections, which such tables do not have.
 */
export async function rowsBehindOn(
  setting: SqlSetting,
  warehouse: Warehouse,
  request: RowsRequest,
): Promise<RowsBehind> {
  const listing = listingOf(setting, request.listing);
  const cells = request.cells.map(
    (cell) => new RowsBehindSql(setting, request.query, cell, warehouse.dialect),
  );
  const [first] = cells;
  if (!first) throw new QueryError('name a cell');
  for (const [i, cell] of cells.entries()) await checkCell(cell, warehouse, request.cells[i]!);
  const aggregates: AggregateRows[] = [];
  for (const [at, aggregate] of first.aggregates().entries())
    aggregates.push(await listed(cells, at, aggregate, { setting, warehouse, request, listing }));
  return { aggregates };
}

async function checkCell(
  cell: RowsBehindSql,
  { ask }: Warehouse,
  { by, across, members }: RowsRequest['cells'][number],
): Promise<void> {
  const [row] = await ask(cell.cells());
  const found = Number(row![0]);
  const named = JSON.stringify([...(by ?? members ?? []), ...(across ?? [])]);
  if (found === 0) throw new QueryError(`the answer has no row ${named}`);
  if (found > 1)
    throw new QueryError(`several members are called ${named}: name one by its key, as in { "key": […] }`);
}

interface Asking {
  readonly setting: SqlSetting;
  readonly warehouse: Warehouse;
  readonly request: RowsRequest;
  readonly listing: DetailListing | undefined;
}

async function listed(
  cells: readonly RowsBehindSql[],
  at: number,
  aggregate: AggregateBehind,
  { setting, warehouse: { ask }, request, listing: asked }: Asking,
): Promise<AggregateRows> {
  const table = setting.checker.names.table(aggregate.table)!;
  const listing = asked && sameName(asked.table, table.name) ? asked : undefined;
  const columns = columnsOf(request, listing, table);
  const limit = request.limit ?? listing?.limit ?? USUAL_LIMIT;
  let [all, shown] = [0, 0];
  let [sum, of]: (Json | null)[] = [null, null];
  const rows: Json[][] = [];
  const type = aggregate.type ?? TEXT;
  let isOne = true;
  for (const cell of cells) isOne &&= Number((await ask(cell.tuples(at)))[0]![0]) === 1;
  const isSum = aggregate.isSum && isOne;
  const added = (a: Json | null, b: Json | undefined): Json | null =>
    toJson(plus(fromJson(a, type) ?? null, fromJson(b ?? null, type) ?? null, type), type);
  let types: readonly { readonly name: string; readonly type: string }[] = [];
  for (const cell of cells) {
    const [counted] = await ask(cell.counts(at, { where: listing?.where }));
    all += Number(counted![0]);
    shown += Number(counted![1]);
    if (isSum) sum = added(sum, counted![2]);
    const [given] = isOne ? await ask(cell.value(at)) : [];
    of = cells.length === 1 || isSum ? added(of, given?.[0]) : null;
    const statement = cell.rows(at, {
      columns: columns.map((c) => c.column),
      where: listing?.where,
      sort: listing?.sort ?? [],
      limit: Math.max(0, limit - rows.length),
    });
    types = statement.columns.map((c) => ({ name: c.name, type: formatType(c.type) }));
    rows.push(...(await ask(statement)).map((row) => [...row]));
  }
  const textOf = (value: Json | null): string | null => (value === null ? null : String(value));
  return {
    text: aggregate.text,
    table: table.name,
    columns: types.map((c, i) => ({
      ...c,
      ...(columns[i]?.title === undefined ? {} : { title: columns[i].title }),
    })),
    rows,
    lines: [],
    more: shown - rows.length,
    sum: isSum ? textOf(sum) : null,
    of: isOne ? textOf(of) : null,
    hiddenByListing: all - shown,
    ...(isSum ? {} : { standsFor: meaningOf(aggregate, aggregate.text, isOne) }),
  };
}

function columnsOf(
  { columns, shown }: RowsRequest,
  listing: DetailListing | undefined,
  table: Table,
): { readonly column: string; readonly title?: string | undefined }[] {
  if (shown) throw new QueryError('rows of tables that are passed through are not shown to readers');
  return (columns ?? listing?.columns ?? visible(table)).map((c) =>
    typeof c === 'string' ? { column: c } : c,
  );
}
