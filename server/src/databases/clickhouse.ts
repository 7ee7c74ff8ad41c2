import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { Readable, Transform } from 'node:stream';
import type { TransformCallback } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream } from 'node:stream/web';
import { DATE, decimal, DOUBLE, INTEGER, numberText, TEXT, TIMESTAMP } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DatabaseTable, RightsState } from '@crease/contract';
import { counted, drawnColumn, MOMENT, wantedColumns } from './drawing.ts';
import type {
  CellText,
  DatabaseReader,
  Drawing,
  GroupedReader,
  Groups,
  TableAbout,
  TableName,
} from './reader.ts';
import { DatabaseError, tableText } from './reader.ts';

/** Where a server's HTTP interface is, and as whom it is asked. */
export interface ClickhousePlace {
  readonly host: string;
  readonly port: number;
  readonly database: string;
  readonly user: string;
  readonly password: string;
  /** Whether the password may be sent over a network, where everybody on the way can read it. */
  readonly clearPassword?: boolean | undefined;
}

const CONNECT_MS = 10_000;
const TAIL_BYTES = 4096;
const LOOPBACK = /^(localhost|127(\.\d+){3}|::1)$/;
/** What every statement is sent with. */
const READ_ONLY: Readonly<Record<string, string>> = { readonly: '1' };
/** Groups that are not counted within this time, in seconds, are given up by the server. */
const MOST_SECONDS = 1800;
const SYSTEM = `('system', 'information_schema', 'INFORMATION_SCHEMA')`;
/** Codes of the server's errors (src/Common/ErrorCodes.cpp). */
const WRONG_PASSWORD = new Set([192, 193, 194, 516]);
const UNKNOWN_DATABASE = 81;
/** A connection to a node that is kept turns out to have ended. */
const NODE_LEFT = new Set([32, 210]);
/** No node of a shard could be reached, or it did not answer in time. */
const NODE_GONE = new Set([...NODE_LEFT, 209, 279]);
/** The statement took longer than it may. */
const TOO_LONG = 159;

/** The type within Nullable(…) and LowCardinality(…). */
const plainType = (type: string): string => {
  const within = /^(?:Nullable|LowCardinality)\((.*)\)$/.exec(type)?.[1];
  return within === undefined ? type : plainType(within);
};

/** What a type is read as; undefined for one that has no like here. */
function typeOfClickhouse(declared: string): DataType | undefined {
  const type = plainType(declared);
  if (/^U?Int(8|16|32)$/.test(type) || type === 'Int64') return INTEGER;
  if (type === 'UInt64') return decimal(20, 0);
  if (/^Float(32|64)$/.test(type)) return DOUBLE;
  const digits = /^Decimal\((\d+), ?(\d+)\)$/.exec(type);
  if (digits && Number(digits[1]) <= 38) return decimal(Number(digits[1]), Number(digits[2]));
  if (/^Date(32)?$/.test(type)) return DATE;
  if (/^DateTime/.test(type)) return TIMESTAMP;
  return /^(String|FixedString|Enum|UUID)/.test(type) ? TEXT : undefined;
}

const isFine = (declared: string): boolean => /^DateTime64/.test(plainType(declared));
const momentOf = (declared: string): string => (isFine(declared) ? MOMENT : 'yyyy-MM-dd HH:mm:ss');

/** A value as text: moments in UTC, texts of a fixed length without the zeros that fill them. */
function drawnAs(name: string, declared: string): string {
  const column = quoted(name);
  const type = plainType(declared);
  if (isFine(declared)) return `toString(toDateTime64(${column}, 6), 'UTC')`;
  if (/^DateTime/.test(type)) return `toString(${column}, 'UTC')`;
  return /^FixedString/.test(type) ? `toStringCutToZero(${column})` : `toString(${column})`;
}

const escaped = (text: string, quote: string): string =>
  quote + text.replaceAll('\\', '\\\\').replaceAll(quote, `\\${quote}`) + quote;
const textLiteral = (text: string): string => escaped(text, "'");
/** A name, in which a backslash begins an escape there as in a text. */
const quoted = (name: string): string => escaped(name, '"');

/** The number of the error with which a text begins. */
const codeOf = (text: string): number => Number(/^Code: (\d+)/.exec(text)?.[1]);

/** A server of ClickHouse, asked over HTTP, where every statement is read-only. */
export class ClickhouseReader implements DatabaseReader, GroupedReader {
  /** `given` ends what is asked without a signal of its own, also at the server. */
  constructor(
    private readonly place: ClickhousePlace,
    private readonly given?: AbortSignal,
    private readonly mostSeconds = MOST_SECONDS,
  ) {}

  private ofGroups(): Readonly<Record<string, string>> {
    return { ...READ_ONLY, max_execution_time: String(this.mostSeconds) };
  }

  /** The answer of a statement. A signal ends it, also at the server. Throws DatabaseError. */
  private async ask(sql: string, signal?: AbortSignal, settings = READ_ONLY): Promise<Response> {
    const response = await this.send(sql, signal, settings);
    if (response.ok) return response;
    const refused = await response.text();
    if (!NODE_LEFT.has(codeOf(refused))) throw new DatabaseError(this.refused(refused));
    // The node may be there again, or another one have its rows.
    const again = await this.send(sql, signal, settings);
    if (again.ok) return again;
    throw new DatabaseError(this.refused(await again.text()));
  }

  private async send(
    sql: string,
    signal: AbortSignal | undefined,
    settings: Readonly<Record<string, string>>,
  ): Promise<Response> {
    const { host, port, database, user, password, clearPassword } = this.place;
    if (password !== '' && !LOOPBACK.test(host) && !clearPassword)
      throw new DatabaseError(
        `the password would go to ${host} unencrypted: allow that on the connection, or reach the server through a tunnel on this machine`,
      );
    const id = randomUUID();
    const url = new URL(`http://${host.includes(':') ? `[${host}]` : host}:${port}/`);
    url.search = String(new URLSearchParams({ database, ...settings, query_id: id }));
    const headers = { 'X-ClickHouse-User': user, 'X-ClickHouse-Key': password };
    const stop = () => {
      url.search = '';
      // It notices by itself that nobody waits only when it next writes.
      const kill = `kill query where query_id = ${textLiteral(id)}`;
      void fetch(url, { method: 'POST', body: kill, headers }).catch(() => undefined); // it may have gone
    };
    signal?.addEventListener('abort', stop, { once: true });
    try {
      return await fetch(url, {
        ...{ method: 'POST', body: sql, headers, redirect: 'error' },
        signal: signal ?? AbortSignal.timeout(6 * CONNECT_MS),
      });
    } catch (error) {
      if (signal?.aborted) throw new DatabaseError('cancelled');
      throw new DatabaseError(this.explained(error as Error & { cause?: { code?: string } }));
    }
  }

  private explained({ message, cause }: Error & { cause?: { code?: string } }): string {
    const { host, port } = this.place;
    if (cause?.code === 'ECONNREFUSED')
      return `nothing answers at ${host}:${port}: is the server running, and does its HTTP interface listen there?`;
    return cause?.code === 'ENOTFOUND' ? `host ${host} not found` : `${host}:${port}: ${message}`;
  }

  private refused(text: string): string {
    const code = codeOf(text);
    const { user, database } = this.place;
    if (WRONG_PASSWORD.has(code)) return `the password of ${user} is not right, or there is no such user`;
    if (code === UNKNOWN_DATABASE && text.includes(database)) return `the server has no database ${database}`;
    if (code === TOO_LONG)
      return `the groups were not counted within ${numberText(this.mostSeconds)} s: ask of fewer columns, or hold the table`;
    const who = NODE_GONE.has(code) ? 'a node of the cluster does not answer: start it and try again. ' : '';
    return `${who}${who === '' ? 'the' : 'The'} database says: ${text
      .replace(/^.*DB::Exception: /s, '')
      .replace(/, e\.what\(\).*$/s, '')
      .trim()}`;
  }

  private async rows(sql: string, signal = this.given, settings = READ_ONLY): Promise<(string | null)[][]> {
    const response = await this.ask(`${sql} format JSONCompact`, signal, settings);
    return ((await response.json()) as { data: (string | null)[][] }).data;
  }

  async test(signal?: AbortSignal): Promise<string> {
    const [row] = await this.rows('select version()', signal);
    return `ClickHouse ${row![0]!}`;
  }

  async tables(): Promise<DatabaseTable[]> {
    const tables = await this.rows(
      `select database, name, engine from system.tables where database not in ${SYSTEM} and not is_temporary order by database, name`,
    );
    const parts = await this.rows(
      `select database, table, toString(sum(rows)) from system.parts where active group by database, table`,
    );
    const columns = await this.rows(
      `select database, table, toString(count()) from system.columns where database not in ${SYSTEM} group by database, table`,
    );
    const of = (list: readonly (string | null)[][], schema: string, table: string) =>
      list.find((row) => row[0] === schema && row[1] === table)?.[2];
    return tables.map(([schema, table, engine]): DatabaseTable => {
      const rows = of(parts, schema!, table!);
      return {
        schema: schema!,
        table: table!,
        kind: /View/.test(engine!) ? 'view' : 'table',
        // Tables that keep their rows elsewhere (spread over nodes, or in memory) tell nothing.
        rows: rows === undefined || rows === null ? (/MergeTree$/.test(engine!) ? 0 : null) : Number(rows),
        columns: Number(of(columns, schema!, table!) ?? 0),
        readable: true,
        // What it calls a key keeps no two rows apart, and it knows no references.
        key: [],
        comment: null,
        comments: {},
        references: [],
      };
    });
  }

  /** Whether the account may write: old servers say no more of it than its profile. */
  async rights(): Promise<RightsState> {
    // Asked without what makes every other statement read-only.
    const [row] = await this.rows(
      `select value from system.settings where name = 'readonly' and value <> '0'`,
      undefined,
      {},
    );
    const { user } = this.place;
    return {
      account: user,
      excess: row ? [] : ['write (its profile does not say otherwise; Crease asks with readonly = 1)'],
      beyond: [],
      sql: `-- In the profile of ${user.replace(/[\r\n]/g, ' ')} in users.xml: <readonly>1</readonly>`,
    };
  }

  async about(name: TableName): Promise<TableAbout> {
    const columns = await this.columns(name);
    return {
      columns: columns.map(([column, type]) =>
        drawnColumn(column, typeOfClickhouse(type), type, momentOf(type)),
      ),
      rows: null,
    };
  }

  private nameOf({ schema, table }: TableName): string {
    return `${quoted(schema ?? this.place.database)}.${quoted(table)}`;
  }

  async groups(name: TableName, columns: readonly string[], most: number, least = 1): Promise<Groups> {
    const types = new Map(await this.columns(name));
    const wanted = wantedColumns(name, [...types.keys()], columns);
    const listed = [...wanted.map((c) => drawnAs(c, types.get(c)!)), 'toString(count())'];
    const by = wanted.map(quoted).join(', ');
    const having = least > 1 ? ` having count() >= ${least}` : '';
    const grouped = wanted.length > 0 ? ` group by ${by}${having} limit ${most}` : '';
    const sql = `select ${listed.join(', ')} from ${this.nameOf(name)}${grouped}`;
    const rows = await this.rows(sql, this.given, this.ofGroups());
    return {
      cells: rows.map((row) => row.slice(0, -1)),
      counts: rows.map((row) => Number(row.at(-1))),
    };
  }

  async nulls(name: TableName, columns: readonly string[]): Promise<number[]> {
    const counts = columns.map((c) => `toString(countIf(isNull(${quoted(c)})))`);
    const sql = `select ${counts.join(', ')} from ${this.nameOf(name)}`;
    const [row] = await this.rows(sql, this.given, this.ofGroups());
    return row!.map(Number);
  }

  async firstRows(
    name: TableName,
    columns: readonly string[],
    most: number,
    where?: readonly CellText[],
  ): Promise<(string | null)[][]> {
    const types = new Map(await this.columns(name));
    const wanted = wantedColumns(name, [...types.keys()], columns);
    const listed = wanted.map((c) => drawnAs(c, types.get(c)!)).join(', ');
    const conditions = (where ?? []).map(({ column, text }) =>
      text === null
        ? `isNull(${quoted(column)})`
        : `${drawnAs(column, types.get(column)!)} = ${textLiteral(text)}`,
    );
    const filter = conditions.length > 0 ? ` where ${conditions.join(' and ')}` : '';
    const order = where ? ` order by ${wanted.map(quoted).join(', ')}` : '';
    return this.rows(`select ${listed} from ${this.nameOf(name)}${filter}${order} limit ${most}`);
  }

  /** What its parts are, which are never changed; a table spread over nodes says nothing of its rows. */
  async version({ schema, table }: TableName): Promise<string | undefined> {
    const [row] = await this.rows(
      `select toString(count()), toString(sum(rows)), toString(max(modification_time)) from system.parts
       where active and database = ${textLiteral(schema ?? this.place.database)} and table = ${textLiteral(table)}`,
    );
    return row![0] === '0' ? undefined : row!.join(' ');
  }

  private async columns(name: TableName): Promise<[name: string, type: string][]> {
    const database = name.schema ?? this.place.database;
    const found = await this.rows(
      `select name, type from system.columns where database = ${textLiteral(database)} and table = ${textLiteral(name.table)}`,
    );
    if (found.length === 0) throw new DatabaseError(`there is no table ${tableText(name)} any more`);
    return found as [string, string][];
  }

  async draw(name: TableName, file: string, drawing: Drawing): Promise<void> {
    const { nullText, signal, limit, onBytes } = drawing;
    const all = new Map(await this.columns(name));
    const listed = wantedColumns(name, [...all.keys()], drawing.columns).map(
      (c) => `ifNull(${drawnAs(c, all.get(c)!)}, ${textLiteral(nullText)}) as ${quoted(c)}`,
    );
    const from = this.nameOf(name);
    const response = await this.ask(
      `select ${listed.join(', ')} from ${from}${limit === undefined ? '' : ` limit ${limit}`} format CSVWithNames`,
      signal,
    );
    const tail = new Tail();
    try {
      await pipeline(
        Readable.fromWeb(response.body as ReadableStream<Uint8Array>),
        counted(onBytes),
        tail,
        createWriteStream(file),
        { signal },
      );
    } catch (error) {
      if (signal.aborted) throw new DatabaseError('cancelled');
      throw new DatabaseError(`the answer of the database broke off: ${(error as Error).message}`);
    }
    // What goes wrong once rows have been sent is written behind them: every cell of a row is quoted.
    if (!tail.text.endsWith('"\n'))
      throw new DatabaseError(this.refused(tail.text.replace(/^.*\n(?=Code: )/s, '')));
  }
}

/** Remembers the last bytes that go through it. */
class Tail extends Transform {
  text = '';

  override _transform(chunk: Buffer, _encoding: BufferEncoding, done: TransformCallback): void {
    this.text = (this.text + chunk.toString('latin1')).slice(-TAIL_BYTES);
    done(null, chunk);
  }
}
