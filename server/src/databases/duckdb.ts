import type { DuckDBConnection, DuckDBInstance } from '@duckdb/node-api';
import { closeSync, existsSync, openSync, readdirSync, statSync, writeSync } from 'node:fs';
import { basename, extname, join, resolve } from 'node:path';
import { csvLine } from '@crease/core/interchange';
import { BOOLEAN, DATE, decimal, DOUBLE, INTEGER, TEXT, TIMESTAMP } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';
import type { DatabaseReader, DrawnColumn, Drawing, TableAbout, TableName } from './reader.ts';
import { DatabaseError, quoteIdentifier, tableText } from './reader.ts';

/** A database file of DuckDB, a Parquet file, or a folder of Parquet files. */
export interface DuckdbPlace {
  readonly file: string;
}

const PARQUET = /\.parquet$/i;
const WRITTEN_BYTES = 1 << 20;
/** What its library is told: it writes nothing and reads nothing but what is named. */
const THREADS = '2';

/** Files of Parquet that are one table, by its name: a file, or all files below a folder of a folder. */
export function parquetTables(place: string): Map<string, string[]> {
  const found = new Map<string, string[]>();
  if (!statSync(place).isDirectory()) return found.set(basename(place, extname(place)), [resolve(place)]);
  for (const entry of readdirSync(place, { withFileTypes: true }).sort((a, b) =>
    a.name < b.name ? -1 : 1,
  )) {
    const at = join(place, entry.name);
    if (entry.isFile() && PARQUET.test(entry.name)) found.set(basename(at, extname(at)), [resolve(at)]);
    if (!entry.isDirectory()) continue;
    const files = readdirSync(at, { recursive: true, withFileTypes: true })
      .filter((f) => f.isFile() && PARQUET.test(f.name))
      .map((f) => resolve(join(f.parentPath, f.name)))
      .sort();
    if (files.length > 0) found.set(entry.name, files);
  }
  return found;
}

/** Whether it is one file that DuckDB keeps its tables in. */
export const isDatabaseFile = (place: string): boolean =>
  !statSync(place).isDirectory() && !PARQUET.test(place);
const textLiteral = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** What the files of a table are by now: it changes when they do. */
export const versionOf = (files: readonly string[]): string =>
  files
    .map((file) => {
      const { mtimeMs, size, ino } = statSync(file);
      return `${ino} ${mtimeMs} ${size}`;
    })
    .join(', ');

async function library() {
  try {
    return await import('@duckdb/node-api');
  } catch (error) {
    throw new DatabaseError(
      `files of DuckDB and folders of Parquet files are read through the package @duckdb/node-api, which is not installed: "npm install @duckdb/node-api" in the folder of the program brings it (${(error as Error).message.split('\n')[0]})`,
    );
  }
}

async function opened(file: string): Promise<DuckDBInstance> {
  if (!existsSync(file)) throw new DatabaseError(`there is no file or folder ${file}`);
  const { DuckDBInstance } = await library();
  if (isDatabaseFile(file))
    return DuckDBInstance.fromCache(file, {
      access_mode: 'READ_ONLY',
      threads: THREADS,
      enable_external_access: 'false',
    });
  const tables = parquetTables(file);
  if (tables.size === 0) throw new DatabaseError(`${file} holds no Parquet files`);
  const instance = await DuckDBInstance.create(':memory:', { threads: THREADS });
  const connection = await instance.connect();
  try {
    for (const [name, files] of tables)
      await connection.run(
        `create view ${quoteIdentifier(name)} as select * from read_parquet([${files.map(textLiteral).join(', ')}], union_by_name = true)`,
      );
    const readable = [...tables.values()].flat().map(textLiteral).join(', ');
    await connection.run(`set allowed_paths = [${readable}]`);
    await connection.run('set enable_external_access = false');
    await connection.run('set lock_configuration = true');
  } finally {
    connection.closeSync();
  }
  return instance;
}

/** What a type of DuckDB is read as; undefined for one that has no like here. */
export function typeOfDuckdb(type: string): DataType | undefined {
  const digits = /^DECIMAL\((\d+),(\d+)\)$/.exec(type);
  if (digits) return decimal(Number(digits[1]), Number(digits[2]));
  if (/^(U?(TINY|SMALL|BIG)INT|U?INTEGER)$/.test(type)) return INTEGER;
  if (/^TIMESTAMP/.test(type)) return TIMESTAMP;
  return { BOOLEAN, DATE, DOUBLE, FLOAT: DOUBLE, VARCHAR: TEXT }[type];
}

const MOMENT = 'yyyy-MM-dd HH:mm:ss.SSSSSS';

function drawnColumn(name: string, was: string): DrawnColumn {
  const type = typeOfDuckdb(was);
  if (type === undefined) return { name, type: TEXT, isText: false, was };
  if (type.kind === 'date') return { name, type, isText: false, pattern: 'yyyy-MM-dd' };
  if (type.kind === 'timestamp') return { name, type, isText: false, pattern: MOMENT };
  return { name, type, isText: type.kind === 'text' };
}

/** A value as the text that its pattern reads. */
const drawnAs = (column: string, type: DataType | undefined): string =>
  type?.kind === 'timestamp'
    ? `strftime(cast(${column} as timestamp), '%Y-%m-%d %H:%M:%S.%f')`
    : `cast(${column} as varchar)`;

/** A database file of DuckDB or Parquet files, through DuckDB's own library where it is installed. */
export class DuckdbReader implements DatabaseReader {
  constructor(private readonly place: DuckdbPlace) {}

  /** Does work with a connection of its own. A signal ends the statement that runs; see `DuckdbSession`. */
  async within<T>(work: (connection: DuckDBConnection) => Promise<T>, signal?: AbortSignal): Promise<T> {
    let instance: DuckDBInstance | undefined;
    let connection: DuckDBConnection | undefined;
    const stop = () => connection?.interrupt();
    signal?.addEventListener('abort', stop);
    try {
      instance = await this.instance();
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

  private async instance(): Promise<DuckDBInstance> {
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
      for (const [name, files] of parquet ?? []) counted.set(name, await parquetRows(connection, files));
      const listed = await listedTables(connection);
      const keys = await textRows(
        connection,
        `select schema_name, table_name, constraint_type, to_json(constraint_column_names), referenced_table, to_json(referenced_column_names)
         from duckdb_constraints() where constraint_type in ('PRIMARY KEY', 'FOREIGN KEY')`,
      );
      return listed.map(({ schema, table, isView, rows, columns, comment }): DatabaseTable => {
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
    if (!found)
      throw new DatabaseError(`there is no table ${tableText(name)} in ${this.place.file} any more`);
    return { columns: found.columns.map((c) => drawnColumn(c.name, c.type)), rows: found.rows };
  }

  async draw(
    name: TableName,
    file: string,
    { columns, limit, nullText, signal, onBytes }: Drawing,
  ): Promise<void> {
    await this.within(async (connection) => {
      const all = new Map((await this.aboutWithin(connection, name)).columns.map((c) => [c.name, c.type]));
      const wanted = columns ?? [...all.keys()];
      const gone = wanted.find((column) => !all.has(column));
      if (gone !== undefined)
        throw new DatabaseError(
          `${tableText(name)} has no column ${gone} any more: preview the table again before importing it`,
        );
      const from = [...(name.schema === undefined ? [] : [name.schema]), name.table];
      const listed = wanted.map((c) => drawnAs(quoteIdentifier(c), all.get(c))).join(', ');
      const sql = `select ${listed} from ${from.map(quoteIdentifier).join('.')}${limit === undefined ? '' : ` limit ${limit}`}`;
      const result = await connection.stream(sql);
      const descriptor = openSync(file, 'w');
      try {
        let text = csvLine([...wanted]);
        const write = () => {
          const bytes = Buffer.from(text);
          writeSync(descriptor, bytes);
          onBytes(bytes.length);
          text = '';
        };
        for (;;) {
          if (signal.aborted) throw new DatabaseError('cancelled');
          const chunk = await result.fetchChunk();
          if (!chunk || chunk.rowCount === 0) break;
          for (const row of chunk.getRows() as (string | null)[][])
            text += csvLine(row.map((cell) => cell ?? nullText));
          if (text.length >= WRITTEN_BYTES) write();
        }
        write();
      } finally {
        closeSync(descriptor);
      }
    }, signal);
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
