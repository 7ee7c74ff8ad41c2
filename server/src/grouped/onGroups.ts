import { LRUCache } from 'lru-cache';
import type { Count, Counted, RepeatedCount } from '@crease/core/claims';
import { countElsewhere, runCount } from '@crease/core/claims';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { connectionOf, sameName } from '@crease/core/model';
import type { ModelData } from '@crease/core/query';
import { ColumnWanted, Interrupted, isInterrupted } from '@crease/core/query';
import type { GroupedPlace } from '../databases/grouped.ts';
import { groupedReader } from '../databases/grouped.ts';
import type { BroughtRows } from './groupedTable.ts';
import {
  bringFirstRows,
  bringGroups,
  bringWholeRows,
  nullsIn,
  RowsChanged,
  rowsOfGroups,
  RowsWanted,
} from './groupedTable.ts';
import { groupedTable, groupedTables } from './which.ts';

// What a thread knows of tables of which groups are asked.

/** A model with tables of which groups are asked. */
export interface GroupedModel {
  readonly model: Model;
  /** Where its connections are whose tables are asked so, by name. */
  readonly places: Readonly<Record<string, GroupedPlace>>;
  /** Tells what else the model rests on apart from what it rested on before. */
  readonly key: string;
  /** What tells the rows of a table apart from those before, where its database does not say. */
  state(table: Table): string | undefined;
  /**
   * The model over the groups of some tables, `ids` by what those of each such table are called. `rows` has
   * the rows of such a table, and throws ColumnWanted for one that has none; undefined for all others.
   */
  over(rows: (table: Table) => TableData | undefined, ids: ReadonlyMap<Table, string>): ModelData;
}

/** After so long groups are asked anew, also where nobody says whether rows have changed. */
const FRESH_MS = 60_000;
/** Bytes of codes that are kept. */
const MOST_BYTES = 512e6;
/** Groups of more columns than were asked for are as good, while they are few. */
const FEW_GROUPS = 100_000;

/** How often it is looked whether somebody still waits. */
const WATCH_MS = 100;

interface Brought extends BroughtRows {
  /** Different for whatever is brought anew. */
  readonly id: number;
  /** Which table it is of, and how that is read. */
  readonly of: string;
}

const kept = new LRUCache<string, Brought>({
  maxSize: MOST_BYTES,
  ttl: FRESH_MS,
  sizeCalculation: ({ columns, groups }) =>
    [...columns.values()].reduce((sum, c) => sum + c.codes.byteLength + 16 * c.size, 1 + 40 * groups),
});
const models = new LRUCache<string, ModelData>({ max: 8 });
let brought = 0;

/**
 * Does something with the rows of a model. Of tables of which groups are asked it begins with none, and is
 * begun anew with each column that it turns out to need: it has to be free of effects. Throws DatabaseError
 * where a database cannot be asked, and DataError where too much would travel. A signal ends what is asked of
 * a server.
 */
export async function onGroups<T>(
  model: GroupedModel,
  work: (data: ModelData) => T,
  signal?: AbortSignal,
): Promise<T> {
  const given = new AbortController();
  const watch = setInterval(() => {
    if (isInterrupted()) given.abort();
  }, WATCH_MS);
  try {
    const until = signal ? AbortSignal.any([given.signal, signal]) : given.signal;
    return await new Asked(model, until).about(work);
  } catch (error) {
    // What was cancelled at the server was since nobody waits any more.
    if (isInterrupted()) throw new Interrupted();
    throw error;
  } finally {
    clearInterval(watch);
  }
}

/** One piece of work, with what it has turned out to need. */
class Asked {
  private readonly wanted = new Map<string, Set<string>>();
  private readonly counts = new Map<string, Counted | undefined>();
  private tables: ReadonlyMap<string, Brought> = new Map();

  constructor(
    private readonly on: GroupedModel,
    private readonly signal: AbortSignal,
  ) {}

  async about<T>(work: (data: ModelData) => T): Promise<T> {
    for (;;) {
      try {
        const data = await this.data();
        countElsewhere(data, (count) => countedThere(this.on, this.counts, count));
        return work(data);
      } catch (error) {
        if (error instanceof CountWanted)
          this.counts.set(JSON.stringify(error.count), await countThere(this.on, error.count, this.signal));
        else if (error instanceof RowsWanted) await this.bringRows(error);
        else if (error instanceof ColumnWanted) this.want(error);
        else throw error;
      }
    }
  }

  private async bringRows({ table: name, rows }: RowsWanted): Promise<void> {
    const table = tableOf(this.on, name)!;
    const groups = this.tables.get(name)!;
    try {
      await bringWholeRows(readerOf(this.on, table, this.signal), table, groups, rows);
    } catch (error) {
      // What was brought is of rows as they were: the next question begins with those that are there.
      if (error instanceof RowsChanged)
        for (const [key, { of }] of kept.entries()) if (of === groups.of) kept.delete(key);
      throw error;
    }
  }

  private want(error: ColumnWanted): void {
    const columns = this.wanted.get(error.table) ?? new Set();
    this.wanted.set(error.table, columns);
    if (error.column === undefined) return;
    const name = error.column.toLowerCase();
    if (columns.has(name))
      throw new Error(`${error.table}.${error.column} was brought and is not there`, { cause: error });
    columns.add(name);
  }

  private async data(): Promise<ModelData> {
    const tables = new Map<string, Brought>();
    for (const table of tablesOf(this.on)) {
      const columns = this.wanted.get(table.name);
      if (columns) tables.set(table.name, await groupsOf(this.on, table, [...columns], this.signal));
    }
    this.tables = tables;
    const key = JSON.stringify([this.on.key, [...tables].map(([name, { id }]) => [name, id])]);
    const data = models.get(key) ?? dataOn(this.on, tables);
    models.set(key, data);
    return data;
  }
}

const tablesOf = ({ model, places }: GroupedModel): Table[] => groupedTables(model, { grouped: places });

const tableOf = ({ model, places }: GroupedModel, name: string): Table | undefined =>
  groupedTable(model, { grouped: places }, name);

/** Counts that a database makes by itself, so that no groups of near-unique columns travel for them. */
type CountThere = Extract<Count, { count: 'repeated' | 'nulls' }>;

/** Thrown where work needs a count that is made where the rows lie. */
class CountWanted extends Interrupted {
  constructor(readonly count: CountThere) {
    super();
  }
}

/** What was counted there; undefined for what is counted on columns. */
function countedThere(
  on: GroupedModel,
  known: ReadonlyMap<string, Counted | undefined>,
  count: Count,
): Counted | undefined {
  if (count.count !== 'repeated' && count.count !== 'nulls') return undefined;
  const table = tableOf(on, count.table);
  const isStored = (name: string) =>
    table!.columns.some((c) => c.formula === undefined && sameName(c.name, name));
  if (!table || !ownColumns(count)?.every(isStored)) return undefined;
  const key = JSON.stringify(count);
  if (!known.has(key)) throw new CountWanted(count);
  return known.get(key);
}

/** Columns of the table itself; undefined where others are looked up. */
function ownColumns(count: CountThere): readonly string[] | undefined {
  if (count.count === 'repeated') return count.columns;
  return count.columns.every((c) => sameName(c.table, count.table))
    ? count.columns.map((c) => c.column)
    : undefined;
}

async function countThere(
  on: GroupedModel,
  count: CountThere,
  signal: AbortSignal,
): Promise<Counted | undefined> {
  if (count.count === 'repeated') return repeatedOf(on, count, signal);
  const table = tableOf(on, count.table)!;
  const nulls = await nullsIn(readerOf(on, table, signal), table, ownColumns(count)!);
  // Where some are missing, it is shown which.
  if (nulls.some((rows) => rows > 0)) return undefined;
  return { checked: (await groupsOf(on, table, [], signal)).rowCount, against: 0 };
}

/** Whether values stand on several rows: the rows of those that do are few, and only they travel. */
async function repeatedOf(on: GroupedModel, count: RepeatedCount, signal: AbortSignal): Promise<Counted> {
  const table = tableOf(on, count.table)!;
  const rows = await bringGroups(readerOf(on, table, signal), table, count.columns, 2);
  const { rowCount } = await groupsOf(on, table, [], signal);
  const data = dataOn(on, new Map([[table.name, { ...rows, id: ++brought, of: '' }]]));
  return { ...runCount(count, data), checked: rowCount };
}

/** The model with the first rows of such tables, or of one of them, and how many each has in all. */
export async function onFirstRows(
  on: GroupedModel,
  most: number,
  only?: string,
): Promise<{ data: ModelData; rowCounts: ReadonlyMap<string, number> }> {
  const tables = new Map<string, Brought>();
  const rowCounts = new Map<string, number>();
  for (const table of tablesOf(on)) {
    if (only !== undefined && !sameName(only, table.name)) continue;
    const rows = await bringFirstRows(readerOf(on, table), table, most);
    rowCounts.set(table.name, (await groupsOf(on, table, [])).rowCount);
    tables.set(table.name, { ...rows, id: ++brought, of: '' });
  }
  return { data: dataOn(on, tables), rowCounts };
}

/** What rests on rows rests on those that were brought: in other groups they stand in another order. */
function dataOn(on: GroupedModel, tables: ReadonlyMap<string, Brought>): ModelData {
  const ids = tablesOf(on).map((table) => [table, `groups ${tables.get(table.name)?.id ?? 'none'}`] as const);
  return on.over((table) => {
    if (!tableOf(on, table.name)) return undefined;
    const rows = tables.get(table.name);
    if (!rows) throw new ColumnWanted(table.name);
    return rowsOfGroups(table, rows);
  }, new Map(ids));
}

const placeOf = (table: Table) => {
  const { schema, table: name } = connectionOf(table)!;
  return { schema, table: name };
};

const readerOf = ({ places }: GroupedModel, table: Table, signal?: AbortSignal) =>
  groupedReader(places[connectionOf(table)!.connection]!, signal);

async function groupsOf(
  on: GroupedModel,
  table: Table,
  columns: readonly string[],
  signal?: AbortSignal,
): Promise<Brought> {
  const place = on.places[connectionOf(table)!.connection]!;
  // What was brought of rows as they were before is none of these. Where nobody knows of changes, whoever
  // judges has a version of its own each time.
  const at = (await readerOf(on, table, signal).version(placeOf(table))) ?? on.state(table);
  const of = JSON.stringify([place, connectionOf(table), table.name, table.columns, at]);
  const names = columns.map((name) => name.toLowerCase()).sort();
  const key = JSON.stringify([of, names]);
  const known = kept.get(key) ?? [...kept.values()].find((k) => k.of === of && isEnough(k, names));
  if (known) return known;
  const made = {
    ...(await bringGroups(readerOf(on, table, signal), table, columns)),
    id: ++brought,
    of,
  };
  kept.set(key, made);
  return made;
}

const isEnough = ({ columns, groups }: Brought, names: readonly string[]): boolean =>
  groups <= FEW_GROUPS && names.every((name) => columns.has(name));
