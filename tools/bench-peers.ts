// The same questions on the demo's loans, asked here and of other databases on this machine: loading, bytes
// on disk, warm medians and first times, with ratios. Answers are compared. DuckDB's package is fetched for
// the run into a folder of its own and is no dependency of the product.
//   npm run bench -- peers [--loans N] [--runs N] [--duckdb FOLDER]
// By default 6,000,000 lines and 5 runs; FOLDER is where the package is already.
import { spawnSync } from 'node:child_process';
import { createRequire } from 'node:module';
import { createReadStream, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { pipeline } from 'node:stream/promises';
import Database from 'better-sqlite3';
import { from as copyFrom } from 'pg-copy-streams';
import { readHead } from '../server/src/sources/fileTable.ts';
import { startPostgresql } from '../server/test/postgresql.ts';
import type { Question } from './bench-questions.ts';
import { QUESTIONS } from './bench-questions.ts';
import { openBench } from './bench-workspace.ts';

const optionOf = (name: string): string | undefined => {
  const at = process.argv.indexOf(`--${name}`);
  return at < 0 ? undefined : process.argv[at + 1];
};
const loans = Number(optionOf('loans') ?? 6_000_000);
const runs = Number(optionOf('runs') ?? 5);
const scratch = mkdtempSync(join(tmpdir(), 'crease-peers-'));
const TABLES = ['loan_export', 'calendar', 'branch', 'district', 'copy', 'title', 'subject', 'subject_area', 'title_author', 'author']; // oxfmt-ignore

type Cell = string | number | boolean | null;

/** Rows that have a number, in an order of their own: exact numbers come as texts, others as doubles. */
function comparable(rows: readonly (readonly unknown[])[], { isTied, query }: Question): string[] {
  const width = query.by?.length ?? 0;
  const shown = (value: unknown): Cell => {
    if (value === null || value === undefined || (typeof value === 'object' && 'unmatched' in value))
      return null;
    if (typeof value === 'boolean') return value;
    const number = Number(value);
    return Number.isNaN(number) ? String(value) : Number(number.toPrecision(10));
  };
  return rows
    .filter((row) => row.slice(width).some((value) => value !== null))
    .map((row) => JSON.stringify((isTied ? row.slice(width) : row).map(shown)))
    .sort();
}

/** A database that is asked: the name of its column in the table, and what it does. */
interface Peer {
  readonly name: string;
  /** How often a question is asked once it is warm. */
  readonly runs: number;
  /** Starts what a server has running already. */
  start?(): Promise<void>;
  /** Gives the bytes on disk. */
  load(): Promise<number>;
  ask(question: Question): Promise<readonly (readonly unknown[])[] | undefined>;
  close(): Promise<void>;
}

function crease(folder: string): Peer {
  const bench = openBench(folder, scratch);
  return {
    name: 'Crease',
    runs,
    start: () => bench.load('author'),
    load: async () => {
      for (const name of TABLES) await bench.load(name);
      return bench.bytes();
    },
    ask: ({ query }) => bench.ask(query),
    close: () => bench.close(),
  };
}

/** What is used of DuckDB's package. */
interface DuckDb {
  readonly DuckDBInstance: {
    create(
      file: string,
      options: Record<string, string>,
    ): Promise<{
      connect(): Promise<{
        run(sql: string): Promise<unknown>;
        runAndReadAll(sql: string): Promise<{ getRowsJson(): (string | number | boolean | null)[][] }>;
        closeSync(): void;
      }>;
      closeSync(): void;
    }>;
  };
}

async function duckdb(folder: string, threads: number): Promise<Peer> {
  const named = optionOf('duckdb');
  const home = named ?? join(scratch, 'duckdb');
  if (!named) {
    console.log('fetching DuckDB’s package …');
    const { status } = spawnSync('npm', ['install', '--no-audit', '--no-fund', '--prefix', home, '@duckdb/node-api'], { stdio: 'ignore' }); // oxfmt-ignore
    if (status !== 0)
      throw new Error('DuckDB’s package could not be fetched: name a folder that has it with --duckdb');
  }
  const { DuckDBInstance } = createRequire(join(resolve(home), 'node_modules', 'x.js'))(
    '@duckdb/node-api',
  ) as DuckDb;
  const file = join(scratch, `${threads}.duckdb`);
  const instance = await DuckDBInstance.create(file, { threads: String(threads) });
  const connection = await instance.connect();
  return {
    name: `DuckDB, ${threads} threads`,
    runs,
    load: async () => {
      for (const table of TABLES)
        await connection.run(
          `create table ${table} as select * from read_csv('${join(folder, `${table}.csv`)}')`,
        );
      await connection.run('checkpoint');
      return statSync(file).size;
    },
    ask: async ({ sql }) => (await connection.runAndReadAll(sql)).getRowsJson(),
    close: async () => {
      connection.closeSync();
      instance.closeSync();
    },
  };
}

/** Columns by which tables are looked up: databases that hold rows have an index on each. */
const KEYS = [
  ['calendar', 'day'],
  ['branch', 'branch_code'],
  ['district', 'district_code'],
  ['copy', 'barcode'],
  ['title', 'title_id'],
  ['subject', 'subject_code'],
  ['subject_area', 'area_code'],
  ['title_author', 'title_id'],
  ['author', 'author_id'],
] as const;

function sqlite(folder: string): Peer {
  const file = join(scratch, 'peer.sqlite');
  const db = new Database(file);
  for (const pragma of ['journal_mode = memory', 'synchronous = off', 'cache_size = -2000000'])
    db.pragma(pragma);
  return {
    name: 'SQLite',
    // It takes its time for each.
    runs: 1,
    load: async () => {
      for (const table of TABLES) {
        const text = readFileSync(join(folder, `${table}.csv`), 'latin1');
        const lines = Buffer.from(text, 'latin1').toString('utf8').split('\n');
        const names = lines[0]!.trim().split(',');
        db.exec(`create table ${table} (${names.map((name) => `${name} numeric`).join(', ')})`);
        const insert = db.prepare(`insert into ${table} values (${names.map(() => '?').join(', ')})`);
        db.transaction(() => {
          for (let i = 1; i < lines.length; i++) {
            const line = lines[i]!.trimEnd();
            if (line !== '') insert.run(fieldsOf(line).map((field) => (field === '' ? null : field)));
          }
        })();
      }
      for (const [table, column] of KEYS)
        // oxfmt-ignore
        db.exec(`create index ${table}_${column} on ${table} (${column})`);
      db.exec('analyze');
      return statSync(file).size;
    },
    ask: async ({ sql, notSqlite }) => (notSqlite ? undefined : (db.prepare(sql).raw().all() as unknown[][])),
    close: async () => void db.close(),
  };
}

/** Columns that are no texts there; one whose values do not fit is loaded as text. */
const TYPED: Readonly<Record<string, string>> = {
  fine: 'numeric(8,2)',
  renewals: 'integer',
  year: 'integer',
  month: 'integer',
  day: 'date',
  loan_date: 'date',
  due_date: 'date',
  return_date: 'date',
};

/** Debian's PostgreSQL on this machine, with the memory and the workers that its manual tells to give it. */
async function postgresql(folder: string): Promise<Peer> {
  const cluster = await startPostgresql();
  const { client } = cluster;
  await client.query("set work_mem = '512MB'; set max_parallel_workers_per_gather = 2");
  const load = async (table: string, isTyped: boolean) => {
    const text = createReadStream(join(folder, `${table}.csv`));
    const { head } = readHead(join(folder, `${table}.csv`));
    const names = Buffer.from(head).toString('utf8').split('\n')[0]!.trim().split(',');
    const columns = names.map((name) => `${name} ${(isTyped ? TYPED[name] : undefined) ?? 'text'}`);
    await client.query(
      `drop table if exists ${table}; create unlogged table ${table} (${columns.join(', ')})`,
    );
    await pipeline(text, client.query(copyFrom(`copy ${table} from stdin (format csv, header)`)));
  };
  return {
    name: 'PostgreSQL',
    runs: 1,
    load: async () => {
      for (const table of TABLES) await load(table, true).catch(() => load(table, false));
      for (const [table, column] of KEYS) await client.query(`create index on ${table} (${column})`);
      await client.query('analyze');
      const { rows } = await client.query<{ bytes: string }>(
        `select sum(pg_total_relation_size(c.oid)) as bytes from pg_class c where c.relname in (${TABLES.map((t) => `'${t}'`).join(', ')})`,
      );
      return Number(rows[0]!.bytes);
    },
    ask: async ({ sql }) => {
      const own = sql
        .replace('median(renewals)', 'percentile_cont(0.5) within group (order by renewals)')
        .replace('l.rowid', 'l.ctid');
      const { rows } = await client.query<unknown[]>({ text: own, rowMode: 'array' });
      return rows;
    },
    close: () => cluster.stop(),
  };
}

/** Fields of a line without line ends in its texts. */
const fieldsOf = (line: string): string[] =>
  line.includes('"')
    ? [...line.matchAll(/(?:^|,)(?:"((?:[^"]|"")*)"|([^,]*))/g)].map(
        (m) => m[1]?.replaceAll('""', '"') ?? m[2]!,
      )
    : line.split(',');

const median = (times: number[]): number => times.sort((a, b) => a - b)[times.length >> 1]!;

interface Measured {
  readonly name: string;
  readonly loadMs: number;
  readonly bytes: number;
  readonly times: readonly ({ first: number; warm: number; rows: string[] } | undefined)[];
}

async function measured(peer: Peer): Promise<Measured> {
  await peer.start?.();
  const begun = performance.now();
  const bytes = await peer.load();
  const loadMs = performance.now() - begun;
  console.log(`${peer.name}: loaded in ${(loadMs / 1000).toFixed(1)} s`);
  const times: Measured['times'][number][] = [];
  for (const question of QUESTIONS) {
    const each: number[] = [];
    let rows: readonly (readonly unknown[])[] | undefined;
    for (let i = 0; i <= peer.runs; i++) {
      const start = performance.now();
      rows = await peer.ask(question);
      each.push(performance.now() - start);
      if (!rows) break;
    }
    const [first, ...warm] = each as [number, ...number[]];
    times.push(rows && { first, warm: median(warm), rows: comparable(rows, question) });
  }
  await peer.close();
  return { name: peer.name, loadMs, bytes, times };
}

try {
  const folder = join(scratch, 'demo');
  const made = spawnSync(process.execPath, ['cli/bin/crease.mjs', 'demo', folder, '--loans', String(loans)]);
  if (made.status !== 0) throw new Error(String(made.stderr));
  const threads = Math.min(2, availableParallelism());
  // One after the other: side by side they would take the cores from each other.
  const own = await measured(crease(folder));
  const others = [
    await measured(await duckdb(folder, threads)),
    await measured(await postgresql(folder)),
    await measured(sqlite(folder)),
  ];
  const all = [own, ...others];
  const cell = (text: string) => text.padStart(18);
  console.log(
    `\n${loans.toLocaleString('en')} loan lines; warm medians of ${runs}, in ms; the ratio is to ${others[0]!.name}`,
  );
  console.log(`${''.padEnd(38)}${all.map(({ name }) => cell(name)).join('')}${cell('ratio')}   answers`);
  const row = (name: string, values: (number | undefined)[], note = '', digits = 0) =>
    console.log(
      `${name.padEnd(38)}${values.map((v) => cell(v === undefined ? '–' : v.toFixed(digits))).join('')}${cell((values[0]! / values[1]!).toFixed(2))}   ${note}`,
    );
  QUESTIONS.forEach(({ name }, i) => {
    const asked = all.map(({ times }) => times[i]);
    const differ = all.filter(
      ({ times }) => times[i] && JSON.stringify(times[i].rows) !== JSON.stringify(own.times[i]!.rows),
    );
    row(name, asked.map((t) => t?.warm), differ.length === 0 ? 'equal' : `differ: ${differ.map((d) => d.name).join(', ')}`, 1); // oxfmt-ignore
  });
  const sum = (of: (t: { first: number; warm: number }) => number) =>
    all.map(({ times }) => times.reduce((total, t) => total + (t ? of(t) : 0), 0));
  row(
    'sum of warm medians',
    sum((t) => t.warm),
  );
  row(
    'sum of first times',
    sum((t) => t.first),
  );
  row(
    'load, s',
    all.map(({ loadMs }) => loadMs / 1000),
    '',
    1,
  );
  row(
    'bytes on disk, MB',
    all.map(({ bytes }) => bytes / 1e6),
    '',
    1,
  );
  const ratios = QUESTIONS.map((_, i) => own.times[i]!.warm / others[0]!.times[i]!.warm);
  const mean = Math.exp(ratios.reduce((total, r) => total + Math.log(r), 0) / ratios.length);
  console.log(`geometric mean of the ratios ${mean.toFixed(2)}, the worst ${Math.max(...ratios).toFixed(2)}`);
} finally {
  rmSync(scratch, { recursive: true, force: true });
}
