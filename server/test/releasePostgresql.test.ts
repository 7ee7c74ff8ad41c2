import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Client } from 'pg';
import type { Model } from '@crease/core/model';
import { planPostgresql, ProofError, releaseToPostgresql, TargetError } from '../src/release.ts';
import type { Cluster } from './postgresql.ts';
import { startPostgresql } from './postgresql.ts';
import type { OrderChange } from './releaseOrder.ts';
import { libraryOrder, LOANS, MODEL } from './releaseOrder.ts';

let cluster: Cluster;
beforeAll(async () => void (cluster = await startPostgresql()), 120_000);
afterAll(() => cluster?.stop(), 60_000);

let folder: string;
let schema: string;
let serial = 0;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'crease-release-'));
  schema = `mart "${++serial}"`;
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const order = (change: OrderChange = {}) => libraryOrder(folder, change);
const to = (more: object = {}) => ({
  target: { name: 'mart', kind: 'postgresql' as const, connection: 'warehouse', schema, ...more },
  place: cluster.place,
});
const release = async (change: OrderChange = {}, more: object = {}) =>
  releaseToPostgresql(to(more), await order(change));
const rows = async (sql: string): Promise<unknown[][]> =>
  (
    await cluster.client.query<unknown[]>({
      text: sql.replaceAll('$S', `"${schema.replaceAll('"', '""')}"`),
      rowMode: 'array',
    })
  ).rows;
const actions = (plan: { items: readonly { action: string; object: string }[] }) =>
  plan.items.map((i) => `${i.action} ${i.object}`);

test('a first release brings tables with keys, comments, views, measures and a record, and proves it', async () => {
  const { plan, proof } = await release();
  expect([proof.differences, proof.questions > 150, plan.release]).toEqual([[], true, 1]);
  expect(
    await rows(
      'select no, branch, lent_on::text, fine, weight, late, "the ""note""", dear from $S.loan order by no',
    ),
  ).toEqual([
    ['1', 'N', '2025-03-01', '1.00', 0.1, true, 'it"s', false],
    ['2', 'S', '2025-04-01', '2.50', 0.2, false, null, true],
    ['3', 'N', '2026-03-01', null, 10.5, null, 'ünï', null],
    ['4', 'S', '2026-05-01', '9.99', null, true, 'a,b\nc', true],
  ]);
  const audience = `"${`${schema}_Desk`.replaceAll('"', '""')}"`;
  expect(await rows(`select "Branch name" from ${audience}."Branches" order by 1`)).toEqual([
    ["Nor'th"],
    ['South'],
  ]);
  expect(await rows(`select * from ${audience}."North's"`)).toEqual([["Nor'th", '2']]);
  expect(await rows(`select obj_description('$S.branch'::regclass)`)).toEqual([['Branches']]);
  const [[sql]] = (await rows(`select sql from $S.crease_measure where name = 'Fines'`)) as [[string]];
  await rows('set search_path to $S');
  expect(await rows(sql)).toEqual([['13.49']]);
  await rows('set search_path to default');
  expect(await rows('select release, model, revision, author, what, "rows" from $S.crease_release')).toEqual([
    [1, 'library', 7, 'Ida', 'all', '6'],
  ]);
  expect(
    await rows(
      `select conname, contype::text from pg_constraint where conrelid = '$S.loan'::regclass order by 1`,
    ),
  ).toEqual([
    ['loan_branch', 'f'],
    ['loan_pkey', 'p'],
  ]);
  expect(await rows(`select nspname from pg_namespace where nspname like 'crease%'`)).toEqual([]);
});

test('what did not change is kept; what others hang on a table stays, and so does what they may read', async () => {
  await release();
  await cluster.client.query('create role reader_of_loans');
  await rows('create view $S.theirs as select count(*)::int as n from $S.loan');
  await rows('create index theirs_too on $S.loan (branch)');
  await rows('grant select on $S.loan to reader_of_loans');
  expect(actions((await release()).plan).every((a) => a.startsWith('keep'))).toBe(true);
  const { plan } = await release({ loans: LOANS.slice(1) });
  expect(actions(plan).slice(0, 2)).toEqual(['keep table branch', 'replace table loan']);
  expect(await rows('select n from $S.theirs')).toEqual([[3]]);
  expect(await rows(`select has_table_privilege('reader_of_loans', '$S.loan', 'select')`)).toEqual([[true]]);
  expect(
    await rows(
      `select indexrelid::regclass::text like '%theirs_too%' from pg_index where indrelid = '$S.loan'::regclass order by 1`,
    ),
  ).toEqual([[false], [true]]);
  // Made anew, it would lose them: that is refused, with what hangs on it.
  const [loan, branch] = MODEL.tables as [Model['tables'][0], Model['tables'][0]];
  const columns = loan.columns.filter((c) => c.name !== 'weight');
  const lighter = { ...MODEL, tables: [{ ...loan, columns }, branch], measures: MODEL.measures!.slice(0, 2) };
  await expect(release({ model: lighter })).rejects.toThrow(
    /loan has to be made anew, and others hang on it: .*theirs/,
  );
  expect(await rows('select count(weight) from $S.loan')).toEqual([['2']]);
});

test('what others hang on a view of an audience stays, with rights that were given by hand; a view made anew is refused', async () => {
  await release();
  const audience = `"${`${schema}_Desk`.replaceAll('"', '""')}"`;
  await cluster.client.query('create role reader_of_desk; create role reader_of_branches');
  await rows(`create view ${audience}.theirs as select count(*)::int as n from ${audience}."Lending"`);
  await rows(`grant select on ${audience}."Lending" to reader_of_desk with grant option`);
  await rows(`grant select on ${audience}."Branches" to reader_of_branches, public`);
  const { plan } = await release({ loans: LOANS.slice(1) });
  expect(plan.refusals).toEqual([]);
  expect(await rows(`select n from ${audience}.theirs`)).toEqual([[3]]);
  const may = async (role: string, view: string, what: string) =>
    (
      await rows(`select has_table_privilege('${role}', '${audience}."${view}"'::regclass, '${what}')`)
    )[0]![0];
  expect([
    await may('reader_of_desk', 'Lending', 'select with grant option'),
    await may('reader_of_branches', 'Branches', 'select'),
    await may('reader_of_branches', 'Branches', 'select with grant option'),
    await may('reader_of_branches', 'Lending', 'select'),
  ]).toEqual([true, true, false, false]);
  // Another heading makes another view: that would take theirs away.
  const [loan, branch] = MODEL.tables as [Model['tables'][0], Model['tables'][0]];
  const columns = loan.columns.map((c) => (c.name === 'fine' ? { ...c, title: 'Penalty' } : c));
  const titled = { ...MODEL, tables: [{ ...loan, columns }, branch] };
  await expect(release({ model: titled })).rejects.toThrow(
    /the view .*Lending has to be made anew, and others hang on it: the view .*theirs/,
  );
  await rows(`drop view ${audience}.theirs`);
  await release({ model: titled });
  expect(await rows(`select sum("Penalty")::text from ${audience}."Lending"`)).toEqual([['13.49']]);
});

test('definitions only leaves rows; parts bring theirs alone; drift is told and brought back', async () => {
  await release();
  const [loan, branch] = MODEL.tables as [Model['tables'][0], Model['tables'][0]];
  const columns = [
    ...loan.columns.filter((c) => c.name !== 'weight'),
    { name: 'twice', type: 'decimal(9,2)', formula: 'fine * 2' },
  ];
  const model: Model = {
    ...MODEL,
    tables: [{ ...loan, columns }, branch],
    measures: MODEL.measures!.slice(0, 2),
  };
  const { plan } = await release({ model, definitionsOnly: true, loans: [] });
  expect(plan.items[1]).toMatchObject({ action: 'alter', loses: 'weight' });
  expect(await rows('select count(*), count(twice) from $S.loan')).toEqual([['4', '0']]);
  await release({ model });
  expect(await rows('select twice from $S.loan order by no')).toEqual([
    ['2.00'],
    ['5.00'],
    [null],
    ['19.98'],
  ]);
  const loans = [`1,N,2025-03-01,7.00,0.1,true,`, `3,N,2026-03-01,8.00,10.5,,`, `5,N,2026-09-01,1.00,1.5,,`];
  const parts = await release({ model, loans, parts: [{ table: 'loan', part: '2026' }] });
  expect(parts.plan.items[1]).toMatchObject({ action: 'load parts', rows: 2 });
  expect(await rows('select no, fine from $S.loan order by no')).toEqual([
    ['1', '1.00'],
    ['2', '2.50'],
    ['3', '8.00'],
    ['5', '1.00'],
  ]);
  await rows('update $S.loan set fine = 0 where no = 1');
  await rows('alter table $S.branch add theirs text');
  const drift = (await planPostgresql(to(), await order({ model }))).drift;
  expect(drift).toEqual(['branch has other columns', 'loan.fine added up to 12.50 and adds up to 11.50']);
  await release({ model });
  expect(await rows('select sum(fine) from $S.loan')).toEqual([['13.49']]);
  expect((await planPostgresql(to(), await order({ model }))).drift).toEqual([]);
});

test('a schema of others is not written into; a second release at one time is refused; rights are given as said', async () => {
  await rows('create schema $S');
  await rows('create table $S.theirs (x int)');
  await expect(release()).rejects.toThrow(/holds objects without a record of Crease/);
  schema = `${schema} other`;
  const blocker = new Client(cluster.place);
  await blocker.connect();
  await blocker.query('begin');
  await blocker.query('select pg_advisory_xact_lock(hashtextextended($1, 20260630))', [`crease ${schema}`]);
  await expect(release()).rejects.toThrow(/is being released to by somebody else/);
  await blocker.query('rollback');
  await blocker.end();
  await cluster.client.query('create role desk_readers');
  await release({}, { grant: { Desk: 'desk_readers' } });
  const audience = `"${`${schema}_Desk`.replaceAll('"', '""')}"`;
  expect(
    await rows(
      `select has_table_privilege('desk_readers', '${audience}."Branches"', 'select'), has_table_privilege('desk_readers', '$S.loan', 'select')`,
    ),
  ).toEqual([[true, false]]);
  await expect(release({ loans: LOANS.slice(1) }, { grant: { Desk: 'no_such_role' } })).rejects.toThrow(
    TargetError,
  );
  expect(await rows('select count(*) from $S.loan')).toEqual([['4']]);
});

test('an account without rights is told, and a difference fails the proof; nothing of it is visible', async () => {
  await release();
  await cluster.client.query(`create role weak login password 'weak'`);
  const weak = { ...to(), place: { ...cluster.place, user: 'weak', password: 'weak' } };
  const release1 = await order();
  await expect(releaseToPostgresql(weak, release1)).rejects.toThrow(/permission denied/);
  await rows(
    `create function $S.dear() returns trigger language plpgsql as 'begin new.fine := 100; return new; end'`,
  );
  await rows('create trigger dear before insert on $S.loan for each row execute function $S.dear()');
  const loans = [...LOANS, `5,N,2026-09-01,1.00,1.5,,`];
  const parts = release({ loans, parts: [{ table: 'loan', part: '2026' }] });
  await expect(parts).rejects.toThrow(/2026: loan\.fine adds up to 300\.00 there and 10\.99 here/);
  await expect(release({ loans, parts: [{ table: 'loan', part: '2026' }] })).rejects.toThrow(ProofError);
  expect(await rows('select count(*) from $S.loan')).toEqual([['4']]);
  expect(await rows('select count(*) from $S.crease_release')).toEqual([['1']]);
  // All rows are brought past triggers of others, which stay.
  await release({ loans });
  expect(await rows('select sum(fine) from $S.loan')).toEqual([['14.49']]);
});
