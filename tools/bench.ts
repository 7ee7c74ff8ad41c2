// The inner part of the bench: one process, so that what is measured is the engine and not its start. Prints
// its figures as JSON.
import { spawnSync } from 'node:child_process';
import { closeSync, mkdirSync, openSync, readFileSync, readSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { judgeClaim, listClaims } from '@crease/core/claims';
import type { Model, Query, Table } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { proposeStar } from '@crease/core/propose';
import { answerQuery, ModelData } from '@crease/core/query';
import { readTable } from '@crease/core/reading';
import { answerOf, compileQuery, sqlite } from '@crease/core/sql';
import { profileModel } from '@crease/core/storage';
import { loadTable } from '../server/src/intake/loadTable.ts';
import { folderData } from '../server/src/files.ts';
import { readHead } from '../server/src/sources/fileTable.ts';
import { SqliteDatabase } from '../server/src/sql.ts';
import { openWorkspace, sourceKey, Tables } from '../server/src/store/index.ts';
import { FileReaders } from '../server/src/readers/fileReaders.ts';
import { makePool } from '../server/src/tasks/pool.ts';
import { againstParquet } from './bench-parquet.ts';
import { readSpecOf } from '@crease/core/sources';

const [folder, large] = [process.argv[2]!, process.argv.includes('--large')];
const model = readModel(readFileSync(join(folder, 'lantern-valley.crease.json'), 'utf8'));
const today = 20634;
const found: [string, string, string][] = [];
const note = (what: string, figure: string, goal = ''): void => void found.push([what, figure, goal]);
const ms = (time: number): string => `${time < 10 ? time.toFixed(1) : Math.round(time)} ms`;
function timed<T>(work: () => T): { result: T; time: number } {
  const start = performance.now();
  const result = work();
  return { result, time: performance.now() - start };
}
const median = (times: number[]): number => times.sort((a, b) => a - b)[times.length >> 1]!;

type FileTable = Table & { source: { file: string } };
const fileTables = (of: Model): FileTable[] =>
  of.tables.filter((t): t is FileTable => t.source !== undefined && 'file' in t.source);

/**
 * All files through the intake of the server: several threads, everything written to a workspace file. The
 * loan lines are timed.
 */
async function intake(workspace: string): Promise<void> {
  const db = openWorkspace(workspace);
  db.prepare('insert into model (head, created_at) values (0, ?)').run(new Date().toISOString());
  const stored = new Tables(db);
  const pool = makePool();
  const readers = new FileReaders((error) => console.error(error));
  const scratch = join(folder, 'scratch');
  mkdirSync(scratch, { recursive: true });
  let peak = 0;
  const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage().rss)), 20);
  const load = (table: FileTable) => {
    const file = join(folder, table.source.file);
    const { head, whole } = readHead(file);
    const target = { workspace, scratch, modelId: 1, key: sourceKey(table) };
    const spec = readSpecOf(table, table.source, head, whole);
    return loadTable({ pool, readers }, stored, file, spec, target, () => undefined).done.then(
      ({ result, pending }) => {
        if (pending) stored.finishAll(target.modelId, target.key, pending);
        return result;
      },
    );
  };
  const all = fileTables(model);
  for (const table of all.filter((t) => t.name !== 'loan_export')) await load(table); // these also start the threads
  const loans = all.find((t) => t.name === 'loan_export')!;
  const times: number[] = [];
  let rows = 0;
  for (let i = 0; i < (large ? 1 : 3); i++) {
    const start = performance.now();
    rows = (await load(loans)).rows;
    times.push(performance.now() - start);
  }
  clearInterval(watch);
  const seconds = median(times) / 1000;
  const size = statSync(join(folder, loans.source.file)).size;
  const { bytes } = stored.list(1).find((t) => t.key === sourceKey(loans))!;
  await Promise.all([pool.close(), readers.close()]);
  db.close();
  note(
    `CSV to encoded columns in the workspace, ${Math.round(size / 1e6)} MB, ${rows} rows of 13 columns`,
    `${(size / 1e6 / seconds).toFixed(0)} MB/s`,
    '200 MB/s or more',
  );
  note('  rows in a second', `${Math.round(rows / seconds / 1000)}k`);
  note('  peak memory of the process', `${Math.round(peak / 1e6)} MB`, 'under 1.5 GB');
  note('  bytes stored per row, dictionaries included', (bytes / rows).toFixed(2));
}

const QUERIES: readonly [string, Query][] = [
  ['all loans', { measures: ['Loans'] }],
  ['loans by branch', { by: ['branch.name'], measures: ['Loans'] }],
  ['loans by day', { by: ['calendar.day'], measures: ['Loans'] }],
  ['fines by category', { by: ['card.category'], measures: ['Fines'] }],
  [
    'titles most lent',
    { by: ['title.name'], measures: ['Loans'], sort: [{ of: 'Loans', order: 'descending' }], limit: 20 },
  ],
  [
    'loans and fines by branch and class',
    { by: ['branch.name', 'title.class'], measures: ['Loans', 'Fines'] },
  ],
  [
    'loans, fines by region and month, with totals',
    { by: ['district.region', 'calendar.year_month'], measures: ['Loans', 'Fines'], totals: true },
  ],
  [
    'one year by subject area, over three hops',
    { by: ['subject_area.name'], measures: ['Loans'], filters: [{ column: 'calendar.year', in: [2025] }] },
  ],
  [
    'weekends of one region by month',
    { by: ['calendar.year_month'], measures: ['Loans'], filters: [{ where: "district.region = 'Valley'" }] },
  ],
  ['borrowers by category', { by: ['card.category'], measures: ['Borrowers', 'Loans per borrower'] }],
  ['loans by author’s country, over a bridge', { by: ['author.country'], measures: ['Loans'] }],
  ['three facts side by side by branch', { by: ['branch.name'], measures: ['Loans', 'Holds', 'Visitors'] }],
];

/** The trials on both evaluators in one run; SQLite has an index on each column that a relationship names. */
function trials(): void {
  const data = folderData(model, folder, today);
  const database = new SqliteDatabase(data.model, (name) => data.table(name));
  const plain = new ModelData(data.model, (name) => data.table(name), today, 'plain');
  const sum = { columns: 0, plain: 0, sqlite: 0 };
  for (const [name, query] of QUERIES) {
    answerQuery(data, query); // indexes are made once
    const columns = median(Array.from({ length: 5 }, () => timed(() => answerQuery(data, query)).time));
    answerQuery(plain, query);
    const simple = timed(() => answerQuery(plain, query)).time;
    const compiled = compileQuery(
      { model: data.model, checker: data.checker, today: data.today },
      query,
      sqlite,
      true,
    );
    database.load(new Set([...compiled.rows.tables, ...(compiled.totals?.tables ?? [])]));
    const inSqlite = timed(() =>
      answerOf(compiled, sqlite, (sql, parameters) => database.run(sql, parameters)),
    ).time;
    sum.columns += columns;
    sum.plain += simple;
    sum.sqlite += inSqlite;
    note(`trial: ${name}`, `${ms(columns)}, plain ${ms(simple)}, SQLite ${ms(inSqlite)}`);
  }
  const ratio = (time: number) => `1/${Math.round(sum.sqlite / time)}`;
  note(
    '  12 trials in total',
    `${ms(sum.columns)}, SQLite ${ms(sum.sqlite)}: ${ratio(sum.columns)}`,
    '1/30 or less',
  );
  note('  by the plain executor', `${ms(sum.plain)}: ${ratio(sum.plain)}`, '1/10 or less');
  database.close();
  const claims = timed(() => {
    const fresh = folderData(model, folder, today);
    for (const table of fresh.model.tables) fresh.table(table.name);
    const start = performance.now();
    const all = listClaims(fresh.model, fresh.checker);
    for (const claim of all) judgeClaim(claim, fresh);
    return { count: all.length, time: performance.now() - start };
  }).result;
  note(`all ${claims.count} claims of the model`, ms(claims.time), 'under 1 s at 200,000 loans');
  note('storage profile', ms(timed(() => profileModel(data)).time));
  note('a star drafted from the tables', ms(timed(() => proposeStar(data)).time));
}

/** Bytes of the first rows of the loans beside Parquet with Zstandard. */
async function bytesBesideParquet(): Promise<void> {
  const loans = fileTables(model).find((t) => t.name === 'loan_export')!;
  const file = join(folder, loans.source.file);
  const part = Buffer.alloc(Math.min(statSync(file).size, 106e6));
  const descriptor = openSync(file, 'r');
  readSync(descriptor, part, 0, part.length, 0);
  closeSync(descriptor);
  const bytes = part.subarray(0, part.lastIndexOf(10) + 1);
  const table = readTable(readSpecOf(loans, loans.source, bytes.subarray(0, 1 << 20), false), bytes);
  const { crease, parquet } = await againstParquet(table);
  const perRow = (all: number) => (all / table.rowCount).toFixed(2);
  note(
    `bytes per row of the first ${table.rowCount} loan lines`,
    perRow(crease),
    `Parquet with Zstandard: ${perRow(parquet)}`,
  );
}

const workspace = join(folder, 'bench.workspace.sqlite');
await intake(workspace);
await bytesBesideParquet();
// A process of its own: what opening costs includes its start.
const opened = spawnSync(process.execPath, ['--import', 'tsx', 'tools/bench-open.ts', workspace, folder], {
  encoding: 'utf8',
});
if (opened.status !== 0) throw new Error(opened.stderr);
found.push(...(JSON.parse(opened.stdout) as [string, string, string][]));
if (!large) trials();
process.stdout.write(JSON.stringify(found), () => process.exit(0));
