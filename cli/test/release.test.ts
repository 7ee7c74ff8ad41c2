import { spawn, spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdtempSync,
  readdirSync,
  rmSync,
  symlinkSync,
  unlinkSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-release-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const bin = join(import.meta.dirname, '../bin/crease.mjs');
const crease = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [bin, ...args], {
    cwd: folder,
    encoding: 'utf8',
    env: { ...process.env, CREASE_AUTHOR: 'Ida' },
  });
  return { status, stdout, stderr };
};

/** A model of loans beside its rows, with its targets. */
function library(loans: number, change: object = {}): void {
  writeFileSync(
    join(folder, 'm.json'),
    JSON.stringify({
      crease: 1,
      name: 'm',
      tables: [
        {
          name: 'loan',
          role: 'fact',
          source: { file: 'loan.csv' },
          key: ['no'],
          partition: { by: 'lent_on', every: 'year' },
          columns: [
            { name: 'no', type: 'integer' },
            { name: 'lent_on', type: 'date' },
            { name: 'copies', type: 'integer', use: 'quantity' },
          ],
        },
      ],
      measures: [{ name: 'Copies', formula: 'sum(loan.copies)' }],
      targets: [
        { name: 'local', kind: 'sqlite', file: 'out/m.sqlite' },
        { name: 'lake', kind: 'folder', path: 'out/lake', as: 'parquet' },
        { name: 'away', kind: 'sqlite', file: '../crease-away.sqlite' },
      ],
      ...change,
    }),
  );
  const line = (i: number) => `${i},${2024 + (i % 3)}-03-01,${i % 7}\n`;
  writeFileSync(
    join(folder, 'loan.csv'),
    `no,lent_on,copies\n${Array.from({ length: loans }, (_, i) => line(i)).join('')}`,
  );
}

const at = <T>(act: (db: Database.Database) => T): T => {
  const db = new Database(join(folder, 'out/m.sqlite'));
  try {
    return act(db);
  } finally {
    db.close();
  }
};
const value = (sql: string): unknown => at((db) => db.prepare(sql).pluck().get());

test('a release is planned, done with --yes and recorded; without it the plan is printed and nothing done', () => {
  library(30);
  const plan = crease('release', 'm.json', '--to', 'local', '--plan');
  expect([plan.status, plan.stdout]).toEqual([0, expect.stringContaining('create  table loan, 30 rows')]);
  const unasked = crease('release', 'm.json', '--to', 'local');
  expect([unasked.status, unasked.stderr]).toEqual([2, expect.stringContaining('say --yes')]);
  expect(existsSync(join(folder, 'out'))).toBe(false);
  const done = crease('release', 'm.json', '--to', 'LOCAL', '--yes');
  expect([done.status, done.stdout]).toEqual([0, expect.stringContaining('release 1 done: 30 rows written')]);
  expect(value('select author from crease_release')).toBe('Ida');
  expect(crease('release', 'm.json', '--to', 'lake', '--yes').status).toBe(0);
  expect(readdirSync(join(folder, 'out/lake/releases'))).toEqual(['1']);
  library(45);
  const parts = crease('release', 'm.json', '--to', 'local', '--parts', 'loan:2024,loan:(none)', '--yes');
  expect([parts.status, parts.stdout]).toEqual([
    0,
    expect.stringContaining('load parts  table loan, 15 rows'),
  ]);
  expect(value('select count(*) from loan')).toBe(35);
  expect(crease('release', 'm.json', '--to', 'local', '--definitions', '--yes').status).toBe(0);
  expect(value('select count(*) from loan')).toBe(35);
  expect(value(`select group_concat(what, '; ') from crease_release`)).toBe(
    'all; loan:2024, loan:(none); definitions',
  );
});

test('check --targets says whether what was released still stands there; without it targets are not looked at', () => {
  library(12);
  const verdicts = (...more: string[]) => {
    const { status, stdout } = crease('check', 'm.json', '--json', ...more);
    const { claims } = JSON.parse(stdout) as { claims: { id: string; verdict: string; found?: string }[] };
    const found = claims.filter((c) => c.id.startsWith('target-matches'));
    return [status, ...found.map((c) => `${c.id} ${c.verdict}${c.found ? `: ${c.found}` : ''}`)];
  };
  expect(verdicts()).toEqual([0]);
  const unreleased = ['local', 'lake', 'away'].map((name) => `target-matches:${name} unchecked`);
  expect(verdicts('--targets')).toEqual([0, ...unreleased]);
  crease('release', 'm.json', '--to', 'local', '--yes');
  expect(verdicts('--targets')[1]).toBe('target-matches:local holds');
  at((db) => db.exec('update loan set copies = 100 where no = 1'));
  expect(verdicts('--targets').slice(0, 2)).toEqual([
    1,
    'target-matches:local broken: loan.copies added up to 31 and adds up to 130',
  ]);
});

test('what stands against a release is told, with its exit status', () => {
  library(3, { waivers: [] });
  expect(crease('release', 'm.json', '--to', 'nowhere')).toEqual({
    status: 2,
    stdout: '',
    stderr: 'crease: the model has no target "nowhere": it has local, lake, away\n',
  });
  const away = crease('release', 'm.json', '--to', 'away', '--yes');
  expect([away.status, away.stderr]).toEqual([2, expect.stringContaining('--allow-path lets it')]);
  symlinkSync(tmpdir(), join(folder, 'out'));
  const linked = crease('release', 'm.json', '--to', 'local', '--yes');
  expect([linked.status, linked.stderr]).toEqual([
    2,
    expect.stringContaining("outside of the model's folder"),
  ]);
  unlinkSync(join(folder, 'out'));
  // A file where a folder should be: the words of the system, and no fault of ours.
  for (const to of ['local', 'lake']) {
    writeFileSync(join(folder, 'out'), 'a file');
    const refused = crease('release', 'm.json', '--to', to, '--yes');
    expect([refused.status, refused.stderr]).toEqual([2, expect.stringMatching(/^crease: (?!internal)/)]);
    unlinkSync(join(folder, 'out'));
  }
  expect(crease('release', 'm.json', '--to', 'local', '--parts', '2024', '--yes').status).toBe(2);
  writeFileSync(join(folder, 'loan.csv'), 'no,lent_on,copies\n1,2024-01-01,1\n1,2024-01-01,2\n');
  const blocked = crease('release', 'm.json', '--to', 'local', '--yes');
  expect([blocked.status, blocked.stderr]).toEqual([1, expect.stringContaining('key-unique:loan')]);
  expect(existsSync(join(folder, 'out'))).toBe(false);
});

test('a release that is killed at any moment leaves the target as it was, and the next one goes through', async () => {
  library(60_000);
  const killed = (after: number) =>
    new Promise<void>((done) => {
      const child = spawn(
        process.execPath,
        [bin, 'release', 'm.json', '--to', 'local', '--yes', '--no-cache'],
        {
          cwd: folder,
          stdio: 'ignore',
        },
      );
      const timer = setTimeout(() => child.kill('SIGKILL'), after);
      child.on('exit', () => {
        clearTimeout(timer);
        done();
      });
    });
  // On a first release, then on one that replaces rows.
  for (const after of [300, 600, 900]) {
    await killed(after);
    if (existsSync(join(folder, 'out/m.sqlite')))
      expect(value('select (select count(*) from loan) * (select count(*) from crease_release)')).toBe(
        60_000,
      );
  }
  library(50_000);
  for (const after of [400, 700, 1000]) {
    await killed(after);
    if (!existsSync(join(folder, 'out/m.sqlite'))) continue;
    expect([50_000, 60_000]).toContain(value('select count(*) from loan'));
    expect(value('select "rows" from crease_object')).toBe(value('select count(*) from loan'));
  }
  expect(crease('release', 'm.json', '--to', 'local', '--yes').status).toBe(0);
  expect(value('select count(*) from loan')).toBe(50_000);
  expect(readdirSync(join(folder, 'out'))).toEqual(['m.sqlite']);
});
