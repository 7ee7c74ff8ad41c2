// Measures the program on generated rows and prints a table. Never a test: figures depend on the machine.
//   node tools/bench.mjs screens                   (how quickly screens answer on a model of 3,000 measures)
//   node tools/bench.mjs trial [--loans N]          (a question on the server: first, typed on, rows behind a cell)
//   node tools/bench.mjs parts [--loans N]         (a large fact in parts: loads, a month replaced, profile, advice)
//   node tools/bench.mjs peers [--loans N] [--runs N] (the same questions asked of other databases here)
//   node tools/bench.mjs growth [--loans N,N,…] [--plot FILE] (how times grow with the rows of a fact)
//   node tools/bench.mjs cluster [--loans N,N] [--nodes N,N] (questions on a cluster: what nodes read and send)
//   node tools/bench.mjs shapes [--rows N] [--only TEXT] [--plain]   (a question of each shape, on rows in memory)
//   node tools/bench.mjs drafts [FOLDER …]          (how good drafts are, by folders with a truth.json)
//   node tools/bench.mjs [--loans N] [--large]      (default 6,000,000; --large: 60,000,000, without the trials in memory)
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { cpus, tmpdir } from 'node:os';
import { join } from 'node:path';

/** Benches in a process of their own, with what Node is given for them. */
const APART = {
  drafts: ['tools/bench-drafts.ts'],
  shapes: ['--max-old-space-size=6000', 'tools/bench-shapes.ts'],
  screens: ['tools/bench-screens.ts'],
  trial: ['tools/bench-trial.ts'],
  parts: ['tools/bench-parts.ts'],
  peers: ['--max-old-space-size=8000', 'tools/bench-peers.ts'],
  growth: ['--max-old-space-size=8000', 'tools/bench-growth.ts'],
  cluster: ['--max-old-space-size=8000', 'tools/bench-cluster.ts'],
};
const [name] = process.argv.slice(2);
if (Object.hasOwn(APART, name ?? '')) {
  const apart = ['--import', 'tsx', ...APART[name], ...process.argv.slice(3)];
  process.exit(spawnSync(process.execPath, apart, { stdio: 'inherit' }).status ?? 1);
}
if (name !== undefined && !['--loans', '--large'].includes(name)) {
  console.error(`npm run bench -- ${Object.keys(APART).join(' | ')} | [--loans N] [--large]`);
  process.exit(2);
}
const large = process.argv.includes('--large');
const asked = process.argv.indexOf('--loans');
const loans = asked >= 0 ? Number(process.argv[asked + 1]) : large ? 60_000_000 : 6_000_000;
const scratch = mkdtempSync(join(tmpdir(), 'crease-bench-'));
const rows = [];
const note = (what, figure, goal = '') => rows.push([what, figure, goal]);

try {
  spawnSync(process.execPath, ['cli/bin/crease.mjs', 'demo', scratch, '--loans', String(loans)], {
    stdio: 'inherit',
  });
  const run = spawnSync(
    process.execPath,
    [
      '--import',
      'tsx',
      '--max-old-space-size=16384',
      'tools/bench.ts',
      scratch,
      ...(large ? ['--large'] : []),
    ],
    {
      encoding: 'utf8',
      maxBuffer: 1 << 26,
    },
  );
  if (run.status !== 0) throw new Error(run.stderr);
  for (const row of JSON.parse(run.stdout)) note(...row);

  const claims = spawnSync(
    process.execPath,
    [
      '--import',
      'tsx',
      '--max-old-space-size=8192',
      'tools/bench-claims.ts',
      join(scratch, 'bench.workspace.sqlite'),
      scratch,
    ],
    { encoding: 'utf8', maxBuffer: 1 << 26 },
  );
  if (claims.status !== 0) throw new Error(claims.stderr);
  for (const row of JSON.parse(claims.stdout)) note(...row);

  writeFileSync(join(scratch, 'q.json'), JSON.stringify({ by: ['district.region'], measures: ['Visitors'] }));
  const cold = [1, 2, 3, 4, 5].map(() => {
    const start = performance.now();
    spawnSync(process.execPath, [
      'cli/bin/crease.mjs',
      'query',
      join(scratch, 'lantern-valley.crease.json'),
      '--query',
      join(scratch, 'q.json'),
    ]);
    return performance.now() - start;
  });
  note(
    'one small cold query on the command line',
    `${Math.round(cold.sort((a, b) => a - b)[2])} ms`,
    'under 400 ms',
  );

  const assets = 'web/dist/assets';
  const page = readFileSync('web/dist/index.html', 'utf8');
  const first = readdirSync(assets).filter((name) => page.includes(name));
  const bytes = first.reduce((sum, name) => sum + gzipSync(readFileSync(join(assets, name))).length, 0);
  note(
    'first view, scripts and styles, gzipped',
    `${Math.round(bytes / 1000)} kB of ${Math.round(first.reduce((s, n) => s + statSync(join(assets, n)).size, 0) / 1000)} kB`,
    'under 500 kB',
  );

  const widths = [0, 1, 2].map((c) => Math.max(...rows.map((row) => row[c].length)));
  console.log(`${loans} loan lines; Node ${process.version}; ${cpus().length} cores`);
  for (const row of rows)
    console.log(
      row.map((cell, c) => (c === 1 ? cell.padStart(widths[c]) : cell.padEnd(widths[c]))).join('   '),
    );
} finally {
  rmSync(scratch, { recursive: true, force: true });
}
