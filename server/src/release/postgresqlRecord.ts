import type pg from 'pg';
import { VERSION } from '@crease/core/interchange';
import type { ReleasedMeasure } from '@crease/core/release';
import { quoted } from '@crease/core/sql';
import type { TableState } from './proof.ts';
import type { ReleaseEntry } from './sqliteRecord.ts';

// What Crease writes into a schema of PostgreSQL about itself: by this it knows what it made there.

/** An object that Crease made: a table of the schema, or a view of an audience's schema. */
export interface RecordedObject {
  readonly kind: 'table' | 'view';
  readonly schema: string;
  readonly name: string;
  readonly definition: string;
  /** The columns as the catalog had them afterwards; empty for views. */
  readonly catalog: string;
  readonly digest: string | null;
  readonly state: TableState | undefined;
}

export async function hasRecord(client: pg.Client, schema: string): Promise<boolean> {
  const { rows } = await client.query(
    `select 1 from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = $1 and c.relname = 'crease_release'`,
    [schema],
  );
  return rows.length > 0;
}

export async function lastRelease(client: pg.Client, schema: string): Promise<number> {
  const { rows } = await client.query<{ last: number }>(
    `select coalesce(max(release), 0)::int as last from ${quoted(schema)}.crease_release`,
  );
  return rows[0]!.last;
}

export async function recordedObjects(client: pg.Client, schema: string): Promise<RecordedObject[]> {
  const { rows } = await client.query<
    Omit<RecordedObject, 'state'> & { rows: string | null; sums: Record<string, string | null> | null }
  >(
    `select kind, schema, name, definition, catalog, digest, "rows", sums from ${quoted(schema)}.crease_object order by kind, schema, name`,
  );
  return rows.map(({ rows: count, sums, ...object }) => ({
    ...object,
    state: count === null ? undefined : { rows: Number(count), sums: sums ?? {} },
  }));
}

export async function writeRecord(
  client: pg.Client,
  schema: string,
  entry: ReleaseEntry,
  objects: readonly RecordedObject[],
  measures: readonly ReleasedMeasure[],
): Promise<void> {
  const own = quoted(schema);
  await client.query(
    `create table if not exists ${own}.crease_release (
       release integer primary key, model text not null, revision integer, digest text not null,
       author text, at timestamptz not null, what text not null, "rows" bigint not null,
       seconds double precision not null, version text not null, document text not null);
     create table if not exists ${own}.crease_object (
       kind text not null, schema text not null, name text not null, definition text not null,
       catalog text not null, digest text, "rows" bigint, sums json, primary key (kind, schema, name));
     create table if not exists ${own}.crease_measure (
       name text not null, title text, description text, formula text not null, sql text);
     delete from ${own}.crease_object; delete from ${own}.crease_measure;`,
  );
  await client.query(
    `insert into ${own}.crease_release values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
    [
      entry.release,
      entry.model,
      entry.revision,
      entry.digest,
      entry.author,
      entry.at,
      entry.what,
      entry.rows,
      entry.seconds,
      VERSION,
      entry.document,
    ],
  );
  for (const { kind, schema: of, name, definition, catalog, digest, state } of objects)
    await client.query(`insert into ${own}.crease_object values ($1, $2, $3, $4, $5, $6, $7, $8)`, [
      kind,
      of,
      name,
      definition,
      catalog,
      digest,
      state?.rows ?? null,
      state ? JSON.stringify(state.sums) : null,
    ]);
  for (const m of measures)
    await client.query(`insert into ${own}.crease_measure values ($1, $2, $3, $4, $5)`, [
      m.name,
      m.title,
      m.description,
      m.formula,
      m.sql,
    ]);
}
