import Database from 'better-sqlite3';
import type { TableData } from '@crease/core/columns';
import { writeTable } from '../intake/writeTable.ts';
import { openWorkspace, Tables } from '../store/index.ts';

// A table of a file that was read, in a file of its own that is laid out as a workspace.

const MODEL = 1;

/** Writes a table that was read from `file`, while that was in `state`. */
export function writeKept(place: string, file: string, state: string, table: TableData): void {
  const db = openWorkspace(place);
  try {
    db.prepare('insert into model (id, head, created_at) values (?, 0, ?)').run(MODEL, state);
    const tables = new Tables(db);
    tables.finish(writeTable(tables, MODEL, file, table), table.misfits);
    // One file, without another beside it.
    db.pragma('journal_mode = delete');
  } finally {
    db.close();
  }
}

/** A table as it is kept; undefined where the file has changed since, or what is kept is damaged. */
export function readKept(place: string, state: string, name: string): TableData | undefined {
  try {
    const db = new Database(place, { readonly: true });
    const kept = db.prepare('select created_at from model where id = ?').pluck().get(MODEL);
    const tables = new Tables(db);
    const [version] = Object.values(tables.versions(MODEL));
    // The connection stays open: columns are read when they are asked for.
    if (kept === state && version !== undefined) return tables.read(version, name);
    db.close();
    return undefined;
  } catch (error) {
    if (error instanceof Database.SqliteError) return undefined;
    throw error;
  }
}

/** The file that a kept table was read from; undefined for what is no such table. */
export function fileOfKept(place: string): string | undefined {
  try {
    const db = new Database(place, { readonly: true });
    const file = db.prepare('select source_key from stored_table').pluck().get();
    db.close();
    return file === undefined ? undefined : String(file);
  } catch (error) {
    if (error instanceof Database.SqliteError) return undefined;
    throw error;
  }
}
