import { createConnection } from 'mysql2/promise';
import type { Connection as CallbackConnection } from 'mysql2';
import type { Connection } from 'mysql2/promise';
import type { Bound } from '@crease/core/sql';
import { literal, withLiterals } from '@crease/core/sql';
import { DATE, decimal, DOUBLE, INTEGER, TEXT, TIMESTAMP } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';
import { drawnColumn, wantedColumns, writeDrawn } from './drawing.ts';
import type { DatabaseReader, Drawing, TableAbout, TableName } from './reader.ts';
import { DatabaseError, quoteIdentifier, tableText } from './reader.ts';

/** Where a server is, and as whom it is asked. */
export interface MariadbPlace {
  readonly host: string;
  readonly port: number;
  readonly database: string;
  readonly user: string;
  readonly password: string;
}

const CONNECT_MS = 10_000;
const SYSTEM = `('mysql', 'information_schema', 'performance_schema', 'sys')`;

/** A column as the catalog has it. */
export interface MariadbColumn {
  readonly name: string;
  /** DATA_TYPE and COLUMN_TYPE of information_schema.columns. */
  readonly type: string;
  readonly full: string;
  readonly precision: number;
  readonly scale: number;
  readonly collation: string | null;
}

/** What a type is read as; undefined for one that has no like here. */
export function typeOfMariadb({ type, full, precision, scale }: MariadbColumn): DataType | undefined {
  switch (type) {
    case 'tinyint':
    case 'smallint':
    case 'mediumint':
    case 'int':
    case 'year':
      return INTEGER;
    case 'bigint':
      return /unsigned/.test(full) ? decimal(20, 0) : INTEGER;
    case 'decimal':
      return precision <= 38 ? decimal(precision, scale) : undefined;
    case 'float':
    case 'double':
      return DOUBLE;
    case 'date':
      return DATE;
    case 'datetime':
    case 'timestamp':
      return TIMESTAMP;
    default:
      return /char|text|enum|set|json|uuid/.test(type) ? TEXT : undefined;
  }
}

/** A value as the text that its pattern reads. */
const drawnAs = (name: string, { type }: MariadbColumn): string =>
  type === 'datetime' || type === 'timestamp'
    ? `date_format(${quoteIdentifier(name)}, '%Y-%m-%d %H:%i:%s.%f')`
    : /blob|binary/.test(type)
      ? `lower(hex(${quoteIdentifier(name)}))`
      : quoteIdentifier(name);

/** A server of MariaDB. Each question has a connection and a read-only transaction of its own. */
export class MariadbReader implements DatabaseReader {
  constructor(private readonly place: MariadbPlace) {}

  /**
   * Does work within one read-only transaction, which sees one state of the database. A signal ends the
   * session, and the statement that runs at the server. Throws DatabaseError for what the server refuses.
   */
  async within<T>(work: (connection: Connection) => Promise<T>, signal?: AbortSignal): Promise<T> {
    let connection: Connection | undefined;
    const stop = () => void (connection && this.cancel(connection.threadId));
    signal?.addEventListener('abort', stop);
    try {
      connection = await this.connect();
      if (signal?.aborted) throw new DatabaseError('cancelled');
      for (const setting of SETTINGS) await connection.query(setting);
      return await work(connection);
    } catch (error) {
      if (signal?.aborted) throw new DatabaseError('cancelled');
      if (!isOfServer(error)) throw error;
      throw new DatabaseError(this.explained(error));
    } finally {
      signal?.removeEventListener('abort', stop);
      await connection?.end().catch(() => undefined); // it may have gone before
    }
  }

  private connect(): Promise<Connection> {
    const { host, port, database, user, password } = this.place;
    return createConnection({
      ...{ host, port, database, user, password },
      connectTimeout: CONNECT_MS,
      rowsAsArray: true,
      // Every cell as the server writes it: numbers beyond a double stay what they are.
      typeCast: (field) => field.string('utf8'),
      charset: 'utf8mb4',
      multipleStatements: false,
      authPlugins: {
        mysql_clear_password: refused,
        sha256_password: refused,
        caching_sha2_password: refused,
      },
      // A server could ask for files of this machine: it is never given any.
      flags: ['-LOCAL_FILES'],
      infileStreamFactory: () => {
        throw new DatabaseError('the server asks for a file of this machine, which it is not given');
      },
    });
  }

  /** Ends a session of this account with the statement that it runs: those after it would run as well. */
  private async cancel(session: number): Promise<void> {
    try {
      const connection = await this.connect();
      await connection.query(`kill ${session}`);
      await connection.end();
    } catch {
      // A server that takes no more connections, or has gone: the statement ends with its connection.
    }
  }

  private explained({ code, errno, message }: ServerError): string {
    const { host, port, user, database } = this.place;
    if (code === 'ECONNREFUSED')
      return `nothing answers at ${host}:${port}: is the server running, and does it listen there?`;
    if (code === 'ENOTFOUND') return `host ${host} not found`;
    if (code === 'ETIMEDOUT') return `${host}:${port} does not answer within ${CONNECT_MS / 1000} seconds`;
    if (code === 'AUTH_SWITCH_PLUGIN_ERROR')
      return `${host}:${port} asks for the password itself, which is not sent: is it the server that is meant?`;
    if (errno === 1045) return `the password of ${user} is not right, or ${user} may not connect from here`;
    if (errno === 1049) return `the server has no database ${database}`;
    if (errno === 1044) return `${user} may not use the database ${database}`;
    return `the database says: ${message}`;
  }

  test(signal?: AbortSignal): Promise<string> {
    return this.within(async (connection) => {
      const [[version]] = await textRows(connection, 'select version()');
      return `MariaDB ${version!.replace(/-MariaDB.*$/, '')}`;
    }, signal);
  }

  tables(): Promise<DatabaseTable[]> {
    return this.within(async (connection) => {
      const found = await listedTables(connection);
      const keys = await textRows(
        connection,
        `select k.table_schema, k.table_name, k.constraint_name, k.column_name, k.referenced_table_schema, k.referenced_table_name, k.referenced_column_name
         from information_schema.key_column_usage k
         where k.table_schema not in ${SYSTEM} and (k.constraint_name = 'PRIMARY' or k.referenced_table_name is not null)
         order by 1, 2, 3, k.ordinal_position`,
      );
      return found.map(({ schema, table, isView, rows, comment, columns }): DatabaseTable => {
        const own = keys.filter((k) => k[0] === schema && k[1] === table);
        const names = [...new Set(own.filter((k) => k[5] !== null).map((k) => k[2]))];
        return {
          schema,
          table,
          kind: isView ? 'view' : 'table',
          rows,
          columns: columns.length,
          readable: true,
          key: own.filter((k) => k[2] === 'PRIMARY').map((k) => k[3]!),
          comment,
          comments: {},
          references: names.map((name) => {
            const pairs = own.filter((k) => k[2] === name);
            return {
              columns: pairs.map((k) => k[3]!),
              schema: pairs[0]![4]!,
              table: pairs[0]![5]!,
              toColumns: pairs.map((k) => k[6]!),
            };
          }),
        };
      });
    });
  }

  /** What the account may do beyond reading, as its grants say, and the SQL for one that cannot. */
  rights(tables: readonly TableName[]): Promise<RightsState> {
    return this.within(async (connection) => {
      const [[account]] = await textRows(connection, 'select current_user()');
      const granted = await textRows(
        connection,
        `select distinct privilege_type, 'everywhere' from information_schema.user_privileges where grantee = $1
         union select distinct privilege_type, concat('in ', table_schema) from information_schema.schema_privileges where grantee = $1
         union select distinct privilege_type, concat('on ', table_schema, '.', table_name) from information_schema.table_privileges where grantee = $1`,
        [granteeOf(account!)],
      );
      const excess = granted
        .filter(([right]) => right !== 'SELECT' && right !== 'USAGE' && right !== 'SHOW VIEW')
        .map(([right, where]) => `${right!.toLowerCase()} ${where!}`);
      const wanted = new Set(tables.map((t) => `on ${t.schema ?? this.place.database}.${t.table}`));
      const beyond = granted
        .filter(([right, where]) => right === 'SELECT' && !wanted.has(where!))
        .map(([, where]) => `read ${where!}`);
      return { account: account!, excess: excess.slice(0, 50), beyond, sql: readerSql(tables, this.place) };
    });
  }

  about(name: TableName): Promise<TableAbout> {
    return this.within(async (connection) => {
      const { columns, rows } = await this.listed(connection, name);
      return { columns: columns.map((c) => drawnColumn(c.name, typeOfMariadb(c), c.full)), rows };
    });
  }

  private async listed(connection: Connection, name: TableName): Promise<MariadbListed> {
    const schema = name.schema ?? this.place.database;
    const found = (await listedTables(connection)).find((t) => t.schema === schema && t.table === name.table);
    if (!found) throw new DatabaseError(`there is no table ${tableText(name)} in the database any more`);
    return found;
  }

  async draw(name: TableName, file: string, drawing: Drawing): Promise<void> {
    await this.within(async (connection) => {
      const { schema, table, columns } = await this.listed(connection, name);
      const all = new Map(columns.map((c) => [c.name, c]));
      const wanted = wantedColumns(name, [...all.keys()], drawing.columns);
      const listed = wanted.map((c) => drawnAs(c, all.get(c)!)).join(', ');
      const limited = drawing.limit === undefined ? '' : ` limit ${drawing.limit}`;
      const sql = `select ${listed} from ${quoteIdentifier(schema)}.${quoteIdentifier(table)}${limited}`;
      await writeDrawn(file, wanted, streamed(connection, sql), drawing);
    }, drawing.signal);
  }
}

/** Ways to prove a password by which whoever plays the server would have it: none of them is taken. */
const refused = () => () => Promise.reject(new Error('it asks for the password itself'));

/** What each session begins with: names and texts as the standard has them, one state, nothing written. */
const SETTINGS = [
  `set session sql_mode = 'ANSI_QUOTES,PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES,NO_UNSIGNED_SUBTRACTION', time_zone = '+00:00', group_concat_max_len = 4194304`,
  `set names utf8mb4 collate utf8mb4_nopad_bin`,
  // Joins without an index hash their rows.
  `set session join_cache_level = 8`,
  `set session transaction isolation level repeatable read`,
  `start transaction with consistent snapshot, read only`,
];

interface ServerError {
  readonly code?: string;
  readonly errno?: number;
  readonly message: string;
}

/** Whether an error is one of the connection or of the server. */
export const isOfServer = (error: unknown): error is ServerError =>
  typeof error === 'object' &&
  error !== null &&
  'code' in error &&
  ('errno' in error || 'syscall' in error || 'fatal' in error);

/** An account as the tables of privileges write it. */
const granteeOf = (account: string): string => {
  const at = account.lastIndexOf('@');
  return `'${account.slice(0, at)}'@'${account.slice(at + 1)}'`;
};

/** SQL for an account that reads some tables and nothing else. */
function readerSql(tables: readonly TableName[], place: MariadbPlace): string {
  const lines = tables.map(
    (t) =>
      `grant select on ${quoteIdentifier(t.schema ?? place.database)}.${quoteIdentifier(t.table)} to 'crease_reader'@'%';`,
  );
  return [
    `set sql_mode = concat(@@sql_mode, ',ANSI_QUOTES');`,
    `create user 'crease_reader'@'%' identified by 'choose a password';`,
    ...lines,
  ].join('\n');
}

/** Rows of a statement with numbered parameters; cells as texts. */
export async function textRows(
  connection: Connection,
  sql: string,
  values: readonly unknown[] = [],
): Promise<(string | null)[][]> {
  // The server's protocol knows parameters by their order alone, ours have numbers.
  const whole = withLiterals(sql, (number) => literal((values[number - 1] ?? null) as Bound));
  const [rows] = await connection.query(whole);
  return rows as unknown as (string | null)[][];
}

/** Rows as they come; the library has them as a stream beside its promises only. */
const streamed = (connection: Connection, sql: string): AsyncIterable<(string | null)[]> =>
  (connection as unknown as { connection: CallbackConnection }).connection
    .query(sql)
    .stream() as AsyncIterable<(string | null)[]>;

/** A table or view as the catalog has it. */
export interface MariadbListed {
  readonly schema: string;
  readonly table: string;
  readonly isView: boolean;
  readonly rows: number | null;
  readonly comment: string | null;
  /** What changes with its rows, as far as the server knows; empty where it does not. */
  readonly version: string;
  readonly columns: readonly MariadbColumn[];
}

/** Tables and views that the account may see, but those of the system. */
export async function listedTables(connection: Connection): Promise<MariadbListed[]> {
  const tables = await textRows(
    connection,
    `select table_schema, table_name, table_type, table_rows, nullif(table_comment, ''), concat_ws(' ', update_time, create_time, table_rows, data_length),
       -- A time of whole seconds says nothing of changes within the same one.
       case when update_time < now() - interval 2 second then update_time end
     from information_schema.tables where table_schema not in ${SYSTEM} order by 1, 2`,
  );
  const columns = await textRows(
    connection,
    `select table_schema, table_name, column_name, data_type, column_type, numeric_precision, numeric_scale, collation_name
     from information_schema.columns where table_schema not in ${SYSTEM} order by 1, 2, ordinal_position`,
  );
  const byTable = new Map<string, MariadbColumn[]>();
  for (const [schema, table, name, type, full, precision, scale, collation] of columns) {
    const key = JSON.stringify([schema, table]);
    if (!byTable.has(key)) byTable.set(key, []);
    byTable.get(key)!.push({
      ...{ name: name!, type: type!, full: full!, collation: collation ?? null },
      precision: Number(precision ?? 0),
      scale: Number(scale ?? 0),
    });
  }
  return tables.map(([schema, table, type, rows, comment, version, changed]) => ({
    schema: schema!,
    table: table!,
    isView: /VIEW/.test(type!),
    rows: /VIEW/.test(type!) || rows === null ? null : Number(rows),
    comment: /VIEW/.test(type!) ? null : (comment ?? null),
    version: changed === null ? '' : version!,
    columns: byTable.get(JSON.stringify([schema, table])) ?? [],
  }));
}
