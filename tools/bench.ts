// The inner part of the bench: one process, so that what is measured is the engine and not its start.
import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { TableData } from '@crease/core/columns';
import { judgeClaim, listClaims } from '@crease/core/claims';
import { readSpecOf } from '@crease/core/interchange';
import type { Query } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { proposeStar } from '@crease/core/propose';
import { answerQuery, ModelData } from '@crease/core/query';
import { profileModel } from '@crease/core/storage';
import { takeIn } from '../server/src/intake/takeIn.ts';
import { readFileTable, readHead } from '../server/src/sources/fileTable.ts';
import { openWorkspace, Tables } from '../server/src/store/index.ts';
import { WorkPool } from '../server/src/work/pool.ts';

const folder = process.argv[2]!;
const model = readModel(readFileSync(join(folder, 'lantern-valley.crease.json'), 'utf8'));
const found: [string, string, string][] = [];
const ms = (time: number): string => `${time < 10 ? time.toFixed(1) : Math.round(time)} ms`;
function timed<T>(work: () => T): { result: T; time: number } {
  const start = performance.now();
  const result = work();
  return { result, time: performance.now() - start };
}
const median = (times: number[]): number => times.sort((a, b) => a - b)[times.length >> 1]!;

const read = (name: string): TableData => {
  const table = model.tables.find((t) => t.name === name)!;
  const file = join(folder, (table.source as { file: string }).file);
  const { head, whole } = readHead(file);
  return readFileTable(file, readSpecOf(table, table.source as { file: string }, head, whole));
};
/** The loan lines through the intake of the server: several threads, and everything written to a workspace file. */
async function intake(): Promise<{ seconds: number; bytesPerRow: number; peak: number }> {
  const workspace = join(folder, 'bench.workspace.sqlite');
  const db = openWorkspace(workspace);
  db.prepare('insert into model (head, created_at) values (0, ?)').run(new Date().toISOString());
  const stored = new Tables(db);
  const pool = new WorkPool();
  const table = model.tables.find((t) => t.name === 'loan_export')!;
  const file = join(folder, 'loan_export.csv');
  const { head, whole } = readHead(file);
  const spec = readSpecOf(table, table.source as { file: string }, head, whole);
  const target = { workspace, scratch: folder, modelId: 1, key: 'loan_export.csv' };
  let peak = 0;
  const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage().rss)), 20);
  const times: number[] = [];
  let rows = 0;
  for (let i = 0; i < 6; i++) {
    const start = performance.now();
    rows = (await takeIn(pool, stored, file, spec, target, () => undefined).done).rows;
    if (i > 0) times.push(performance.now() - start); // the first starts the threads
  }
  clearInterval(watch);
  const { bytes } = stored.list(1)[0]!;
  await pool.close();
  db.close();
  return { seconds: median(times) / 1000, bytesPerRow: bytes / rows, peak };
}

const megabytes = statSync(join(folder, 'loan_export.csv')).size / 1e6;
const taken = await intake();
found.push([
  `CSV to encoded columns in the workspace, ${Math.round(megabytes)} MB of 13 columns`,
  `${(megabytes / taken.seconds).toFixed(0)} MB/s`,
  '200 MB/s or more',
]);
found.push(['  peak memory of the process', `${Math.round(taken.peak / 1e6)} MB`, 'under 1.5 GB']);
found.push(['  bytes stored per row, dictionaries included', taken.bytesPerRow.toFixed(2), '']);
read('hold'); // the first file compiles the reader
const reads = Array.from({ length: 3 }, () => timed(() => read('loan_export')));
const loan = { result: reads[0]!.result, time: median(reads.map((r) => r.time)) };
found.push([
  'CSV to columns in memory, one thread (command line)',
  `${(megabytes / (loan.time / 1000)).toFixed(0)} MB/s`,
  '40 MB/s or more',
]);

const tables = new Map<string, TableData>([['loan_export', loan.result]]);
const fresh = (): ModelData =>
  new ModelData(
    model,
    (name) => {
      if (!tables.has(name)) tables.set(name, read(name));
      return tables.get(name)!;
    },
    20634,
  );
for (const t of model.tables) fresh().table(t.name);

const claims = timed(() => {
  const data = fresh();
  const all = listClaims(data.model, data.checker);
  for (const claim of all) judgeClaim(claim, data);
  return all.length;
});
found.push([`all ${claims.result} claims of the model`, ms(claims.time), 'under 1 s at 200,000 loans']);

const data = fresh();
const queries: [string, Query][] = [
  ['loans by branch', { by: ['branch.name'], measures: ['Loans'], totals: true }],
  ['loans, fines by region and month', { by: ['district.region', 'calendar.year_month'], measures: ['Loans', 'Fines'], totals: true }],
  [
    'loans by subject area, over three hops',
    { by: ['subject_area.name'], measures: ['Loans'], filters: [{ column: 'calendar.year', in: [2025] }] },
  ],
  ['borrowers by category', { by: ['card.category'], measures: ['Borrowers', 'Loans per borrower'] }],
  ['loans by author’s country, over a bridge', { by: ['author.country'], measures: ['Loans'] }],
  ['three facts side by side by branch', { by: ['branch.name'], measures: ['Loans', 'Holds', 'Visitors'] }],
];
for (const [name, query] of queries) {
  answerQuery(data, query); // indexes are made once
  found.push([
    `trial: ${name}`,
    ms(median(Array.from({ length: 5 }, () => timed(() => answerQuery(data, query)).time))),
    'under 150 ms at a million rows',
  ]);
}
found.push(['storage profile', ms(timed(() => profileModel(fresh())).time), '']);
found.push(['a star drafted from the tables', ms(timed(() => proposeStar(fresh())).time), '']);
process.stdout.write(JSON.stringify(found), () => process.exit(0));
