import type { Client } from 'pg';
import pg from 'pg';
import type { TableData } from '@crease/core/columns';
import { DataError } from '@crease/core/query';
import type { StatementParts } from '@crease/core/sql';
import { postgresql, quoted } from '@crease/core/sql';
import { TEXT } from '@crease/core/values';
import type { PostgresqlPlace } from '../../databases/postgresql.ts';
import { PostgresqlReader } from '../../databases/postgresql.ts';
import type { PlacedRows, WarehouseEngine, WarehouseSession } from '../engine.ts';
import type { Listed, Place, Search } from '../places.ts';
import { namesOf, placesOf } from '../places.ts';
import type { PlacedColumn, Stored } from '../readColumn.ts';
import { jsonLines } from '../values.ts';

/**
 * A column as the catalog of PostgreSQL has it: `type` and `category` as in pg_type, `modifier` of
 * pg_attribute.
 */
export interface CatalogColumn {
  readonly name: string;
  readonly type: string;
  readonly category: string;
  readonly modifier: number;
}

const INTEGER_DIGITS: Readonly<Record<string, number>> = { int2: 5, int4: 10, int8: 19 };

/** Precision and scale lie in the modifier (src/backend/utils/adt/numeric.c). */
function storedAs({ type, category, modifier }: CatalogColumn): Stored {
  const digits = INTEGER_DIGITS[type];
  if (digits !== undefined) return { kind: 'integer', digits };
  switch (type) {
    case 'numeric': {
      if (modifier < 4) return { kind: 'number' };
      const scale = (modifier - 4) & 0x7ff;
      return { kind: 'numeric', whole: ((modifier - 4) >> 16) - scale, scale };
    }
    case 'money':
      return { kind: 'number' };
    case 'float4':
    case 'float8':
      return { kind: 'float' };
    case 'bool':
      return { kind: 'boolean' };
    case 'date':
      return { kind: 'date' };
    case 'timestamp':
    case 'timestamptz':
      return { kind: 'timestamp' };
    default:
      return { kind: category === 'S' || category === 'E' ? 'text' : 'other' };
  }
}

/** A stored value in the plain type of its kind. */
function plain(raw: string, { type }: CatalogColumn): string {
  switch (type) {
    case 'int2':
    case 'int4':
      return `cast(${raw} as bigint)`; // sums and products of theirs would leave 32 bits
    case 'money':
      return `cast(${raw} as numeric)`;
    case 'float4':
      return `cast(${raw} as double precision)`;
    case 'timestamptz':
      return `(${raw} at time zone 'UTC')`;
    default:
      return raw;
  }
}

/** A column of the catalog as any database has it. */
const placed = (column: CatalogColumn): PlacedColumn => ({
  name: column.name,
  stored: storedAs(column),
  plain: (raw) => plain(raw, column),
  ...(column.type === 'bytea' ? { text: (raw: string) => `encode(${raw}, 'hex')` } : {}),
});

interface CatalogRow {
  readonly schema: string;
  readonly table: string;
  readonly kind: string;
  readonly rows: string;
  readonly pages: number;
  readonly readable: boolean;
  readonly visible: boolean;
  readonly columns: CatalogColumn[] | null;
  readonly unique: string[][] | null;
  readonly version: string;
}

/** Tables and views of those names that the catalog has. */
async function listed(client: Client, names: readonly string[]): Promise<Listed[]> {
  const { rows } = await client.query<CatalogRow>(
    `select n.nspname as schema, c.relname as table, c.relkind as kind, c.reltuples::bigint as rows, pg_relation_size(c.oid)::bigint / current_setting('block_size')::int as pages,
       has_table_privilege(c.oid, 'SELECT') and has_schema_privilege(n.oid, 'USAGE') as readable, pg_table_is_visible(c.oid) as visible,
       (select json_agg(json_build_object('name', a.attname, 'type', coalesce(b.typname, t.typname), 'category', coalesce(b.typcategory, t.typcategory),
           'modifier', case when t.typtypmod >= 0 then t.typtypmod else a.atttypmod end) order by a.attnum)
         from pg_attribute a join pg_type t on t.oid = a.atttypid left join pg_type b on b.oid = t.typbasetype and t.typtype = 'd'
         where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped) as columns,
       (select json_agg(u.names) from (select (select json_agg(a.attname) from unnest(i.indkey[0:i.indnkeyatts - 1]) k(num) join pg_attribute a on a.attrelid = c.oid and a.attnum = k.num) as names
         from pg_index i where i.indrelid = c.oid and i.indisunique and i.indisvalid and i.indimmediate and i.indpred is null and i.indexprs is null) u) as unique,
       concat_ws(' ', c.oid, c.relfilenode, pg_stat_get_tuples_inserted(c.oid), pg_stat_get_tuples_updated(c.oid), pg_stat_get_tuples_deleted(c.oid),
       (select string_agg(concat_ws(' ', l.relid::oid, pg_relation_filenode(l.relid), pg_stat_get_tuples_inserted(l.relid), pg_stat_get_tuples_updated(l.relid), pg_stat_get_tuples_deleted(l.relid)), ' ' order by l.relid::oid)
         from pg_partition_tree(c.oid) l where l.isleaf and c.relkind = 'p')) as version
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and n.nspname not in ('pg_catalog', 'information_schema') and n.nspname not like 'pg\\_t%'
       and lower(c.relname) = any($1)
     order by 1, 2`,
    [names],
  );
  return rows.map(({ columns, unique, pages, rows: estimate, ...place }) => ({
    ...place,
    rows: Number(estimate) < 0 ? null : Number(estimate),
    pages: Number(pages ?? 0),
    columns: (columns ?? []).map(placed),
    unique: unique ?? [],
  }));
}

/** SQLSTATE of a statement that was ended because it took too long, or was cancelled (57014). */
const QUERY_CANCELED = '57014';

/** Statements within one transaction: what the server refuses ends the statement, not the transaction. */
class PostgresqlSession implements WarehouseSession {
  constructor(private readonly client: Client) {}

  async endAfter(milliseconds: number): Promise<void> {
    const limit = String(Math.round(milliseconds));
    await this.client.query(`select set_config('statement_timeout', $1, true)`, [limit]);
  }

  async findPlaces(search: Search): Promise<Map<string, Place>> {
    return placesOf(search, await listed(this.client, namesOf(search)));
  }

  async inOrder(): Promise<void> {
    await this.texts(
      `select set_config('max_parallel_workers_per_gather', '0', true), set_config('synchronize_seqscans', 'off', true)`,
      [],
    );
  }

  async texts(text: string, values: readonly unknown[]): Promise<(string | null)[][]> {
    await this.client.query('savepoint asked');
    try {
      const { rows } = await this.client.query<(string | null)[]>({
        text,
        values: [...values],
        rowMode: 'array',
        types: { getTypeParser: () => (cell: string) => cell },
      });
      await this.client.query('release savepoint asked');
      return rows;
    } catch (error) {
      if (!(error instanceof pg.DatabaseError)) throw error;
      await this.client.query('rollback to savepoint asked');
      throw new DataError(
        error.code === QUERY_CANCELED
          ? `the database ended a statement that took too long: ${error.message}`
          : `the database says: ${error.message}`,
        { code: error.code === QUERY_CANCELED ? 'limit' : 'failed' },
      );
    }
  }
}

/** One parameter of all rows as JSON. */
function valuesOf({ columns: all, rowCount }: TableData, text: StatementParts): string {
  const columns = [...all.values()];
  const types = columns.map((c, i) => `c${i} ${postgresql.typeName(c.type)}`);
  const json = text.value(jsonLines({ columns, rowCount }, postgresql), TEXT);
  const named = columns.map((c, i) => `v.c${i} as ${quoted(c.name)}`);
  const from =
    columns.length === 0
      ? `generate_series(1, ${rowCount}) v(ctid)`
      : `rows from (jsonb_to_recordset(cast(${json} as jsonb)) as (${types.join(', ')})) with ordinality as v(${[...columns.map((_, i) => `c${i}`), 'ctid'].join(', ')})`;
  return text.keptCte('held', `select ${['v.ctid as ctid', ...named].join(', ')} from ${from}`);
}

/** Plain tables know where a row lies; of partitions the table belongs to it, and views know nothing. */
function rowIdOf({ kind }: Place): string {
  if (kind === 'r' || kind === 'm') return 't.ctid';
  return kind === 'p' ? `(cast(t.tableoid as text) || cast(t.ctid as text))` : 'row_number() over ()';
}

const ROWS: PlacedRows = {
  dialect: postgresql,
  textType: 'text',
  timestampType: 'timestamp',
  matches: (text, expression) => `${text} ~ '^${expression}$'`,
  exact: (value) => `cast(${value} as numeric)`,
  whole: (number) => `trunc(${number})`,
  finite: (value) => `isfinite(${value})`,
  rowId: (place) => `${rowIdOf(place)} as ctid`,
  // Whole pages are drawn: on foreign tables that is an error, and on partitions of them silently not done.
  isDrawn: ({ kind }) => kind === 'r',
  // The same pages for each statement, so that what one counts another one shows.
  part: ({ share, stretch }) =>
    `${share === undefined ? '' : ` tablesample system (${(100 * share).toPrecision(4)}) repeatable (1)`}${stretch ? ` where t.ctid >= '(${stretch.from},0)' and t.ctid < '(${stretch.to},0)'` : ''}`,
  valuesOf: (_table, rows, text) => valuesOf(rows, text),
};

/** A server of PostgreSQL, asked within one read-only transaction. */
export function postgresqlEngine(place: PostgresqlPlace): WarehouseEngine {
  const reader = new PostgresqlReader(place);
  return {
    dialect: postgresql,
    rows: ROWS,
    within: (work, signal) => reader.within((client) => work(new PostgresqlSession(client)), signal),
  };
}
