import type { DuckDBConnection, DuckDBInstance } from '@duckdb/node-api';
import { existsSync, readdirSync, statSync } from 'node:fs';
import { basename, extname, join, resolve } from 'node:path';
import { BOOLEAN, DATE, decimal, DOUBLE, INTEGER, TEXT, TIMESTAMP } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';
import { drawnColumn, wantedColumns, writeDrawn } from './drawing.ts';
import type { DatabaseReader, Drawing, TableAbout, TableName } from './reader.ts';
import { DatabaseError, quoteIdentifier, tableText } from './reader.ts';

/** A database file of DuckDB, a Parquet file, or a folder of Parquet files. */
export interface DuckdbPlace {
  readonly file: string;
}

const PARQUET = /\.parquet$/i;
/** Threads that its library takes beside those of the program. */
const THREADS = '2';

/** Files of Parquet that are one table, by its name: a file, or all files below a folder of a folder. */
export function parquetTables(place: string): Map<string, string[]> {
  const found = new Map<string, string[]>();
  // A file and a folder of one name are one table.
  const add = (name: string, files: readonly string[]) =>
    found.set(name, [...(found.get(name) ?? []), ...files]);
  if (!statSync(place).isDirectory()) return found.set(basename(place, extname(place)), [resolve(place)]);
  for (const entry of readdirSync(place, { withFileTypes: true }).sort((a, b) =>
    a.name < b.name ? -1 : 1,
  )) {
    const at = join(place, entry.name);
    if (entry.isFile() && PARQUET.test(entry.name)) add(basename(at, extname(at)), [resolve(at)]);
    if (!entry.isDirectory()) continue;
    const files = readdirSync(at, { recursive: true, withFileTypes: true })
      .filter((f) => f.isFile() && PARQUET.test(f.name))
      .map((f) => resolve(join(f.parentPath, f.name)))
      .sort();
    if (files.length > 0) add(entry.name, files);
  }
  return found;
}

/** Whether it is one file that DuckDB keeps its tables in. */
export const isDatabaseFile = (place: string): boolean =>
  !statSync(place).isDirectory() && !PARQUET.test(place);
const textLiteral = (text: string): string => `'${text.replaceAll("'", "''")}'`;

async function library() {
  try {
    return await import('@duckdb/node-api');
  } catch (error) {
    throw new DatabaseError(
      `files of DuckDB and folders of Parquet files are read through the package @duckdb/node-api, which is not installed: "npm install @duckdb/node-api" in the folder of the program brings it (${(error as Error).message.split('\n')[0]})`,
    );
  }
}

/** A database, with why tables of it cannot be read, by their names. */
interface Opened {
  readonly instance: DuckDBInstance;
  readonly broken: ReadonlyMap<string, string>;
}

async function opened(file: string): Promise<Opened> {
  if (!existsSync(file)) throw new DatabaseError(`there is no file or folder ${file}`);
  const { DuckDBInstance } = await library();
  if (isDatabaseFile(file)) {
    const settings = { access_mode: 'READ_ONLY', threads: THREADS, enable_external_access: 'false' };
    return { instance: await DuckDBInstance.fromCache(file, settings), broken: new Map() };
  }
  const tables = parquetTables(file);
  if (tables.size === 0) throw new DatabaseError(`${file} holds no Parquet files`);
  const instance = await DuckDBInstance.create(':memory:', { threads: THREADS });
  const connection = await instance.connect();
  const broken = new Map<string, string>();
  try {
    for (const [name, files] of tables) {
      const list = files.map(textLiteral).join(', ');
      const view = `create view ${quoteIdentifier(name)} as select * from read_parquet([${list}], union_by_name = true)`;
      // A file that cannot be read takes no other table away.
      await connection.run(view).catch((error: Error) => broken.set(name, error.message.split('\n')[0]!));
    }
    const readable = [...tables.values()].flat().map(textLiteral).join(', ');
    await connection.run(`set allowed_paths = [${readable}]`);
    await connection.run('set enable_external_access = false');
    await connection.run('set lock_configuration = true');
  } finally {
    connection.closeSync();
  }
  return { instance, broken };
}

/** What a type of DuckDB is read as; undefined for one that has no like here. */
export function typeOfDuckdb(type: string): DataType | undefined {
  const digits = /^DECIMAL\((\d+),(\d+)\)$/.exec(type);
  if (digits) return decimal(Number(digits[1]), Number(digits[2]));
  if (/^(U?(TINY|SMALL|BIG)INT|U?INTEGER)$/.test(type)) return INTEGER;
  if (/^TIMESTAMP/.test(type)) return TIMESTAMP;
  return { BOOLEAN, DATE, DOUBLE, FLOAT: DOUBLE, VARCHAR: TEXT }[type];
}

/** A value as the text that its pattern reads. */
const drawnAs = (column: string, type: DataType | undefined): string =>
  type?.kind === 'timestamp'
    ? `strftime(cast(${column} as timestamp), '%Y-%m-%d %H:%M:%S.%f')`
    : `cast(${column} as varchar)`;

/** A database file of DuckDB or Parquet files, through DuckDB's own library where it is installed. */
export class DuckdbReader implements DatabaseReader {
  private broken: ReadonlyMap<string, string> = new Map();

  constructor(private readonly place: DuckdbPlace) {}

  /** Does work with a connection of its own. A signal ends the statement that runs; see `DuckdbSession`. */
  async within<T>(work: (connection: DuckDBConnection) => Promise<T>, signal?: AbortSignal): Promise<T> {
    let instance: DuckDBInstance | undefined;
    let connection: DuckDBConnection | undefined;
    const stop = () => connection?.interrupt();
    signal?.addEventListener('abort', stop);
    try {
      const database = await this.open();
      ({ instance } = database);
      this.broken = database.broken;
      connection = await instance.connect();
      if (signal?.aborted) throw new DatabaseError('cancelled');
      return await work(connection);
    } catch (error) {
      if (signal?.aborted) throw new DatabaseError('cancelled');
      throw error;
    } finally {
      signal?.removeEventListener('abort', stop);
      connection?.closeSync();
      instance?.closeSync();
    }
  }

  private async open(): Promise<Opened> {
    const { file } = this.place;
    try {
      return await opened(file);
    } catch (error) {
      if (error instanceof DatabaseError) throw error;
      const { message } = error as Error;
      throw new DatabaseError(
        /lock/i.test(message)
          ? `${file} is open for writing in another program: try again when that has ended`
          : `${file} cannot be read: ${message}`,
      );
    }
  }

  test(signal?: AbortSignal): Promise<string> {
    return this.within(async (connection) => {
      const [row] = await textRows(connection, 'select version()');
      return `DuckDB ${row![0]!.replace(/^v/, '')}`;
    }, signal);
  }

  async tables(): Promise<DatabaseTable[]> {
    const { file } = this.place;
    return this.within(async (connection) => {
      const parquet = isDatabaseFile(file) ? undefined : parquetTables(file);
      const counted = new Map<string, number>();
      for (const [name, files] of parquet ?? [])
        if (!this.broken.has(name)) counted.set(name, await parquetRows(connection, files));
      const listed = await listedTables(connection);
      const keys = await textRows(
        connection,
        `select schema_name, table_name, constraint_type, to_json(constraint_column_names), referenced_table, to_json(referenced_column_names)
         from duckdb_constraints() where constraint_type in ('PRIMARY KEY', 'FOREIGN KEY')`,
      );
      const broken = [...this.broken.keys()].map(unreadable);
      const found = listed.map(({ schema, table, isView, rows, columns, comment }): DatabaseTable => {
        const own = keys.filter((k) => k[0] === schema && k[1] === table);
        return {
          schema,
          table,
          kind: isView && !parquet ? 'view' : 'table',
          rows: counted.get(table) ?? rows,
          columns: columns.length,
          readable: true,
          key: JSON.parse(own.find((k) => k[2] === 'PRIMARY KEY')?.[3] ?? '[]') as string[],
          comment,
          comments: {},
          references: own
            .filter((k) => k[2] === 'FOREIGN KEY')
            .map((k) => ({
              columns: JSON.parse(k[3]!) as string[],
              schema,
              table: k[4]!,
              toColumns: JSON.parse(k[5] ?? '[]') as string[],
            })),
        };
      });
      return [...found, ...broken].sort((a, b) => (a.table < b.table ? -1 : 1));
    });
  }

  /** Files know no accounts, and this library is told to write nothing. */
  rights(): Promise<RightsState> {
    return Promise.resolve({ account: 'whoever runs this program', excess: [], beyond: [], sql: '' });
  }

  about(name: TableName): Promise<TableAbout> {
    return this.within((connection) => this.aboutWithin(connection, name));
  }

  private async aboutWithin(connection: DuckDBConnection, name: TableName): Promise<TableAbout> {
    const found = (await listedTables(connection)).find(
      (t) => t.table === name.table && (name.schema === undefined || t.schema === name.schema),
    );
    const why = this.broken.get(name.table);
    if (why !== undefined) throw new DatabaseError(`${tableText(name)} cannot be read: ${why}`);
    if (!found)
      throw new DatabaseError(`there is no table ${tableText(name)} in ${this.place.file} any more`);
    return {
      columns: found.columns.map((c) => drawnColumn(c.name, typeOfDuckdb(c.type), c.type)),
      rows: found.rows,
    };
  }

  async draw(name: TableName, file: string, drawing: Drawing): Promise<void> {
    await this.within(async (connection) => {
      const all = new Map((await this.aboutWithin(connection, name)).columns.map((c) => [c.name, c.type]));
      const wanted = wantedColumns(name, [...all.keys()], drawing.columns);
      const from = [...(name.schema === undefined ? [] : [name.schema]), name.table];
      const listed = wanted.map((c) => drawnAs(quoteIdentifier(c), all.get(c))).join(', ');
      const limited = drawing.limit === undefined ? '' : ` limit ${drawing.limit}`;
      const sql = `select ${listed} from ${from.map(quoteIdentifier).join('.')}${limited}`;
      await writeDrawn(file, wanted, streamed(connection, sql), drawing);
    }, drawing.signal);
  }
}

/** A table whose files cannot be read, as the list has it. */
const unreadable = (table: string): DatabaseTable => ({
  ...{ schema: 'main', table, kind: 'table', rows: null, columns: 0, readable: false },
  ...{ key: [], comment: null, comments: {}, references: [] },
});

/** Rows of a statement as they come. */
async function* streamed(connection: DuckDBConnection, sql: string): AsyncIterable<(string | null)[]> {
  const result = await connection.stream(sql);
  for (;;) {
    const chunk = await result.fetchChunk();
    if (!chunk || chunk.rowCount === 0) return;
    yield* chunk.getRows() as (string | null)[][];
  }
}

/** How many rows Parquet files have together, as they say themselves. */
export async function parquetRows(connection: DuckDBConnection, files: readonly string[]): Promise<number> {
  const list = files.map(textLiteral).join(', ');
  const [row] = await textRows(connection, `select sum(num_rows) from parquet_file_metadata([${list}])`);
  return Number(row![0] ?? 0);
}

/** Rows of a statement whose cells are texts. */
export async function textRows(
  connection: DuckDBConnection,
  sql: string,
  values: readonly unknown[] = [],
): Promise<(string | null)[][]> {
  const result = await connection.runAndReadAll(
    `select columns(*)::varchar from (${sql}) q`,
    values as (string | null)[],
  );
  return result.getRows() as (string | null)[][];
}

/** A table or view as the catalog has it. */
export interface DuckdbListed {
  readonly schema: string;
  readonly table: string;
  readonly isView: boolean;
  readonly rows: number | null;
  readonly comment: string | null;
  readonly columns: readonly { readonly name: string; readonly type: string }[];
}

/** All tables and views but those of the system. */
export async function listedTables(connection: DuckDBConnection): Promise<DuckdbListed[]> {
  const rows = await textRows(
    connection,
    `select t.schema_name, t.name, t.is_view, t.size, t.comment, to_json(list({name: c.column_name, type: c.data_type} order by c.column_index))
     from (select schema_name, table_name as name, table_oid as oid, false as is_view, estimated_size as size, comment from duckdb_tables() where not internal and not temporary
       union all select schema_name, view_name, view_oid, true, null, comment from duckdb_views() where not internal and not temporary) t
       join duckdb_columns() c on c.table_oid = t.oid and c.schema_name = t.schema_name and c.table_name = t.name
     where c.database_name = current_database()
     group by all order by 1, 2`,
  );
  return rows.map(([schema, table, isView, size, comment, columns]) => ({
    schema: schema!,
    table: table!,
    isView: isView === 'true',
    rows: size === null ? null : Number(size),
    comment: comment ?? null,
    columns: JSON.parse(columns!) as { name: string; type: string }[],
  }));
}
