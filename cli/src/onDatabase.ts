import { basename, extname } from 'node:path';
import { numberText } from '@crease/core/values';
import { Option } from 'commander';
import type { Command } from 'commander';
import type { TableData } from '@crease/core/columns';
import type { Model, Table } from '@crease/core/model';
import { DataError } from '@crease/core/query';
import type { JudgedClaim } from '@crease/core/claims';
import type { Proposal } from '@crease/core/propose';
import type { Answer } from '@crease/core/query';
import type { RowsBehind, RowsRequest } from '@crease/core/rows';
import type { Query } from '@crease/core/model';
import type { EnginePlace, GroupedPlace, ModelOnWarehouse, Place, profileOn } from '@crease/server/warehouse';
import type { FolderOptions } from './folderRows.ts';
import { storedRowsOfFolder } from './folderRows.ts';
import { CommandError, todayOf } from './input.ts';

/** What commands that ask a database are told about it. */
export interface DatabaseOptions {
  /** A connection by its name, or the URL of one. */
  readonly on?: string;
  readonly schema?: string;
  readonly limitSeconds?: string;
  readonly limitRows?: string;
}

/** Adds the options by which a command asks a database. */
export const withDatabase = (command: Command): Command =>
  command
    .option(
      '--on <connection>',
      'asks the rows where they lie: the name of a connection (CREASE_CONNECTION_NAME has its URL), or postgresql://… or mariadb://…, clickhouse://…, duckdb:FILE (a database file, or a folder of Parquet files) or sqlite:FILE; the password is that of CREASE_CONNECTION_NAME_PASSWORD, or PGPASSWORD',
    )
    .option('--schema <name>', 'with --on: the schema of tables whose source names none')
    .option(
      '--limit-rows <n>',
      'with --on: asks nothing where the database estimates that the tables have more rows together',
    )
    .addOption(
      new Option('--limit-seconds <n>', 'with --on: after how long a statement is ended').default('600'),
    );

interface Connection {
  readonly name: string;
  readonly place: EnginePlace | GroupedPlace;
}

/** A model on a database, whether that is asked in whole statements or for groups of its rows. */
export interface OnDatabase {
  answer(query: Query): Promise<Answer>;
  rowsBehind(request: RowsRequest): Promise<RowsBehind>;
  /** `today` is the day in ISO 8601 by which waivers end. */
  judge(today: string, events?: { onError(error: unknown): void }): Promise<JudgedClaim[]>;
  proposals(): Promise<Proposal[]>;
  profile(): ReturnType<typeof profileOn>;
}

/** What a URL need not say. */
const USUAL = {
  postgresql: { port: 5432, database: 'postgres', user: 'postgres' },
  mariadb: { port: 3306, database: 'warehouse', user: 'root' },
  clickhouse: { port: 8123, database: 'default', user: 'default' },
} as const;
type Kind = keyof typeof USUAL;
const kindOf = (url: URL | undefined): Kind | undefined => {
  const name = url?.protocol.slice(0, -1);
  if (name === 'postgres') return 'postgresql';
  return name !== undefined && name in USUAL ? (name as Kind) : undefined;
};
/** What stands before the path of a file in place of a URL. */
const FILE = /^(duckdb|sqlite):(?:\/\/)?(.+)$/;

/**
 * Where a connection leads, as the environment has it. Throws CommandError for a name without a URL, and for
 * what is no URL of a database that is known here.
 */
export function connectionOf(on: string, environment: NodeJS.ProcessEnv = process.env): Connection {
  const isUrl = /^[a-z0-9+]+:\/\//i.test(on) || FILE.test(on);
  const variable = `CREASE_CONNECTION_${on.toUpperCase().replace(/[^A-Z0-9]+/g, '_')}`;
  const text = isUrl ? on : environment[variable];
  if (text === undefined)
    throw new CommandError(
      `there is no connection ${on}: set ${variable} to a URL such as postgresql://reader@127.0.0.1:5432/warehouse`,
    );
  const file = FILE.exec(text);
  if (file) {
    const [, kind, path] = file as unknown as [string, 'duckdb' | 'sqlite', string];
    return { name: isUrl ? basename(path, extname(path)) : on, place: { kind, file: path } };
  }
  const what = isUrl ? on.replace(/:[^:@/]*@/, ':…@') : variable;
  const url = URL.canParse(text) ? new URL(text) : undefined;
  const kind = kindOf(url);
  if (!url || !kind)
    throw new CommandError(
      `${what} is no URL that begins with postgresql://, mariadb://, clickhouse://, duckdb: or sqlite:`,
    );
  if (!isUrl && url.password !== '')
    throw new CommandError(`${variable} holds a password: set ${variable}_PASSWORD in its place`);
  const usual = USUAL[kind];
  const database = decodeURIComponent(url.pathname.slice(1)) || usual.database;
  const given = isUrl
    ? decodeURIComponent(url.password) || environment.PGPASSWORD
    : environment[`${variable}_PASSWORD`];
  return {
    name: isUrl ? database : on,
    place: {
      kind,
      host: url.hostname.replace(/^\[|\]$/g, '') || '127.0.0.1',
      port: Number(url.port || usual.port),
      database,
      user: decodeURIComponent(url.username) || (environment.PGUSER ?? environment.USER ?? usual.user),
      password: given ?? '',
    },
  };
}

/** Milliseconds that a statement may take. */
function timeoutOf(seconds: string | undefined): number {
  const found = Number(seconds ?? 600);
  if (!Number.isFinite(found) || found <= 0)
    throw new CommandError(`--limit-seconds takes a number of seconds; "${seconds}" is none`);
  return found * 1000;
}

/**
 * Does something with a model on a database, within one state of it where the database keeps one. Files of
 * the model's folder that are not in the database travel along where they are small. What the model has and
 * the database lacks is told first.
 */
export async function onDatabase<T>(
  model: Model,
  modelFile: string,
  options: DatabaseOptions & FolderOptions & { readonly on: string },
  work: (on: OnDatabase) => Promise<T>,
): Promise<T> {
  const { isGroupedPlace } = await import('@crease/server/warehouse');
  const { name, place } = connectionOf(options.on);
  const stored = await storedRowsOfFolder(model, modelFile, options);
  const order = {
    model,
    connection: name,
    schema: options.schema,
    held: (table: Table) => heldRows(stored, table),
    today: todayOf(model),
    timeoutMs: timeoutOf(options.limitSeconds),
  };
  return databaseWords(() =>
    isGroupedPlace(place) ? onGroups(place, order, options, work) : inStatements(place, order, options, work),
  );
}

type Order = Omit<Parameters<typeof ModelOnWarehouse.open>[2], 'facts' | 'tell'>;

/** On a database that is asked in whole statements. */
async function inStatements<T>(
  place: EnginePlace,
  order: Order,
  options: DatabaseOptions,
  work: (on: OnDatabase) => Promise<T>,
): Promise<T> {
  const { engineAt, ModelOnWarehouse, profileOn, proposalsOn } = await import('@crease/server/warehouse');
  const engine = engineAt(place);
  return engine.within(async (session) => {
    const on = await ModelOnWarehouse.open(engine, session, {
      ...order,
      facts: (places, learn) => {
        tellRows([...places.values()], options.limitRows);
        return learn();
      },
      ...(process.env.CREASE_DEBUG
        ? {
            tell: ({ sql, milliseconds, rows }) =>
              void process.stderr.write(`-- ${milliseconds.toFixed(1)} ms, ${rows} rows\n${sql};\n`),
          }
        : {}),
    });
    tellMissing(on.missing);
    return work({
      answer: (query) => on.answer(query),
      rowsBehind: (request) => on.rowsBehind(request),
      judge: (today, events) => on.judge(today, events),
      proposals: () => proposalsOn(on, {}),
      profile: () => profileOn(on),
    });
  });
}

/** On a database of which groups of rows are asked. */
async function onGroups<T>(
  place: GroupedPlace,
  order: Order,
  options: DatabaseOptions,
  work: (on: OnDatabase) => Promise<T>,
): Promise<T> {
  const { ModelOnGroups } = await import('@crease/server/warehouse');
  const on = await ModelOnGroups.open(place, {
    ...order,
    onPlaces: (places) => tellRows(places, options.limitRows),
  });
  tellMissing(on.missing);
  return work({
    answer: (query) => on.answer(query),
    rowsBehind: (request) => on.rowsBehind(request),
    judge: (today, events) => on.judge(today, events),
    proposals: () => on.proposals(),
    profile: () => {
      throw new CommandError(
        'what tables would weigh is worked out on PostgreSQL, MariaDB and DuckDB: load these into a workspace to see it',
      );
    },
  });
}

const tellMissing = (columns: readonly string[]): void => {
  for (const column of columns)
    process.stderr.write(`crease: ${column} is not in the database: what needs it cannot be judged\n`);
};

/** Does something with a database; what is wrong there is told in its words. */
export async function databaseWords<T>(act: () => Promise<T>): Promise<T> {
  const { DatabaseError } = await import('@crease/server/warehouse');
  try {
    return await act();
  } catch (error) {
    if (error instanceof DatabaseError) throw new CommandError(error.message);
    throw error;
  }
}

/**
 * Tells how many rows the database estimates in the tables that are asked, before any is read. Throws
 * CommandError where they are more than somebody wants to have read.
 */
function tellRows(places: readonly Place[], limit: string | undefined): void {
  const most = limit === undefined ? Infinity : Number(limit);
  if (Number.isNaN(most) || most < 0)
    throw new CommandError(`--limit-rows takes a number of rows; "${limit}" is none`);
  const rows = places.reduce((sum, place) => sum + (place.rows ?? 0), 0);
  const unknown = places.filter((place) => place.rows === null).length;
  const says = `${places.length} tables with about ${numberText(rows)} rows${unknown > 0 ? `, and ${unknown} of which it knows no number` : ''}`;
  if (rows > most)
    throw new CommandError(
      `the database has ${says}: more than --limit-rows ${numberText(most)} lets be read`,
    );
  process.stderr.write(`crease: asking ${says}\n`);
}

/** The rows of a table that is not in the database, from its file. */
function heldRows(stored: (table: Table) => TableData, table: Table): TableData {
  try {
    return stored(table);
  } catch (error) {
    if (error instanceof DataError) throw error;
    throw new DataError(
      `${table.name} is not in the database, and its file cannot be read: ${(error as Error).message}`,
      { code: 'not-loaded' },
    );
  }
}
