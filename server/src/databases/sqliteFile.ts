import { accessSync, closeSync, constants, existsSync, openSync, writeSync } from 'node:fs';
import Database from 'better-sqlite3';
import { csvLine } from '@crease/core/interchange';
import { BOOLEAN, DATE, decimal, DOUBLE, INTEGER } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';
import type { GroupedReader, TableAbout, TableName } from './reader.ts';
import { systemFault } from '../systemFault.ts';
import { DatabaseError, quoteIdentifier } from './reader.ts';
import { wantedColumns } from './drawing.ts';
import { versionOfFiles } from './fileVersion.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';

/** What worker threads do with a SQLite file: its library does not give up the thread. */
export interface SqliteDraw {
  readonly from: string;
  readonly table: TableName;
  readonly file: string;
  readonly columns?: readonly string[] | undefined;
  readonly limit?: number | undefined;
  readonly nullText: string;
  /** Shared: [0] kilobytes written, [1] not 0 to stop. */
  readonly shared: Int32Array;
}

const WRITTEN_BYTES = 1 << 20;

function open(file: string): Database.Database {
  if (!existsSync(file)) throw new DatabaseError(`there is no file ${file}`);
  try {
    const database = new Database(file, { readonly: true, fileMustExist: true, timeout: 10_000 });
    database.pragma('query_only = on');
    database.prepare('select count(*) from sqlite_schema').get();
    return database;
  } catch (error) {
    const { code, message } = error as { code?: string; message: string };
    if (code === 'SQLITE_NOTADB') throw new DatabaseError(`${file} is no SQLite file`);
    if (code === 'SQLITE_BUSY')
      throw new DatabaseError(`${file} is being written by somebody else: try again later`);
    throw new DatabaseError(`${file} cannot be read: ${message}`);
  }
}

function within<T>(file: string, work: (database: Database.Database) => T): T {
  const database = open(file);
  try {
    database.exec('begin');
    return work(database);
  } catch (error) {
    if (error instanceof DatabaseError || systemFault(error)) throw error;
    throw new DatabaseError(`${file} cannot be read: ${(error as Error).message}`);
  } finally {
    database.close();
  }
}

export const sqliteVersion = (file: string): string =>
  within(file, (d) => `SQLite ${(d.prepare('select sqlite_version() as v').get() as { v: string }).v}`);

export function sqliteTables(file: string): DatabaseTable[] {
  return within(file, (database) => {
    const names = database
      .prepare(
        `select name, type from sqlite_schema where type in ('table', 'view') and name not like 'sqlite\\_%' escape '\\' order by name`,
      )
      .all() as { name: string; type: 'table' | 'view' }[];
    return names.map(({ name, type }): DatabaseTable => {
      const columns = database.prepare(`select name, pk from pragma_table_info(?)`).all(name) as {
        name: string;
        pk: number;
      }[];
      const foreign = database
        .prepare(`select id, "from", "table", "to" from pragma_foreign_key_list(?) order by id, seq`)
        .all(name) as {
        id: number;
        from: string;
        table: string;
        to: string | null;
      }[];
      const key = columns.filter((c) => c.pk > 0).sort((a, b) => a.pk - b.pk);
      const keyOf = (table: string) =>
        (
          database.prepare(`select name from pragma_table_info(?) where pk > 0 order by pk`).all(table) as {
            name: string;
          }[]
        ).map((c) => c.name);
      return {
        schema: null,
        table: name,
        kind: type,
        // Counting reads the whole table: the span of its row numbers is at hand, and near enough.
        rows: type === 'table' ? rowsOf(database, name) : null,
        columns: columns.length,
        readable: true,
        key: key.map((c) => c.name),
        comment: null,
        comments: {},
        references: [...new Set(foreign.map((f) => f.id))].map((id) => {
          const pairs = foreign.filter((f) => f.id === id);
          const to = pairs[0]!.table;
          return {
            columns: pairs.map((p) => p.from),
            schema: null,
            table: to,
            toColumns: pairs.map((p, i) => p.to ?? keyOf(to)[i] ?? ''),
          };
        }),
      };
    });
  });
}

/** The span of a table's row numbers; a table without them tells nothing. */
function rowsOf(database: Database.Database, table: string): number | null {
  const { wr } = database.prepare('select wr from pragma_table_list(?)').get(table) as { wr: number };
  if (wr !== 0) return null;
  // Each end by itself is found at once; asked for together, all rows are read.
  const end = (of: 'max' | 'min') => `(select ${of}(rowid) from ${quoteIdentifier(table)})`;
  const sql = `select ${end('max')} - ${end('min')} + 1 as n`;
  return (database.prepare(sql).get() as { n: number | null }).n ?? 0;
}

export function sqliteAbout(file: string, { table }: TableName): TableAbout {
  return within(file, (database) => {
    const found = database.prepare('select name, type from pragma_table_info(?)').all(table) as {
      name: string;
      type: string;
    }[];
    if (found.length === 0) throw new DatabaseError(`there is no table ${table} in ${file} any more`);
    const isView =
      database.prepare(`select 1 from sqlite_schema where type = 'view' and name = ?`).get(table) !==
      undefined;
    return {
      columns: found.map(({ name, type }) => ({ name, ...declared(type) })),
      rows: isView ? null : rowsOf(database, table),
    };
  });
}

/**
 * What a declared type promises; SQLite holds nobody to it, so what does not fit is listed like a value of a
 * file.
 */
function declared(type: string): { type: DataType | undefined; isText: boolean; pattern?: string } {
  const text = type.toUpperCase();
  const digits = /^\s*(?:DECIMAL|NUMERIC)\s*\(\s*(\d+)\s*(?:,\s*(\d+)\s*)?\)/.exec(text);
  if (digits)
    return { type: decimal(Math.min(38, Number(digits[1])), Number(digits[2] ?? 0)), isText: false };
  if (/BOOL/.test(text)) return { type: BOOLEAN, isText: false };
  if (text === 'DATE') return { type: DATE, isText: false, pattern: 'yyyy-MM-dd' };
  if (/INT/.test(text)) return { type: INTEGER, isText: false };
  if (/REAL|FLOA|DOUB/.test(text)) return { type: DOUBLE, isText: false };
  return { type: undefined, isText: /CHAR|CLOB|TEXT/.test(text) };
}

/** Writes rows as delimited text. Ends early, with an error, where it is stopped. */
export function sqliteDraw({ from, table, file, columns, limit, nullText, shared }: SqliteDraw): void {
  const all = sqliteAbout(from, table).columns.map((c) => c.name);
  const progress = new SharedProgress(shared);
  const wanted = wantedColumns(table, all, columns);
  within(from, (database) => {
    const sql = `select ${wanted.map(quoteIdentifier).join(', ')} from ${quoteIdentifier(table.table)}${limit === undefined ? '' : ` limit ${limit}`}`;
    const descriptor = openSync(file, 'w');
    try {
      let text = csvLine(wanted);
      const write = () => {
        const bytes = Buffer.from(text);
        writeSync(descriptor, bytes);
        progress.add(bytes.length >> 10);
        text = '';
      };
      for (const row of database.prepare(sql).raw().safeIntegers().iterate() as IterableIterator<unknown[]>) {
        text += csvLine(row.map((value) => textOf(value, nullText)));
        if (text.length < WRITTEN_BYTES) continue;
        if (progress.isStopped) throw new DatabaseError('cancelled');
        write();
      }
      write();
    } finally {
      closeSync(descriptor);
    }
  });
}

/** A SQLite file of which groups of rows are asked for, in the thread that asks. */
export function sqliteGroups(file: string): GroupedReader {
  const cell = (value: unknown): string | null => (value === null ? null : textOf(value, ''));
  const select = (
    { table }: TableName,
    listed: readonly string[],
    rest: string,
    values: Readonly<Record<string, string>> = {},
  ) =>
    within(file, (database) => {
      const sql = `select ${listed.join(', ')} from ${quoteIdentifier(table)}${rest}`;
      return database.prepare(sql).raw().safeIntegers().all(values) as unknown[][];
    });
  const wantedOf = (table: TableName, columns: readonly string[]) =>
    wantedColumns(
      table,
      sqliteAbout(file, table).columns.map((c) => c.name),
      columns,
    ).map(quoteIdentifier);
  return {
    about: (table) => Promise.resolve(sqliteAbout(file, table)),
    groups: (table, columns, most, least = 1) => {
      const by = wantedOf(table, columns);
      // A column may declare that it takes capitals for small letters: here they are other texts.
      const places = by.map((c) => `${c} collate binary`).join(', ');
      const rest = by.length > 0 ? ` group by ${places} having count(*) >= ${least} limit ${most}` : '';
      const rows = select(table, [...by, 'count(*)'], rest);
      return Promise.resolve({
        cells: rows.map((row) => row.slice(0, -1).map(cell)),
        counts: rows.map((row) => Number(row.at(-1))),
      });
    },
    nulls: (table, columns) => {
      const counts = wantedOf(table, columns).map((c) => `count(*) - count(${c})`);
      const [row] = select(table, counts, '');
      return Promise.resolve(row!.map(Number));
    },
    firstRows: (table, columns, most, where) => {
      const wanted = wantedOf(table, columns);
      const conditions = (where ?? []).map(({ column, text }, i) =>
        text === null ? `${quoteIdentifier(column)} is null` : holds(quoteIdentifier(column), `:v${i}`),
      );
      const values = Object.fromEntries((where ?? []).map(({ text }, i) => [`v${i}`, text ?? '']));
      const filter = conditions.length > 0 ? ` where ${conditions.join(' and ')}` : '';
      const order = where ? ` order by ${wanted.map((_, i) => i + 1).join(', ')}` : '';
      const rows = select(table, wanted, `${filter}${order} limit ${most}`, values);
      return Promise.resolve(rows.map((row) => row.map(cell)));
    },
    version: () =>
      existsSync(file)
        ? Promise.resolve(versionOfFiles([file]))
        : Promise.reject(new DatabaseError(`there is no file ${file}`)),
  };
}

/** Whether a column has a value of a text, whatever its type is in a row. */
const holds = (column: string, text: string): string =>
  `case typeof(${column}) when 'text' then ${column} = ${text} collate binary when 'blob' then lower(hex(${column})) = ${text} else ${column} = cast(${text} as numeric) end`;

const textOf = (value: unknown, nullText: string): string =>
  value === null ? nullText : Buffer.isBuffer(value) ? value.toString('hex') : String(value);

/** A file knows no accounts: what matters is who may write to it. */
export function sqliteRights(file: string): RightsState {
  let writes = true;
  try {
    accessSync(file, constants.W_OK);
  } catch {
    writes = false;
  }
  return {
    account: 'whoever runs this program',
    excess: writes ? ['write to the file (Crease opens it for reading only)'] : [],
    beyond: [],
    sql: writes
      ? `-- SQLite has no accounts: take the right to write from the file\n-- chmod a-w '${file.replaceAll("'", "'\\''")}'`
      : '',
  };
}
