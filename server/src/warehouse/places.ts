import type { Client } from 'pg';
import type { Model, Table } from '@crease/core/model';
import { connectionOf, sameName } from '@crease/core/model';
import type { CatalogColumn } from './columnSql.ts';
import { DatabaseError } from '../databases/reader.ts';

/** A table or view of a database, with what its catalog says of it. */
export interface Place {
  readonly schema: string;
  readonly table: string;
  /** relkind of pg_class: r a table, p one in partitions, v a view, m a materialized one, f a foreign one. */
  readonly kind: string;
  /** The planner's estimate; null where it has none. */
  readonly rows: number | null;
  /** Pages of 8 kB as the planner knows them; 0 for what has none. */
  readonly pages: number;
  readonly columns: readonly CatalogColumn[];
  /** Columns that a unique index keeps apart, each set by itself. */
  readonly unique: readonly (readonly string[])[];
  /** What changes when rows may have changed: the server's own counts, and the file that they lie in. */
  readonly version: string;
}

/** Whether the server counts what changes in it: not in a view, nor in a table of another server. */
export const isCounted = ({ kind }: Place): boolean => kind !== 'v' && kind !== 'f';

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

/** Where the rows of a model's tables are looked for. */
export interface Search {
  /** Tables of the model that lie in the database, by what they are called in the model. */
  readonly tables: readonly Table[];
  /** The schema of tables whose source names none; by default that which the account sees first. */
  readonly schema?: string | undefined;
}

/** What a table is called in the database: by its source, or by its own name. */
const wanted = (table: Table, schema: string | undefined): { schema?: string | undefined; table: string } => {
  const source = connectionOf(table);
  return source ? { schema: source.schema, table: source.table } : { schema, table: table.name };
};

/**
 * Finds the tables of a model in the catalog, by what they are called in the model. A table that is not there
 * is missing from the answer; one that the account may not read, or of which there are several, is an error.
 */
export async function findPlaces(client: Client, { tables, schema }: Search): Promise<Map<string, Place>> {
  const names = [...new Set(tables.map((t) => wanted(t, schema).table.toLowerCase()))];
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
  const found = new Map<string, Place>();
  for (const table of tables) {
    const place = placeOf(table, wanted(table, schema), rows);
    if (place) found.set(table.name.toLowerCase(), place);
  }
  return found;
}

function placeOf(
  { name }: Table,
  { schema, table }: { schema?: string | undefined; table: string },
  rows: readonly CatalogRow[],
): Place | undefined {
  const named = rows.filter(
    (r) => sameName(r.table, table) && (schema === undefined || sameName(r.schema, schema)),
  );
  const exact = named.filter((r) => r.table === table && (schema === undefined || r.schema === schema));
  const candidates = exact.length > 0 ? exact : named;
  const visible = candidates.filter((r) => r.visible);
  const chosen = visible.length === 1 ? visible[0] : candidates[0];
  if (!chosen) return undefined;
  if (candidates.length > 1 && visible.length !== 1)
    throw new DatabaseError(
      `${name}: the database has ${candidates.map((r) => `${r.schema}.${r.table}`).join(' and ')}; say which schema is meant`,
    );
  if (!chosen.readable)
    throw new DatabaseError(`${name}: the account may not read ${chosen.schema}.${chosen.table}`);
  const estimate = Number(chosen.rows);
  return {
    schema: chosen.schema,
    table: chosen.table,
    kind: chosen.kind,
    rows: estimate < 0 ? null : estimate,
    pages: Number(chosen.pages ?? 0),
    columns: chosen.columns ?? [],
    unique: chosen.unique ?? [],
    version: chosen.version,
  };
}

/** The model with the tables that were found as tables of the connection, passed through. */
export const onConnection = (
  model: Model,
  places: ReadonlyMap<string, Place>,
  connection: string,
): Model => ({
  ...model,
  tables: model.tables.map((table): Table => {
    const place = places.get(table.name.toLowerCase());
    return place
      ? { ...table, source: { connection, schema: place.schema, table: place.table }, held: false }
      : table;
  }),
});
