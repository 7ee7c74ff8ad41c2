import type Database from 'better-sqlite3';
import { VERSION } from '@crease/core/interchange';
import type { ReleasedMeasure } from '@crease/core/release';
import type { TableState } from './proof.ts';

// What Crease writes at a SQLite target about itself: by this it knows what it made there.

const RECORD = [
  `create table if not exists crease_release (
    release integer primary key, model text not null, revision integer, digest text not null,
    author text, at text not null, what text not null, "rows" integer not null, seconds real not null,
    version text not null, document text not null)`,
  `create table if not exists crease_object (
    kind text not null, name text not null, audience text, definition text not null, digest text,
    "rows" integer, sums text, primary key (kind, name))`,
  `create table if not exists crease_measure (
    name text not null, title text, description text, formula text not null, sql text)`,
];

/** Tables of the record itself. */
export const RECORD_TABLES: ReadonlySet<string> = new Set([
  'crease_release',
  'crease_object',
  'crease_measure',
]);

/** An object that Crease made, as it was then. */
export interface RecordedObject {
  readonly kind: 'table' | 'view';
  readonly name: string;
  readonly audience: string | null;
  readonly definition: string;
  /** Of its rows; null where they are not those of one load. */
  readonly digest: string | null;
  readonly state: TableState | undefined;
}

export interface ReleaseEntry {
  readonly release: number;
  readonly model: string;
  readonly revision: number | null;
  readonly digest: string;
  readonly author: string | null;
  readonly at: string;
  readonly what: string;
  readonly rows: number;
  readonly seconds: number;
  readonly document: string;
}

export const hasRecord = (db: Database.Database): boolean =>
  db.prepare(`select 1 from sqlite_master where type = 'table' and name = 'crease_release'`).get() !==
  undefined;

/** The number of the last release; 0 for none. */
export const lastRelease = (db: Database.Database): number =>
  hasRecord(db)
    ? (db.prepare('select coalesce(max(release), 0) from crease_release').pluck().get() as number)
    : 0;

export function recordedObjects(db: Database.Database): RecordedObject[] {
  if (!hasRecord(db)) return [];
  const rows = db
    .prepare('select kind, name, audience, definition, digest, "rows", sums from crease_object')
    .all() as (Omit<RecordedObject, 'state'> & { rows: number | null; sums: string | null })[];
  return rows.map(({ rows: count, sums, ...object }) => ({
    ...object,
    state:
      count === null
        ? undefined
        : { rows: count, sums: JSON.parse(sums ?? '{}') as Record<string, string | null> },
  }));
}

/** Writes what was released, in the transaction of the release. */
export function writeRecord(
  db: Database.Database,
  entry: ReleaseEntry,
  objects: readonly RecordedObject[],
  measures: readonly ReleasedMeasure[],
): void {
  for (const sql of RECORD) db.exec(sql);
  db.prepare(
    `insert into crease_release (release, model, revision, digest, author, at, what, "rows", seconds, version, document)
     values (@release, @model, @revision, @digest, @author, @at, @what, @rows, @seconds, @version, @document)`,
  ).run({ ...entry, version: VERSION });
  db.exec('delete from crease_object; delete from crease_measure');
  const object = db.prepare(
    'insert into crease_object (kind, name, audience, definition, digest, "rows", sums) values (?, ?, ?, ?, ?, ?, ?)',
  );
  for (const { kind, name, audience, definition, digest, state } of objects)
    object.run(
      kind,
      name,
      audience,
      definition,
      digest,
      state?.rows ?? null,
      state ? JSON.stringify(state.sums) : null,
    );
  const measure = db.prepare(
    'insert into crease_measure (name, title, description, formula, sql) values (?, ?, ?, ?, ?)',
  );
  for (const m of measures) measure.run(m.name, m.title, m.description, m.formula, m.sql);
}
