import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Cluster } from '../../server/test/postgresql.ts';
import { startPostgresql } from '../../server/test/postgresql.ts';
import type { Listed } from './lending.ts';
import { creaseIn, JANUARY, LENDING } from './lending.ts';

// `check`, `query`, `profile` and `propose` of a database, without a workspace.

let folder: string;
let cluster: Cluster;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'crease-on-'));
  cluster = await startPostgresql();
  await cluster.client.query(`create schema lending;
    create table lending.branch (code text, name text, region text);
    create table lending.loan (no int primary key, branch_code text, lent_on date, fine numeric(8,2));
    insert into lending.branch values ('A', 'Ash', 'North'), ('B', 'Birch', 'South'), ('B', 'Birch again', 'South');
    insert into lending.loan select i, (array['A', 'B', 'Z', null])[i % 4 + 1], date '2026-01-01' + i % 60, i % 5 from generate_series(1, 400) i;
    analyze lending.loan; analyze lending.branch;
    create schema other; create table other.loan (no int);
    create table other.branch (code text)`);
  writeFileSync(join(folder, 'm.json'), JSON.stringify(LENDING));
  writeFileSync(join(folder, 'days.csv'), JANUARY);
});
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await cluster.stop();
});

const crease = (args: readonly string[], environment: Record<string, string> = {}) =>
  creaseIn(folder, args, environment);
const url = () => {
  const { host, port, user, database } = cluster.place;
  return `postgresql://${user}@${host}:${port}/${database}`;
};
/** A connection by its name, as pipelines have it. */
const named = () => ({
  CREASE_CONNECTION_WAREHOUSE: url(),
  CREASE_CONNECTION_WAREHOUSE_PASSWORD: cluster.place.password,
});
const on = ['--on', 'warehouse', '--schema', 'lending'];

const verdicts = (stdout: string) => new Map((JSON.parse(stdout) as Listed).claims.map((c) => [c.id, c]));

test('check judges where the rows lie, and takes along a small file that is not there', () => {
  const { status, stdout } = crease(['check', 'm.json', ...on, '--json'], named());
  expect(status).toBe(1);
  const claims = verdicts(stdout);
  const said = (id: string) => [
    claims.get(id)?.verdict,
    claims.get(id)?.evidence.checked,
    claims.get(id)?.evidence.against,
  ];
  expect(said('key-unique:branch')).toEqual(['broken', 3, 2]);
  expect(said('reference-complete:loan_branch')).toEqual(['broken', 300, 100]);
  expect(said('reference-filled:loan_branch')).toEqual(['broken', 400, 100]);
  expect(said('key-unique:loan')).toEqual(['holds', 400, 0]);
  // Days after January are in no row of the file.
  expect(claims.get('reference-complete:lent_on')?.evidence.against).toBeGreaterThan(150);
  // There is no file to be read: nothing is claimed of one.
  expect(claims.has('file-read:loan')).toBe(false);
  expect(claims.get('file-read:days')?.verdict).toBe('holds');
});

test('query answers there, with an address in place of a name, and the password of the environment', () => {
  writeFileSync(
    join(folder, 'q.json'),
    JSON.stringify({ measures: ['Fines'], by: ['days.month'], totals: true }),
  );
  const { status, stdout } = crease(
    ['query', 'm.json', '--query', 'q.json', '--on', url(), '--schema', 'lending', '--json'],
    {
      PGPASSWORD: cluster.place.password,
    },
  );
  expect(status).toBe(0);
  const answer = JSON.parse(stdout) as { rows: unknown[][]; totals: unknown[] };
  expect(answer.totals).toEqual(['800.00']);
  expect(answer.rows.map((row) => row[0])).toEqual(['January', null]);
});

test('rows behind a number are listed there, and add up to it', () => {
  writeFileSync(join(folder, 'q.json'), JSON.stringify({ measures: ['Fines'], by: ['days.month'] }));
  const cell = JSON.stringify({ measure: 'Fines', by: ['January'] });
  const asked = ['rows', 'm.json', '--query', 'q.json', '--cell', cell, ...on, '--limit', '3', '--json'];
  const { status, stdout } = crease([...asked, '--columns', 'no,lent_on,days.month'], named());
  expect(status).toBe(0);
  const { aggregates } = JSON.parse(stdout) as { aggregates: Record<string, unknown>[] };
  expect(aggregates).toMatchObject([
    {
      text: 'sum(loan.fine)',
      rows: [
        [1, '2026-01-02', 'January'],
        [2, '2026-01-03', 'January'],
        [3, '2026-01-04', 'January'],
      ],
      lines: [],
    },
  ]);
  expect(Number(aggregates[0]!['sum'])).toBe(Number(aggregates[0]!['of']));
  expect(Number(aggregates[0]!['sum'])).toBeGreaterThan(300);
});

test('profile tells what tables would weigh, and propose drafts a schema', () => {
  const { status, stdout } = crease(['profile', 'm.json', ...on, '--json'], named());
  expect(status).toBe(0);
  const { tables } = JSON.parse(stdout) as { tables: { name: string; rows: number; totalBytes: number }[] };
  expect(tables.map((t) => [t.name, t.rows])).toEqual([
    ['loan', 400],
    ['branch', 3],
    ['days', 31],
  ]);
  const proposed = crease(['propose', ...on, '--out', 'drafted.json'], named());
  expect(proposed.status).toBe(0);
  expect(proposed.stderr).toContain('on all rows: 100 of 300 against it');
  const drafted = JSON.parse(readFileSync(join(folder, 'drafted.json'), 'utf8')) as typeof LENDING;
  expect(drafted.tables.map((t) => [t.name, t.source])).toEqual([
    ['branch', { connection: 'warehouse', schema: 'lending', table: 'branch' }],
    ['loan', { connection: 'warehouse', schema: 'lending', table: 'loan' }],
  ]);
  expect(crease(['check', 'drafted.json', '--on', 'warehouse', '--json'], named()).status).toBe(1);
});

test('what cannot be asked is said in one line each, with exit status 2', () => {
  const fault = (args: string[], environment = named()): string => {
    const { status, stderr } = crease(args, environment);
    expect(status).toBe(2);
    return stderr;
  };
  expect(fault(['check', 'm.json', '--on', 'nowhere'])).toContain('set CREASE_CONNECTION_NOWHERE to a URL');
  expect(fault(['check', 'm.json', '--on', 'mysql://x/y'])).toContain(
    'no URL that begins with postgresql://',
  );
  expect(
    fault(['check', 'm.json', ...on], { ...named(), CREASE_CONNECTION_WAREHOUSE_PASSWORD: 'wrong' }),
  ).toContain('the password of postgres is not right');
  // Two schemas have a loan, and neither is the one that the account sees by itself.
  expect(fault(['check', 'm.json', '--on', 'warehouse'])).toContain(
    'loan: the database has lending.loan and other.loan; say which schema is meant',
  );
  expect(fault(['check', 'm.json', ...on, '--both'])).toContain('--on asks one database');
  expect(fault(['check', 'm.json', ...on, '--limit-seconds', 'soon'])).toContain(
    '--limit-seconds takes a number',
  );
  expect(fault(['propose', '--on', 'warehouse', '--schema', 'nothing'])).toContain(
    'the schema nothing has no tables',
  );
  // How much would be read is told, and can be limited, before anything is read.
  expect(fault(['check', 'm.json', ...on, '--limit-rows', '300'])).toMatch(
    /2 tables with about \d+ rows: more than --limit-rows 300 lets be read/,
  );
  expect(fault(['propose'])).toContain('name a folder of files, or a database');
});
