import { chmodSync, closeSync, openSync, rmSync } from 'node:fs';
import Database from 'better-sqlite3';

export type Connection = Database.Database;

/**
 * Steps that bring a workspace file from one version to the next; never changed once released, only added to.
 */
export const MIGRATIONS: readonly string[] = [
  `
  create table model (
    id integer primary key,
    head integer not null,
    created_at text not null
  );
  create table revision (
    id integer primary key autoincrement,
    model_id integer not null references model (id) on delete cascade,
    parent_id integer references revision (id),
    number integer not null,
    document text not null,
    says text not null,
    at text not null
  );
  create index revision_by_model on revision (model_id, parent_id);
  -- Rows of a table, as encoded columns; 'loading' until all segments are written, and removed at the next start if that never came.
  create table stored_table (
    id integer primary key autoincrement,
    model_id integer not null references model (id) on delete cascade,
    source_key text not null,
    state text not null check (state in ('loading', 'ready')),
    rows integer not null,
    problems text not null,
    misfits text not null,
    -- Line of each row in the file as 4-byte numbers; null where it is row + header + 1.
    lines blob,
    first_line integer not null,
    loaded_at text not null
  );
  create unique index one_ready_table on stored_table (model_id, source_key) where state = 'ready';
  create table stored_column (
    id integer primary key autoincrement,
    table_id integer not null references stored_table (id) on delete cascade,
    ordinal integer not null,
    name text not null,
    type text not null,
    domain blob not null
  );
  create index column_by_table on stored_column (table_id, ordinal);
  create table segment (
    column_id integer not null references stored_column (id) on delete cascade,
    ordinal integer not null,
    rows integer not null,
    encoding text not null,
    bytes blob not null,
    primary key (column_id, ordinal)
  ) without rowid;
  -- The last judgement of each claim, with what it was judged on.
  create table verdict (
    model_id integer not null references model (id) on delete cascade,
    claim text not null,
    basis text not null,
    judgement text not null,
    primary key (model_id, claim)
  ) without rowid;
  `,
  `
  -- What is known of a column without reading its rows; null in workspaces of before.
  alter table stored_column add column nulls integer;
  alter table stored_column add column distinct_values integer;
  alter table stored_column add column runs integer;
  -- Rows per code, laid out like a segment.
  alter table stored_column add column counts blob;
  alter table stored_column add column counts_encoding text;
  `,
  `
  -- 1 where the dictionary is deflated at rest.
  alter table stored_column add column domain_deflated integer not null default 0;
  `,
  `
  -- Rows of a table may lie in parts, each with dictionaries and segments of its own: one is added or replaced without touching the others.
  alter table stored_table add column part text not null default '';
  drop index one_ready_table;
  create unique index one_ready_part on stored_table (model_id, source_key, part) where state = 'ready';
  `,
  `
  -- What holds for the whole workspace, as JSON by name.
  create table setting (name text primary key, value text not null) without rowid;
  `,
  `
  -- The name of a column where it came from, by which it is found when the model calls it otherwise.
  alter table stored_column add column source_name text;
  `,
  `
  -- Databases that tables are read from. Passwords are sealed under a key that is not in this file.
  create table connection (
    name text primary key collate nocase,
    kind text not null check (kind in ('postgresql', 'sqlite')),
    place text not null,
    user text,
    secret blob
  ) without rowid;
  -- The account of connections that have none of their own.
  create table account (id integer primary key check (id = 1), user text not null, secret blob);
  `,
  `
  -- How a table is loaded, kept by name to be done again; and what has been loaded.
  create table recipe (
    model_id integer not null references model (id) on delete cascade,
    name text not null collate nocase,
    document text not null,
    primary key (model_id, name)
  ) without rowid;
  create table load_log (
    id integer primary key autoincrement,
    model_id integer not null references model (id) on delete cascade,
    document text not null
  );
  create index load_log_by_model on load_log (model_id, id);
  `,
  `
  -- Rows whose whole number was written with zeros in front, as codes are.
  alter table stored_column add column padded integer not null default 0;
  `,
  `
  -- The rows of another model that these are a copy of, as their version.
  alter table stored_table add column copied_from text;
  `,
  `
  -- Samples of evidence have another form: what was judged is judged again.
  delete from verdict;
  -- Since when a part's rows are none of the model's any more: they are kept for undo until they are removed.
  alter table stored_table add column retired_at text;
  drop index one_ready_part;
  create unique index one_current_part on stored_table (model_id, source_key, part) where state = 'ready' and retired_at is null;
  -- The rows that a revision stands on: ids of parts by source key, as JSON; null in workspaces of before, where it is not known.
  alter table revision add column rows text;
  -- The window that made it, or who else; empty where it is not known.
  alter table revision add column made_by text not null default '';
  `,
  `
  -- A revision's document may be its difference from that of the revision before, as a JSON array: an older program would not read it.
  select 1;
  `,
  `
  -- Figures of what is held, by a digest of all that they rest on; and profiles of earlier revisions and loads.
  create table figure (
    model_id integer not null references model (id) on delete cascade,
    basis text not null,
    document text not null,
    primary key (model_id, basis)
  ) without rowid;
  create table kept_profile (
    id integer primary key autoincrement,
    model_id integer not null references model (id) on delete cascade,
    revision integer not null,
    says text not null,
    at text not null,
    document text not null
  );
  create index kept_profile_by_model on kept_profile (model_id, id);
  -- By which column and period a table's rows were parted, as JSON; what they were read from, and how long it took.
  alter table stored_table add column parted_by text;
  alter table stored_table add column source text;
  alter table stored_table add column took_ms integer;
  `,
  `
  -- Loads in an order, run at times; up to when their times have been looked at; how they ran, and from which files.
  create table load_plan (
    model_id integer not null references model (id) on delete cascade,
    name text not null collate nocase,
    document text not null,
    considered text not null,
    primary key (model_id, name)
  ) without rowid;
  create table plan_run (
    id integer primary key autoincrement,
    model_id integer not null references model (id) on delete cascade,
    document text not null
  );
  create index plan_run_by_model on plan_run (model_id, id);
  create table plan_file (
    model_id integer not null references model (id) on delete cascade,
    plan text not null collate nocase,
    recipe text not null collate nocase,
    document text not null,
    primary key (model_id, plan, recipe)
  ) without rowid;
  `,
  `
  -- What was released to which target, and how that ended.
  create table release_log (
    id integer primary key autoincrement,
    model_id integer not null references model (id) on delete cascade,
    document text not null
  );
  create index release_log_by_model on release_log (model_id, id);
  -- Records that a load did not take, as a delimited file.
  create table left_out (
    load_id integer primary key references load_log (id) on delete cascade,
    text text not null
  );
  `,
  `
  -- What readers may see of a release: a revision, the rows that it stood on, and the day from which periods count. The rows are
  -- kept as long as the release is here.
  create table released (
    log_id integer primary key references release_log (id) on delete cascade,
    model_id integer not null references model (id) on delete cascade,
    revision integer not null references revision (id) on delete cascade,
    versions text not null,
    day text not null,
    for_readers integer not null
  );
  create index released_by_model on released (model_id, log_id);
  -- Who made a revision, as they call themselves, and what it is called; empty where nobody said.
  alter table revision add column author text not null default '';
  alter table revision add column name text not null default '';
  `,
  `
  -- Kinds of databases are checked where they come in: there are more of them by now.
  create table connection_of_any_kind (
    name text primary key collate nocase,
    kind text not null,
    place text not null,
    user text,
    secret blob
  ) without rowid;
  insert into connection_of_any_kind select name, kind, place, user, secret from connection;
  drop table connection;
  alter table connection_of_any_kind rename to connection;
  `,
];

/** Marks a workspace file as one of this program: "Crea" in ASCII. */
const APPLICATION_ID = 0x43726561;

/** How long a write waits for another one. */
const BUSY_MS = 10_000;

/** A workspace file that cannot be opened: the message says why and what to do. */
export class WorkspaceError extends Error {}

/**
 * Opens a workspace file (or makes it, for its owner alone) and brings it to this program's version: all
 * steps in one transaction, with the old file kept beside it until that has gone well. Throws WorkspaceError,
 * also for a file that is not a workspace.
 */
export function openWorkspace(file: string): Connection {
  const connection = connect(file);
  try {
    const version = checkIsWorkspace(connection, file);
    if (version > MIGRATIONS.length)
      throw new WorkspaceError(
        `the workspace ${file} was made by a newer crease (version ${version}, this program knows ${MIGRATIONS.length})`,
      );
    if (version < MIGRATIONS.length) upgrade(connection, file, version);
    connection.pragma('journal_mode = WAL');
    connection.pragma('foreign_keys = ON');
    connection.pragma('synchronous = NORMAL');
  } catch (error) {
    connection.close();
    throw error instanceof WorkspaceError ? error : cannotOpen(file, error);
  }
  return connection;
}

/**
 * Opens a workspace file beside the program that has it, to read it alone. Throws WorkspaceError where there
 * is none, or where it is of another version: who only reads brings nothing up to date.
 */
export function readWorkspace(file: string): Connection {
  let connection: Connection | undefined;
  try {
    connection = new Database(file, { timeout: BUSY_MS, readonly: true, fileMustExist: true });
    const version = checkIsWorkspace(connection, file);
    if (version !== MIGRATIONS.length)
      throw new WorkspaceError(
        `the workspace ${file} is of version ${version}, this program reads ${MIGRATIONS.length}: ${version < MIGRATIONS.length ? 'open it once with "crease serve"' : 'use the newer crease that made it'}`,
      );
    return connection;
  } catch (error) {
    connection?.close();
    throw error instanceof WorkspaceError ? error : cannotOpen(file, error);
  }
}

const cannotOpen = (file: string, error: unknown): WorkspaceError =>
  new WorkspaceError(`the workspace ${file} cannot be opened: ${(error as Error).message}`);

function connect(file: string): Connection {
  try {
    // A new file is made for its owner alone; SQLite gives its companions the same rights.
    if (file !== ':memory:') closeSync(openSync(file, 'a', 0o600));
    const connection = new Database(file, { timeout: BUSY_MS });
    connection.pragma('page_size = 16384');
    return connection;
  } catch (error) {
    throw cannotOpen(file, error);
  }
}

/** The version of a workspace, 0 for a new file. Throws WorkspaceError for a database of something else. */
function checkIsWorkspace(connection: Connection, file: string): number {
  const version = connection.pragma('user_version', { simple: true }) as number;
  const application = connection.pragma('application_id', { simple: true }) as number;
  if (application === APPLICATION_ID) return version;
  const tables = connection
    .prepare(`select name from sqlite_master where type = 'table' and name not like 'sqlite_%'`)
    .pluck()
    .all() as string[];
  // Workspaces of before had no mark.
  const isOurs = ['model', 'revision', 'stored_table'].every((name) => tables.includes(name));
  if (application !== 0 || (tables.length > 0 && !isOurs) || (version > 0 && !isOurs))
    throw new WorkspaceError(
      `${file} is a database of something else, not a workspace: name another file with --workspace`,
    );
  return version;
}

function upgrade(connection: Connection, file: string, version: number): void {
  const kept = version > 0 && file !== ':memory:' ? `${file}.version-${version}` : undefined;
  if (kept !== undefined) {
    rmSync(kept, { force: true });
    connection.prepare('vacuum into ?').run(kept);
    chmodSync(kept, 0o600);
  }
  connection
    .transaction(() => {
      for (const step of MIGRATIONS.slice(version)) connection.exec(step);
      connection.pragma(`user_version = ${MIGRATIONS.length}`);
      connection.pragma(`application_id = ${APPLICATION_ID}`);
    })
    .immediate();
  if (kept !== undefined) rmSync(kept, { force: true });
}
