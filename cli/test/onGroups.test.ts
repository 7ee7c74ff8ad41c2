import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ClickhouseServer } from '../../server/test/clickhouse.ts';
import { startClickhouse } from '../../server/test/clickhouse.ts';

// `check`, `query`, `rows` and `propose` on databases of which groups of rows are asked, without a workspace:
// they say what files with the same rows say.

const folder = mkdtempSync(join(tmpdir(), 'crease-on-groups-'));
const onFiles = join(folder, 'files');
let server: ClickhouseServer;

const branches = [
  ['A', 'Ash', 'North'],
  ['B', 'Birch', 'South'],
  ['B', 'Birch again', 'South'],
];
const CODES = ['A', 'B', 'Z', null];
const loans = Array.from({ length: 400 }, (_, i) => [
  i + 1,
  CODES[(i + 1) % 4]!,
  `2026-0${1 + (i % 2)}-${String(1 + (i % 28)).padStart(2, '0')}`,
  (i % 5).toFixed(2),
]);
const days = Array.from({ length: 31 }, (_, i) => [`2026-01-${String(i + 1).padStart(2, '0')}`, 'January']);

const columns = (of: Record<string, string>) => Object.entries(of).map(([name, type]) => ({ name, type }));
const between = (from: string, column: string, to: string, key: string) => ({
  name: `${from}_${to}`,
  from: { table: from, columns: [column] },
  to: { table: to, columns: [key] },
});
const model = {
  crease: 1,
  name: 'lending',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['no'],
      source: { file: 'loan.csv' },
      columns: columns({ no: 'integer', branch_code: 'text', lent_on: 'date', fine: 'decimal(8,2)' }),
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      source: { file: 'branch.csv' },
      columns: columns({ code: 'text', name: 'text', region: 'text' }),
    },
    {
      name: 'days',
      role: 'dimension',
      key: ['day'],
      source: { file: 'days.csv' },
      columns: columns({ day: 'date', month: 'text' }),
    },
  ],
  relationships: [
    between('loan', 'branch_code', 'branch', 'code'),
    between('loan', 'lent_on', 'days', 'day'),
  ],
  measures: [{ name: 'Fines', formula: 'sum(loan.fine)' }],
};
const csv = (names: string, rows: readonly (readonly unknown[])[]) =>
  [names, ...rows.map((row) => row.map((cell) => cell ?? '').join(','))].join('\n');

beforeAll(async () => {
  mkdirSync(onFiles);
  for (const at of [folder, onFiles]) {
    writeFileSync(join(at, 'm.json'), JSON.stringify(model));
    writeFileSync(join(at, 'days.csv'), csv('day,month', days));
  }
  writeFileSync(join(onFiles, 'loan.csv'), csv('no,branch_code,lent_on,fine', loans));
  writeFileSync(join(onFiles, 'branch.csv'), csv('code,name,region', branches));

  const sqlite = new Database(join(folder, 'lending.db'));
  sqlite.exec(`create table loan (no integer, branch_code text, lent_on date, fine decimal(8,2));
    create table branch (code text, name text, region text)`);
  for (const row of loans) sqlite.prepare('insert into loan values (?, ?, ?, ?)').run(row);
  for (const row of branches) sqlite.prepare('insert into branch values (?, ?, ?)').run(row);
  sqlite.close();

  server = await startClickhouse();
  await server.run('create database lending');
  await server.run(`create table lending.loan (no Int32, branch_code Nullable(String), lent_on Date, fine Decimal(8,2))
    engine = MergeTree order by no`);
  await server.run(
    'create table lending.branch (code String, name String, region String) engine = MergeTree order by code',
  );
  const tuple = (row: readonly unknown[]) =>
    `(${row.map((cell) => (cell === null ? 'null' : typeof cell === 'number' ? cell : `'${String(cell)}'`)).join(', ')})`;
  await server.run(`insert into lending.loan values ${loans.map(tuple).join(', ')}`);
  await server.run(`insert into lending.branch values ${branches.map(tuple).join(', ')}`);
});
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await server.stop();
});

const bin = join(import.meta.dirname, '../bin/crease.mjs');
function crease(args: readonly string[], cwd = folder, environment: Record<string, string> = {}) {
  const { status, stdout, stderr } = spawnSync(process.execPath, [bin, ...args], {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, ...environment },
  });
  return { status, stdout, stderr };
}
/** Where each database is, as the command line is told. */
const KINDS = ['sqlite', 'clickhouse'] as const;
const on = (kind: (typeof KINDS)[number]): string[] => {
  const { host, port, user } = server.place;
  return ['--on', kind === 'sqlite' ? 'sqlite:lending.db' : `clickhouse://${user}@${host}:${port}/lending`];
};
const asked = (args: readonly string[]) => crease(args, folder, { PGPASSWORD: server.place.password });

interface Listed {
  readonly claims: {
    id: string;
    verdict: string;
    evidence: { checked: number; against: number; notes?: string[] };
  }[];
}
/** What claims say, without those about files. */
const said = (stdout: string) =>
  (JSON.parse(stdout) as Listed).claims
    .filter((c) => !/^(file|column)-/.test(c.id))
    .map(({ id, verdict, evidence: { checked, against } }) => [id, verdict, checked, against]);

const QUERY = { measures: ['Fines'], by: ['branch.region', 'days.month'], totals: true };

describe.each(KINDS)('%s', (kind) => {
  test('check, query and rows say what files with the same rows say', () => {
    const files = crease(['check', 'm.json', '--json'], onFiles);
    const there = asked(['check', 'm.json', ...on(kind), '--json']);
    expect([there.status, files.status]).toEqual([1, 1]);
    expect(there.stderr).toMatch(/^crease: asking 2 tables with about 403 rows\n$/);
    expect(said(there.stdout)).toEqual(said(files.stdout));
    const broken = said(there.stdout).filter(([, verdict]) => verdict === 'broken');
    expect(broken).toContainEqual(['key-unique:branch', 'broken', 3, 2]);
    expect(broken).toContainEqual(['reference-complete:loan_branch', 'broken', 300, 100]);

    for (const at of [folder, onFiles]) writeFileSync(join(at, 'q.json'), JSON.stringify(QUERY));
    const answer = (stdout: string) => JSON.parse(stdout) as unknown;
    const query = ['query', 'm.json', '--query', 'q.json', '--json'];
    expect(answer(asked([...query, ...on(kind)]).stdout)).toEqual(answer(crease(query, onFiles).stdout));

    const cell = ['--cell', '{ "measure": "Fines", "by": ["North"] }', '--json'];
    const rows = (stdout: string) => {
      const { aggregates } = JSON.parse(stdout) as { aggregates: { rows: unknown[][]; total: number }[] };
      return aggregates.map((a) => [a.total, a.rows.map((row) => JSON.stringify(row)).sort()]);
    };
    const behind = ['rows', 'm.json', '--query', 'q.json', '--columns', 'loan.no,loan.fine', ...cell];
    const found = asked([...behind, ...on(kind)]);
    expect([found.status, found.stderr]).toEqual([0, expect.stringMatching(/^crease: asking/)]);
    expect(rows(found.stdout)).toEqual(rows(crease(behind, onFiles).stdout));
  });

  test('propose drafts the star, with what all rows say of it', () => {
    const { status, stderr } = asked(['propose', ...on(kind), '--out', `${kind}.json`]);
    expect(status).toBe(0);
    expect(stderr).toMatch(/key .*loan.*: .*on all rows: 0 of 400 against it/);
    const drafted = JSON.parse(readFileSync(join(folder, `${kind}.json`), 'utf8')) as {
      name: string;
      tables: { name: string; held: boolean }[];
    };
    expect(drafted.name).toBe('lending');
    expect(drafted.tables.map((t) => [t.name, t.held]).sort()).toEqual([
      ['branch', false],
      ['loan', false],
    ]);
    // What was drafted is asked as it is.
    expect(asked(['check', `${kind}.json`, ...on(kind), '--json']).status).toBeLessThan(2);
  });

  test('what cannot be done is one line, and nothing was read', () => {
    const refused = asked(['check', 'm.json', ...on(kind), '--limit-rows', '100']);
    expect([refused.status, refused.stderr]).toEqual([
      2,
      'crease: the database has 2 tables with about 403 rows: more than --limit-rows 100 lets be read\n',
    ]);
    const weighed = asked(['profile', 'm.json', ...on(kind)]);
    expect([weighed.status, weighed.stderr]).toEqual([
      2,
      expect.stringMatching(/\ncrease: what tables would weigh is worked out on PostgreSQL/),
    ]);
  });
});

test('a server that does not answer in time, a wrong password and a file that is none are one line', () => {
  const { host, port, user } = server.place;
  const at = `clickhouse://${user}@${host}:${port}/lending`;
  const wrong = crease(['check', 'm.json', '--on', at], folder, { PGPASSWORD: 'wrong' });
  expect([wrong.status, wrong.stderr]).toEqual([
    2,
    expect.stringMatching(/^crease: the password of .* is not right/),
  ]);
  const none = crease(['check', 'm.json', '--on', 'sqlite:none.db']);
  expect([none.status, none.stderr]).toEqual([2, 'crease: there is no file none.db\n']);
  const late = crease(['check', 'm.json', '--on', at, '--limit-seconds', '0.001', '--json'], folder, {
    PGPASSWORD: server.place.password,
  });
  expect(late.stderr + late.stdout).toMatch(/has not answered within/);
});
