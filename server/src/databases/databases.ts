import type { ConnectionState, ConnectionsState, DatabaseTable, RightsState } from '@crease/contract';
import type { connectionRequest } from '@crease/contract';
import type * as z from 'zod';
import type { Connection } from '../store/index.ts';
import type { Pool } from '../tasks/pool.ts';
import { ClickhouseReader } from './clickhouse.ts';
import type { GroupedPlace } from './grouped.ts';
import type { DatabaseReader, Drawing, TableAbout, TableName } from './reader.ts';
import { DatabaseError } from './reader.ts';
import type { Secrets } from './secrets.ts';
import { SharedProgress } from '../threads/sharedProgress.ts';
import type { EnginePlace } from '../warehouse/engines/index.ts';
import { readerAt } from '../warehouse/engines/index.ts';

type Order = z.output<typeof connectionRequest>;
type ServerPlace = { host: string; port: number; database: string; clearPassword?: boolean };
type Place = ServerPlace | { file: string };

interface Row {
  readonly name: string;
  readonly kind: ConnectionState['kind'];
  readonly place: string;
  readonly user: string | null;
  readonly secret: Buffer | null;
}

const DEFAULT_ACCOUNT = 'account';
const ownAccount = (name: string): string => `connection:${name.toLowerCase()}`;

/** The databases of a workspace and the accounts that they are read with. */
export class Databases {
  constructor(
    private readonly db: Connection,
    private readonly secrets: Secrets,
    private readonly pool: Pool,
  ) {}

  list(): ConnectionsState {
    const account = this.account();
    const rows = this.db.prepare('select * from connection order by name').all() as Row[];
    return {
      account: account ? { user: account.user, hasPassword: account.secret !== null } : null,
      connections: rows.map((row): ConnectionState => {
        const place = JSON.parse(row.place) as Place;
        if (isFile(row.kind)) return { kind: row.kind, name: row.name, ...(place as { file: string }) };
        const used = row.user === null ? account : { user: row.user, secret: row.secret };
        const shown = used
          ? { user: used.user, own: row.user !== null, hasPassword: used.secret !== null }
          : null;
        return { kind: row.kind, name: row.name, ...(place as ServerPlace), account: shown };
      }),
    };
  }

  /** Makes or changes a connection. A password that is not given stays, as long as the account does. */
  put(order: Order): void {
    const kept = this.find(order.name);
    const { name, kind } = order;
    const place: Place =
      'file' in order
        ? { file: order.file }
        : {
            host: order.host,
            port: order.port,
            database: order.database,
            ...('clearPassword' in order && order.clearPassword ? { clearPassword: true } : {}),
          };
    const user = 'file' in order ? null : (order.user ?? null);
    const given = 'file' in order ? undefined : order.password;
    const known = kept?.name ?? name;
    // A kept password goes to the place that it was given for, and to no other.
    const stays =
      kept !== undefined && isSamePlace(JSON.parse(kept.place) as Place, place) && kept.user === user;
    const secret =
      user === null
        ? null
        : given !== undefined
          ? this.secrets.seal(given, ownAccount(known))
          : stays
            ? kept.secret
            : null;
    this.db
      .prepare(
        `insert into connection (name, kind, place, user, secret) values (?, ?, ?, ?, ?)
         on conflict (name) do update set kind = excluded.kind, place = excluded.place, user = excluded.user, secret = excluded.secret`,
      )
      .run(known, kind, JSON.stringify(place), user, secret);
  }

  remove(name: string): void {
    if (this.db.prepare('delete from connection where name = ?').run(name).changes === 0) throw unknown(name);
  }

  setAccount({ user, password }: { user: string; password?: string | undefined }): void {
    const kept = this.account();
    const secret =
      password !== undefined
        ? this.secrets.seal(password, DEFAULT_ACCOUNT)
        : kept?.user === user
          ? kept.secret
          : null;
    this.db
      .prepare(
        'insert into account (id, user, secret) values (1, ?, ?) on conflict (id) do update set user = excluded.user, secret = excluded.secret',
      )
      .run(user, secret);
  }

  /** The database behind a connection. Throws DatabaseError where there is none, or no account for it. */
  reader(name: string): DatabaseReader {
    const row = this.found(name);
    if (row.kind === 'sqlite') return new SqliteReader(fileOf(row), this.pool);
    if (row.kind === 'clickhouse') return new ClickhouseReader(this.server(row));
    return readerAt(this.place(name));
  }

  /**
   * Where a database is that is asked where its rows lie. Throws DatabaseError where there is none, or no
   * account for it, and for one whose tables are not passed through.
   */
  place(name: string): EnginePlace {
    const row = this.found(name);
    if (row.kind === 'clickhouse') this.server(row);
    if (row.kind === 'sqlite' || row.kind === 'clickhouse')
      throw new DatabaseError(
        `${row.name} is ${row.kind === 'sqlite' ? 'a SQLite file' : 'a server of ClickHouse'}, of whose tables only groups are asked: this needs more. Load them to hold their rows here`,
      );
    if (row.kind === 'duckdb') return { kind: row.kind, file: fileOf(row) };
    return { kind: row.kind, ...this.server(row) };
  }

  /**
   * Where a database is of whose tables groups are asked for, where they are passed through; undefined for
   * any other, and where there is none.
   */
  groupedPlace(name: string): GroupedPlace | undefined {
    const row = this.find(name);
    if (row?.kind === 'sqlite') return { kind: row.kind, file: fileOf(row) };
    if (row?.kind !== 'clickhouse') return undefined;
    try {
      return { kind: row.kind, ...this.server(row) };
    } catch (error) {
      // Without an account it is asked for nothing: who needs its rows is told so by `place`.
      if (error instanceof DatabaseError) return undefined;
      throw error;
    }
  }

  /** A server and the account that it is asked as. */
  private server(row: Row): ServerPlace & { user: string; password: string } {
    const account = this.account();
    const [user, secret, of] =
      row.user === null
        ? [account?.user, account?.secret, DEFAULT_ACCOUNT]
        : [row.user, row.secret, ownAccount(row.name)];
    if (user === undefined)
      throw new DatabaseError(
        `${row.name} has no account: give it one, or give the workspace one that all connections have`,
      );
    const password = secret ? this.secrets.open(secret, of) : '';
    return { ...(JSON.parse(row.place) as ServerPlace), user, password };
  }

  private found(name: string): Row {
    const row = this.find(name);
    if (!row) throw unknown(name);
    return row;
  }

  private find(name: string): Row | undefined {
    return this.db.prepare('select * from connection where name = ?').get(name) as Row | undefined;
  }

  private account(): { user: string; secret: Buffer | null } | undefined {
    return this.db.prepare('select user, secret from account').get() as
      | { user: string; secret: Buffer | null }
      | undefined;
  }
}

const fileOf = (row: Row): string => (JSON.parse(row.place) as { file: string }).file;

const isFile = (kind: ConnectionState['kind']): kind is 'sqlite' | 'duckdb' =>
  kind === 'sqlite' || kind === 'duckdb';

/** Whether a password goes to the same server: what is allowed of it does not matter. */
const isSamePlace = (a: Place, b: Place): boolean =>
  'file' in a || 'file' in b ? false : a.host === b.host && a.port === b.port && a.database === b.database;

const unknown = (name: string) =>
  new DatabaseError(`the workspace has no connection ${name}: it may have been removed`);

/** A SQLite file, read by worker threads. */
class SqliteReader implements DatabaseReader {
  constructor(
    private readonly file: string,
    private readonly pool: Pool,
  ) {}

  test(): Promise<string> {
    return this.pool.run('sqliteFileVersion', { file: this.file });
  }

  tables(): Promise<DatabaseTable[]> {
    return this.pool.run('sqliteFileTables', { file: this.file });
  }

  rights(): Promise<RightsState> {
    return this.pool.run('sqliteFileRights', { file: this.file });
  }

  about(table: TableName): Promise<TableAbout> {
    return this.pool.run('sqliteFileTable', { file: this.file, table });
  }

  async draw(
    table: TableName,
    file: string,
    { columns, limit, nullText, signal, onBytes }: Drawing,
  ): Promise<void> {
    const progress = new SharedProgress();
    const stop = () => progress.stop();
    signal.addEventListener('abort', stop);
    if (signal.aborted) stop();
    let told = 0;
    const tell = () => {
      const written = progress.done;
      onBytes((written - told) * 1024);
      told = written;
    };
    const watch = setInterval(tell, 100);
    try {
      await this.pool.load('extractSqlite', {
        from: this.file,
        table,
        file,
        columns,
        limit,
        nullText,
        shared: progress.memory,
      });
      tell();
    } finally {
      clearInterval(watch);
      signal.removeEventListener('abort', stop);
    }
  }
}
