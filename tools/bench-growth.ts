// How loads, scans, relationship checks and profiles grow with the rows of a fact: the demo with ten times as
// many loans at each step. Prints a table, and draws it where it is told a file.
//   npm run bench -- growth [--loans N,N,…] [--plot FILE.svg]
// By default 60,000, 600,000 and 6,000,000 lines; 60,000,000 need some 15 GB of disk.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { judgeClaim, listClaims } from '@crease/core/claims';
import { fileOf } from '@crease/core/model';
import { ModelData } from '@crease/core/query';
import { tableLoader } from '@crease/core/sources';
import { numberText } from '@crease/core/values';
import { sourceKey } from '../server/src/store/index.ts';
import { growthPlot } from './bench-growth-plot.ts';
import { QUESTIONS } from './bench-questions.ts';
import type { Bench } from './bench-workspace.ts';
import { openBench } from './bench-workspace.ts';

const optionOf = (name: string): string | undefined => {
  const at = process.argv.indexOf(`--${name}`);
  return at < 0 ? undefined : process.argv[at + 1];
};
const sizes = (optionOf('loans') ?? '60000,600000,6000000').split(',').map(Number);
const plot = optionOf('plot');
const RUNS = 5;
/** Of the demo, in days since 1970-01-01. */
const TODAY = 20634;

/** Milliseconds of each kind of work, at one number of rows. */
export interface Grown {
  readonly rows: number;
  readonly bytes: number;
  readonly load: number;
  readonly questions: number;
  readonly checks: number;
  readonly profileFirst: number;
  readonly profile: number;
}

const median = (times: readonly number[]): number => [...times].sort((a, b) => a - b)[times.length >> 1]!;

async function timed(work: () => unknown): Promise<number> {
  const start = performance.now();
  await work();
  return performance.now() - start;
}

async function times(runs: number, work: () => unknown): Promise<number> {
  const each: number[] = [];
  for (let i = 0; i < runs; i++) each.push(await timed(work));
  return median(each);
}

/** The relationship checks of the loans in a workspace that was just opened: nothing is known of columns. */
function checkRelationships(bench: Bench): void {
  const versions = bench.tables().versions(1);
  const loader = tableLoader(bench.model, TODAY, (table) =>
    bench.tables().read(versions[sourceKey(table)]!, table.name),
  );
  const data = new ModelData(bench.model, loader, TODAY);
  for (const claim of listClaims(bench.model, data.checker))
    if (/^(reference-complete|reference-filled|cardinality):loan/.test(claim.id)) judgeClaim(claim, data);
}

async function grownTo(loans: number): Promise<Grown> {
  const scratch = mkdtempSync(join(tmpdir(), 'crease-growth-'));
  try {
    const folder = join(scratch, 'demo');
    const made = spawnSync(process.execPath, [
      'cli/bin/crease.mjs',
      'demo',
      folder,
      '--loans',
      String(loans),
    ]);
    if (made.status !== 0) throw new Error(String(made.stderr));
    const bench = openBench(folder, scratch);
    for (const table of bench.model.tables)
      if (fileOf(table) && table.name !== 'loan_export') await bench.load(table.name);
    // Small loads are over so soon that one of them says little.
    const load = await times(loans > 1_000_000 ? 1 : RUNS, () => bench.load('loan_export'));
    let questions = 0;
    for (const { query } of QUESTIONS) {
      await bench.ask(query);
      questions += await times(RUNS, () => bench.ask(query));
    }
    const checks = await times(RUNS, () => checkRelationships(bench));
    const weigh = () => bench.pool.run('profile', { ...bench.version(), number: 1, says: '' });
    const profileFirst = await timed(weigh);
    const profile = await times(RUNS, weigh);
    const rows = bench
      .tables()
      .list(1)
      .find((t) => t.key === sourceKey(loansOf(bench)))!.rows;
    await bench.close();
    const bytes = statSync(join(folder, fileOf(loansOf(bench))!.file)).size;
    return { rows, bytes, load, questions, checks, profileFirst, profile };
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

const loansOf = ({ model }: Bench) => model.tables.find((t) => t.name === 'loan_export')!;

const COLUMNS = ['load', 'questions', 'checks', 'profileFirst', 'profile'] as const;
const HEADS: Readonly<Record<(typeof COLUMNS)[number], string>> = {
  load: 'load',
  questions: `${QUESTIONS.length} questions`,
  checks: 'relationship checks',
  profileFirst: 'profile, first',
  profile: 'profile, again',
};
const text = (ms: number): string =>
  ms >= 10_000 ? `${(ms / 1000).toFixed(1)} s` : ms >= 10 ? `${Math.round(ms)} ms` : `${ms.toFixed(1)} ms`;

const line = (cells: readonly string[]) => console.log(cells.map((cell) => cell.padStart(22)).join(''));
line(['lines of the fact', ...COLUMNS.map((c) => HEADS[c])]);
const found: Grown[] = [];
for (const size of sizes) {
  const grown = await grownTo(size);
  const before = found.at(-1);
  found.push(grown);
  line([
    numberText(grown.rows),
    ...COLUMNS.map((c) => {
      const factor = before ? ` (× ${(grown[c] / before[c]).toFixed(1)})` : '';
      return text(grown[c]) + factor;
    }),
  ]);
}
if (plot !== undefined)
  writeFileSync(
    plot,
    growthPlot(
      found.map(({ rows }) => rows),
      COLUMNS.filter((c) => c !== 'profileFirst').map((c) => ({
        name: HEADS[c],
        ms: found.map((grown) => grown[c]),
      })),
    ),
  );
