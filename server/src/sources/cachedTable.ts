import Database from 'better-sqlite3';
import type { TableData } from '@crease/core/columns';
import { writeTable } from '../intake/writeTable.ts';
import { openWorkspace, Tables } from '../store/index.ts';

// A table of a file that was read, in a file of its own that is laid out as a workspace.

const MODEL = 1;

/** What a table is found by: the file, and its state when it was read. */
const keyOf = (file: string, state: string): string => JSON.stringify([file, state]);

/** Writes a table that was read from `file`, while that was in `state`. */
export function writeCached(place: string, file: string, state: string, table: TableData): void {
  const db = openWorkspace(place);
  try {
    db.prepare('insert into model (id, head, created_at) values (?, 0, ?)').run(
      MODEL,
      new Date().toISOString(),
    );
    const tables = new Tables(db);
    tables.finish(writeTable(tables, MODEL, keyOf(file, state), table), table.misfits);
    // One file, without another beside it.
    db.pragma('journal_mode = delete');
  } finally {
    db.close();
  }
}

/** The table of a file in a state; undefined where that has changed since, or the cache is damaged. */
export function readCached(place: string, file: string, state: string, name: string): TableData | undefined {
  try {
    const db = new Database(place, { readonly: true });
    const tables = new Tables(db);
    const version = tables.versions(MODEL)[keyOf(file, state)];
    // The connection stays open: columns are read when they are asked for.
    if (version !== undefined) return tables.read(version, name);
    db.close();
    return undefined;
  } catch (error) {
    if (error instanceof Database.SqliteError) return undefined;
    throw error;
  }
}

/** The file that a cached table was read from; undefined for what is no such table. */
export function cachedFileOf(place: string): string | undefined {
  try {
    const db = new Database(place, { readonly: true });
    const key = db.prepare('select source_key from stored_table').pluck().get();
    db.close();
    return key === undefined ? undefined : (JSON.parse(String(key)) as [string, string])[0];
  } catch (error) {
    if (error instanceof Database.SqliteError) return undefined;
    throw error;
  }
}
