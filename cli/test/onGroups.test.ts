import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ClickhouseServer } from '../../server/test/clickhouse.ts';
import { startClickhouse } from '../../server/test/clickhouse.ts';
import type { Listed } from './lending.ts';
import { creaseIn, JANUARY, LENDING } from './lending.ts';

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
const csv = (names: string, rows: readonly (readonly unknown[])[]) =>
  [names, ...rows.map((row) => row.map((cell) => cell ?? '').join(','))].join('\n');

beforeAll(async () => {
  mkdirSync(onFiles);
  for (const at of [folder, onFiles]) {
    writeFileSync(join(at, 'm.json'), JSON.stringify(LENDING));
    writeFileSync(join(at, 'days.csv'), JANUARY);
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

const crease = (args: readonly string[], cwd = folder, environment: Record<string, string> = {}) =>
  creaseIn(cwd, args, environment);
/** Where each database is, as the command line is told. */
const KINDS = ['sqlite', 'clickhouse'] as const;
const on = (kind: (typeof KINDS)[number]): string[] => {
  const { host, port, user } = server.place;
  return ['--on', kind === 'sqlite' ? 'sqlite:lending.db' : `clickhouse://${user}@${host}:${port}/lending`];
};
const asked = (args: readonly string[]) => crease(args, folder, { PGPASSWORD: server.place.password });

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

test('a draft is judged as the draft, not as the bare tables that it was made of', () => {
  const clean = new Database(join(folder, 'clean.db'));
  clean.exec('create table loan (no integer, branch_code text); create table branch (code text, name text)');
  for (let i = 0; i < 200; i++)
    clean.prepare('insert into loan values (?, ?)').run(i + 1, `B${i % 9}${i % 10 === 0 ? 'x' : ''}`);
  for (let i = 0; i < 9; i++) clean.prepare('insert into branch values (?, ?)').run(`B${i}`, `Branch ${i}`);
  clean.close();
  const { status, stderr } = crease(['propose', '--on', 'sqlite:clean.db', '--out', 'clean.json']);
  expect(status).toBe(0);
  expect(stderr).toMatch(/relationship .*branch.*on all rows: 20 of 200 against it/);
});

test('a column that is not there leaves what needs it open, and the rest is judged', () => {
  const lacking = new Database(join(folder, 'lacking.db'));
  lacking.exec('create table loan (no integer, branch_code text, lent_on date)');
  lacking.exec(
    "create table branch (code text, name text, region text); insert into loan values (1, 'A', '2026-01-05')",
  );
  lacking.close();
  const { status, stdout, stderr } = crease(['check', 'm.json', '--on', 'sqlite:lacking.db', '--json']);
  expect(stderr).toContain('crease: loan.fine is not in the database: what needs it cannot be judged\n');
  const claims = new Map((JSON.parse(stdout) as Listed).claims.map((c) => [c.id, c]));
  expect(claims.get('key-unique:loan')?.verdict).toBe('holds');
  const open = [...claims.values()].filter((c) => c.evidence.notes?.join().includes('has no column fine'));
  expect(open.map((c) => c.verdict)).toContain('unchecked');
  // The branch of the loan is not there.
  expect(claims.get('reference-complete:loan_branch')?.verdict).toBe('broken');
  expect(status).toBe(1);
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
