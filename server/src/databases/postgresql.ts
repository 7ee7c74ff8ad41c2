import { createWriteStream } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import { BOOLEAN, DATE, decimal, DOUBLE, INTEGER, TEXT, TIMESTAMP } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';
import type { DatabaseReader, DrawnColumn, Drawing, TableAbout, TableName } from './reader.ts';
import { postgresqlRights } from './postgresqlRights.ts';
import { counted, MOMENT, wantedColumns } from './drawing.ts';
import { DatabaseError, quoteIdentifier, tableText } from './reader.ts';

/** Where a server is, and as whom it is asked. */
export interface PostgresqlPlace {
  readonly host: string;
  readonly port: number;
  readonly database: string;
  readonly user: string;
  readonly password: string;
  /** Whether the password may be sent as it is to a server that asks for that. */
  readonly clearPassword?: boolean | undefined;
}

const CONNECT_MS = 10_000;
/** Tables up to so many bytes are counted where the planner knows no rows of them, and so many of them. */
const SMALL_BYTES = 8_000_000;
const MOST_COUNTED = 200;

/** A server of PostgreSQL. Each question has a connection and a read-only transaction of its own. */
export class PostgresqlReader implements DatabaseReader {
  constructor(readonly place: PostgresqlPlace) {}

  /**
   * Does work within one read-only transaction, which sees one state of the database. A signal ends the
   * statement that runs, also at the server. Throws DatabaseError for what the server refuses.
   */
  async within<T>(work: (client: pg.Client) => Promise<T>, signal?: AbortSignal): Promise<T> {
    const client = this.client();
    // A connection that breaks while nobody waits for it must not end the program; who waits is told by the
    // query.
    let broken: Error | undefined;
    client.on('error', (error) => (broken = error));
    let isClear = false;
    let isConnected = false;
    if (!this.place.clearPassword) onClearPassword(client, () => (isClear = true));
    const stop = () => {
      // A server notices that a client has gone only when it next writes to it: it is told to stop.
      void this.cancel((client as unknown as { processID: number | null }).processID).finally(() =>
        (client as unknown as { connection: { stream: { destroy(): void } } }).connection.stream.destroy(),
      );
    };
    signal?.addEventListener('abort', stop);
    try {
      await client.connect();
      isConnected = true;
      await client.query('begin transaction isolation level repeatable read, read only');
      const result = await work(client);
      await client.query('commit');
      return result;
    } catch (error) {
      if (signal?.aborted) throw new DatabaseError('cancelled');
      if (isClear) throw new DatabaseError(this.clearRefused());
      if (isConnected && !broken && !isOfServer(error)) throw error;
      throw new DatabaseError(this.explained((broken ?? error) as Fault));
    } finally {
      signal?.removeEventListener('abort', stop);
      await client.end().catch(() => undefined); // it may have gone before
    }
  }

  private client(): pg.Client {
    return new pg.Client({
      ...this.place,
      connectionTimeoutMillis: CONNECT_MS,
      application_name: 'crease',
      options: '-c default_transaction_read_only=on -c datestyle=ISO,YMD -c client_encoding=UTF8',
    });
  }

  /** Ends what a session of this account does. */
  private async cancel(session: number | null): Promise<void> {
    if (session === null) return;
    const client = this.client();
    client.on('error', () => undefined); // the session that matters is ended below in any case
    try {
      await client.connect();
      await client.query('select pg_cancel_backend($1)', [session]);
    } catch {
      // A server that takes no more connections, or has gone: the session ends with its connection.
    } finally {
      await client.end().catch(() => undefined); // it may have gone before
    }
  }

  async test(signal?: AbortSignal): Promise<string> {
    return this.within(async (client) => {
      const { rows } = await client.query<{ version: string }>(
        `select current_setting('server_version') as version`,
      );
      return `PostgreSQL ${rows[0]!.version}`;
    }, signal);
  }

  async tables(): Promise<DatabaseTable[]> {
    return this.within(async (client) => {
      const { rows } = await client.query<{
        schema: string;
        table: string;
        kind: string;
        rows: string;
        columns: string;
        readable: boolean;
        comment: string | null;
        comments: Record<string, string> | null;
        small: boolean;
      }>(
        `select n.nspname as schema, c.relname as table, c.relkind as kind, c.reltuples::bigint as rows,
           (select count(*) from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped) as columns,
           has_table_privilege(c.oid, 'SELECT') as readable, obj_description(c.oid, 'pg_class') as comment,
           (select json_object_agg(a.attname, d.description) from pg_description d join pg_attribute a on a.attrelid = d.objoid and a.attnum = d.objsubid
             where d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid > 0 and not a.attisdropped) as comments,
           c.relkind = 'r' and pg_relation_size(c.oid) <= ${SMALL_BYTES} as small
         from pg_class c join pg_namespace n on n.oid = c.relnamespace
         where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition
           and n.nspname not in ('pg_catalog', 'information_schema') and n.nspname not like 'pg\\_toast%' and n.nspname not like 'pg\\_temp%'
           and has_schema_privilege(n.oid, 'USAGE')
         order by 1, 2`,
      );
      const { rows: keys } = await client.query<ConstraintRow>(
        `select k.contype as type, n.nspname as schema, c.relname as table, fn.nspname as to_schema, f.relname as to_table,
           array(select a.attname::text from unnest(k.conkey) with ordinality as u(num, i) join pg_attribute a on a.attrelid = k.conrelid and a.attnum = u.num order by u.i) as columns,
           array(select a.attname::text from unnest(k.confkey) with ordinality as u(num, i) join pg_attribute a on a.attrelid = k.confrelid and a.attnum = u.num order by u.i) as to_columns
         from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
           left join pg_class f on f.oid = k.confrelid left join pg_namespace fn on fn.oid = f.relnamespace
         where k.contype in ('p', 'f') and not c.relispartition`,
      );
      const of = (schema: string, table: string) =>
        keys.filter((k) => k.schema === schema && k.table === table);
      const counts = new Map<(typeof rows)[number], number>();
      // Small tables that were never looked at by the planner are counted.
      for (const r of rows
        .filter((t) => t.small && t.readable && knownRows(t.rows) === null)
        .slice(0, MOST_COUNTED)) {
        const counted = await client.query<{ n: string }>(`select count(*) as n from ${qualified(r)}`);
        counts.set(r, Number(counted.rows[0]!.n));
      }
      return rows.map((r) => ({
        schema: r.schema,
        table: r.table,
        kind: r.kind === 'v' || r.kind === 'm' ? ('view' as const) : ('table' as const),
        rows: counts.get(r) ?? knownRows(r.rows),
        columns: Number(r.columns),
        readable: r.readable,
        comment: r.comment,
        comments: r.comments ?? {},
        key: of(r.schema, r.table).find((k) => k.type === 'p')?.columns ?? [],
        references: of(r.schema, r.table)
          .filter((k) => k.type === 'f')
          .map((k) => ({
            columns: k.columns,
            schema: k.to_schema!,
            table: k.to_table!,
            toColumns: k.to_columns,
          })),
      }));
    });
  }

  async about(name: TableName): Promise<TableAbout> {
    return this.within(async (client) => {
      const columns = (await this.described(client, name)).map(({ drawn }) => drawn);
      const { rows } = await client.query<{ rows: string }>(
        `select c.reltuples::bigint as rows from pg_class c join pg_namespace n on n.oid = c.relnamespace where n.nspname = $1 and c.relname = $2`,
        [name.schema, name.table],
      );
      return { columns, rows: knownRows(rows[0]?.rows) };
    });
  }

  async draw(name: TableName, file: string, drawing: Drawing): Promise<void> {
    const { signal, nullText, limit } = drawing;
    await this.within(async (client) => {
      const all = await this.described(client, name);
      const expressions = new Map(all.map((c) => [c.drawn.name, c.expression]));
      const wanted = wantedColumns(name, [...expressions.keys()], drawing.columns).map(
        (column) => `${expressions.get(column)!} as ${quoteIdentifier(column)}`,
      );
      const select = `select ${wanted.join(', ')} from ${qualified(name)}${limit === undefined ? '' : ` limit ${limit}`}`;
      const copy = `copy (${select}) to stdout (format csv, header true, null ${client.escapeLiteral(nullText)}, encoding 'UTF8')`;
      await pipeline(client.query(copyTo(copy)), counted(drawing.onBytes), createWriteStream(file), {
        signal,
      });
    }, signal);
  }

  private async described(
    client: pg.Client,
    name: TableName,
  ): Promise<{ drawn: DrawnColumn; expression: string }[]> {
    const { rows } = await client.query<AttributeRow>(
      `select a.attname as name, coalesce(b.typname, t.typname) as type, coalesce(b.typcategory, t.typcategory) as category,
         case when t.typtypmod >= 0 then t.typtypmod else a.atttypmod end as modifier
       from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace
         join pg_type t on t.oid = a.atttypid left join pg_type b on b.oid = t.typbasetype and t.typtype = 'd'
       where n.nspname = $1 and c.relname = $2 and a.attnum > 0 and not a.attisdropped order by a.attnum`,
      [name.schema, name.table],
    );
    if (rows.length === 0)
      throw new DatabaseError(`there is no table ${tableText(name)} in ${this.place.database} any more`);
    const described: { drawn: DrawnColumn; expression: string }[] = [];
    for (const row of rows) described.push(await this.column(client, name, row));
    return described;
  }

  private async column(
    client: pg.Client,
    table: TableName,
    row: AttributeRow,
  ): Promise<{ drawn: DrawnColumn; expression: string }> {
    const { name, type, category, modifier } = row;
    const column = quoteIdentifier(name);
    const as = (read: DataType | undefined, expression = column, pattern?: string, was?: string) => ({
      drawn: {
        name,
        type: read,
        isText: read === undefined,
        ...(pattern === undefined ? {} : { pattern }),
        ...(was === undefined ? {} : { was }),
      },
      expression,
    });
    switch (type) {
      case 'int2':
      case 'int4':
      case 'int8':
        return as(INTEGER);
      case 'float4':
      case 'float8':
        return as(DOUBLE);
      case 'numeric':
        // Precision and scale lie in the modifier (src/backend/utils/adt/numeric.c); without one each value
        // has its own scale.
        if (modifier >= 4) return as(exactType((modifier - 4) >> 16, (modifier - 4) & 0x7ff));
        return as(exactType(38, await widestScale(client, table, column)));
      case 'money':
        return as(decimal(MONEY_DIGITS, MONEY_SCALE), `${column}::numeric`, undefined, 'money');
      case 'bool':
        return as(BOOLEAN);
      case 'date':
        return as(DATE, column, 'yyyy-MM-dd');
      case 'timestamp':
        return as(TIMESTAMP, `to_char(${column}, 'YYYY-MM-DD HH24:MI:SS.US')`, MOMENT);
      case 'timestamptz':
        return as(TIMESTAMP, `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD HH24:MI:SS.US')`, MOMENT);
      case 'bytea':
        return as(TEXT, `encode(${column}, 'hex')`, undefined, 'bytes, written in hexadecimal');
      case 'text':
      case 'varchar':
      case 'bpchar':
        return as(undefined, `${column}::text`);
      default:
        return as(
          category === 'S' ? undefined : TEXT,
          `${column}::text`,
          undefined,
          category === 'S' ? undefined : `${spokenType(type, category)}, as it is written`,
        );
    }
  }

  async rights(tables: readonly TableName[]): Promise<RightsState> {
    return this.within((client) => postgresqlRights(client, this.place, tables));
  }

  private clearRefused(): string {
    return `the server at ${this.place.host} asks for an unencrypted password, which others on the network could read: nothing was sent. Allow it for this connection if you want that`;
  }

  private explained({ code, message }: Fault): string {
    const { host, port, database, user } = this.place;
    switch (code) {
      case 'ECONNREFUSED':
        return `nothing answers at ${host}:${port}: is the server running, and does it listen there?`;
      case 'ENOTFOUND':
      case 'EAI_AGAIN':
        return `host ${host} not found: check the name`;
      case 'ETIMEDOUT':
      case 'EHOSTUNREACH':
      case 'ENETUNREACH':
        return `${host}:${port} cannot be reached: check the address and firewalls`;
      case '28P01':
        return `the password of ${user} is not right`;
      case '28000':
        return `${user} may not connect to ${database} at ${host}: ${message}`;
      case '3D000':
        return `the server at ${host} has no database ${database}`;
      case '42501':
        return `${user} may not read that: ${message}`;
      case '53300':
        return `the server at ${host} accepts no more connections now: try again later`;
      case '57P01':
      case '57P02':
      case '57P03':
        return `the server at ${host} is shutting down or starting: try again later`;
    }
    if (/timeout expired|timeout exceeded/i.test(message))
      return `${host}:${port} did not answer within ${CONNECT_MS / 1000} seconds`;
    if (/terminated|ECONNRESET|Premature close|EPIPE/i.test(`${code ?? ''} ${message}`))
      return `the connection to ${host} broke off before all rows had come: nothing of them was stored`;
    return `${host}: ${message}`;
  }
}

/**
 * Ends a connection whose server asks for the password in clear (protocol message
 * AuthenticationCleartextPassword), before anything is sent.
 */
function onClearPassword(client: pg.Client, tell: () => void): void {
  const inner = client as unknown as {
    password: unknown;
    connection: { stream: { destroy(): void }; on(event: string, listener: () => void): void };
  };
  // Listeners are called in their order: this one comes before the library's own, which would send the
  // password that it finds.
  inner.connection.on('authenticationCleartextPassword', () => {
    tell();
    inner.password = '';
    inner.connection.stream.destroy();
  });
}

/** Whether the server, or the way to it, is at fault, and not what is done with its answers. */
const isOfServer = (error: unknown): boolean =>
  error instanceof Error &&
  !(error instanceof DatabaseError) &&
  (typeof (error as Fault).code === 'string' || /terminated|Premature close/i.test(error.message));

interface Fault {
  readonly code?: string;
  readonly message: string;
}
interface ConstraintRow {
  readonly type: 'p' | 'f';
  readonly schema: string;
  readonly table: string;
  readonly to_schema: string | null;
  readonly to_table: string | null;
  readonly columns: string[];
  readonly to_columns: string[];
}
interface AttributeRow {
  readonly name: string;
  readonly type: string;
  readonly category: string;
  readonly modifier: number;
}

const qualified = ({ schema, table }: TableName): string =>
  schema === undefined ? quoteIdentifier(table) : `${quoteIdentifier(schema)}.${quoteIdentifier(table)}`;

/** The planner's estimate; below 0 where the table has never been looked at (pg_class.reltuples). */
const knownRows = (rows: string | undefined): number | null =>
  rows === undefined || Number(rows) < 0 ? null : Number(rows);

/** What a type that is read as text is called (categories of pg_type, PostgreSQL manual, 53.64). */
function spokenType(type: string, category: string): string {
  if (category === 'A') return `a list of ${type.replace(/^_/, '')}`;
  if (category === 'E') return `one of the words of ${type}`;
  if (category === 'R') return `a range (${type})`;
  return type;
}

/** `money` has the digits of a 64-bit integer, two of them behind the point in nearly all locales. */
const MONEY_DIGITS = 19;
const MONEY_SCALE = 2;
const LARGEST_PRECISION = 38;
const exactType = (precision: number, scale: number): DataType => {
  const bounded = Math.min(Math.max(precision, 1), LARGEST_PRECISION);
  return decimal(bounded, Math.min(Math.max(0, scale), bounded));
};

const SCALE_ROWS = 10_000;
/**
 * Digits behind the point of the first rows' values: the database does not say. Values with more are listed
 * when all rows come.
 */
async function widestScale(client: pg.Client, table: TableName, column: string): Promise<number> {
  const { rows } = await client.query<{ scale: number | null }>(
    `select max(scale(v)) as scale from (select ${column} as v from ${qualified(table)} limit ${SCALE_ROWS}) as sampled`,
  );
  return rows[0]?.scale ?? 0;
}
