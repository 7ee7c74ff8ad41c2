import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { Model } from '@crease/core/model';
import type { OrderChange } from './releaseOrder.ts';
import { libraryOrder, LOANS, MODEL } from './releaseOrder.ts';
import { planSqlite, ProofError, releaseToFolder, releaseToSqlite, TargetError } from '../src/release.ts';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-release-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const order = (change: OrderChange = {}) => libraryOrder(folder, change);
const target = () => join(folder, 'out', 'library.sqlite');
function at<T>(act: (db: Database.Database) => T, file = target()): T {
  const db = new Database(file);
  try {
    return act(db);
  } finally {
    db.close();
  }
}
const rows = (sql: string): unknown[] => at((db) => db.prepare(sql).raw().all());
const actions = (plan: { items: readonly { action: string; object: string }[] }) =>
  plan.items.map((i) => `${i.action} ${i.object}`);

test('a first release brings tables, views of audiences, kept trials, measures and a record, and proves it', async () => {
  const { proof, plan } = await releaseToSqlite(target(), await order());
  expect(proof.differences).toEqual([]);
  expect(proof.questions).toBeGreaterThan(150);
  expect(actions(plan)).toEqual([
    'create table branch',
    'create table loan',
    'create view Desk_Lending',
    'create view Desk_Branches',
    "create view Desk_North's",
    'create view Desk_crease_measure',
  ]);
  expect(rows('select * from loan order by no')).toEqual([
    [1, 'N', '2025-03-01', 1, 0.1, 1, 'it"s', 0],
    [2, 'S', '2025-04-01', 2.5, 0.2, 0, null, 1],
    [3, 'N', '2026-03-01', null, 10.5, null, 'ünï', null],
    [4, 'S', '2026-05-01', 9.99, null, 1, 'a,b\nc', 1],
  ]);
  expect(rows('select "Branch name" from "Desk_Branches" order by 1')).toEqual([["Nor'th"], ['South']]);
  expect(
    at((db) =>
      db
        .prepare('select * from "Desk_Branches"')
        .columns()
        .map((c) => c.name),
    ),
  ).toEqual(['code', 'Branch name']);
  expect(rows(`select * from "Desk_North's"`)).toEqual([["Nor'th", 2]]);
  expect(rows('select name, title, formula from crease_measure')[0]).toEqual([
    'Loans',
    'Number of loans',
    'count(loan)',
  ]);
  // An audience lists its own measures alone.
  expect(rows('select name, title, formula from "Desk_crease_measure"')).toEqual([
    ['Loans', 'Number of loans', 'count(loan)'],
  ]);
  const [[sql]] = rows(`select sql from crease_measure where name = 'Fines'`) as [[string]];
  expect(rows(sql)).toEqual([[13.49]]);
  expect(rows('select release, model, revision, author, at, what, "rows" from crease_release')).toEqual([
    [1, 'library', 7, 'Ida', '2026-06-30T10:00:00.000Z', 'all', 6],
  ]);
  expect(at((db) => db.pragma('foreign_key_check'))).toEqual([]);
  expect(at((db) => db.pragma('foreign_key_list(loan)'))).toMatchObject([
    { table: 'branch', from: 'branch' },
  ]);
});

test('what did not change is kept, what did is brought, and what others hang on a table stays', async () => {
  await releaseToSqlite(target(), await order());
  at((db) =>
    db.exec(
      `create index others on loan (branch); create view theirs as select count(*) as n from loan;
       create table log (n); create trigger t after update on loan begin insert into log values (1); end`,
    ),
  );
  expect(
    actions((await releaseToSqlite(target(), await order())).plan).every((a) => a.startsWith('keep')),
  ).toBe(true);
  const { plan } = await releaseToSqlite(target(), await order({ loans: LOANS.slice(1) }));
  expect(actions(plan).slice(0, 2)).toEqual(['keep table branch', 'replace table loan']);
  expect(rows('select n from theirs')).toEqual([[3]]);
  expect(rows(`select name from sqlite_master where name in ('others', 't') order by 1`)).toEqual([
    ['others'],
    ['t'],
  ]);
  expect(rows('select max(release) from crease_release')).toEqual([[3]]);
});

test('definitions only: a column comes and one goes, rows stay; the next release fills it', async () => {
  await releaseToSqlite(target(), await order());
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
  const { plan } = await releaseToSqlite(target(), await order({ model, definitionsOnly: true, loans: [] }));
  expect(plan.items[1]).toMatchObject({ action: 'alter', loses: 'weight' });
  expect(rows('select no, fine, twice from loan order by no')).toEqual([
    [1, 1, null],
    [2, 2.5, null],
    [3, null, null],
    [4, 9.99, null],
  ]);
  expect(at((db) => db.pragma('foreign_key_list(loan)'))).toMatchObject([{ table: 'branch' }]);
  await releaseToSqlite(target(), await order({ model }));
  expect(rows('select twice from loan order by no')).toEqual([[2], [5], [null], [19.98]]);
});

test('parts: those that are named alone are brought, and the others are said to be older', async () => {
  await releaseToSqlite(target(), await order());
  const loans = [`1,N,2025-03-01,7.00,0.1,true,`, `3,N,2026-03-01,8.00,10.5,,`, `5,N,2026-09-01,1.00,1.5,,`];
  const { plan, proof } = await releaseToSqlite(
    target(),
    await order({ loans, parts: [{ table: 'loan', part: '2026' }] }),
  );
  expect(plan.items[1]).toMatchObject({ action: 'load parts', rows: 2 });
  expect(rows('select no, fine from loan order by no')).toEqual([
    [1, 1],
    [2, 2.5],
    [3, 8],
    [5, 1],
  ]);
  expect(proof.notes[0]).toContain('rows there are others than here');
  const refused = planSqlite(target(), await order({ parts: [{ table: 'branch', part: '2026' }] }));
  expect(refused.refusals).toEqual(['branch is not kept in parts']);
});

test('what somebody changed at the target is told, and brought back', async () => {
  await releaseToSqlite(target(), await order());
  at((db) => db.exec('pragma foreign_keys = off; update loan set fine = 0 where no = 1; drop table branch'));
  const plan = planSqlite(target(), await order());
  expect(plan.drift).toEqual(['branch is gone', 'loan.fine added up to 13.49 and adds up to 12.49']);
  await releaseToSqlite(target(), await order());
  expect(rows('select sum(fine), (select count(*) from branch) from loan')).toEqual([[13.49, 2]]);
});

test.each<[string, string, RegExp]>([
  ['a file of others', 'create table theirs (x)', /holds tables without a record of Crease/],
  ['no database at all', '', /cannot be opened as a SQLite file/],
])('%s is not written over', async (_, sql, why) => {
  mkdirSync(join(folder, 'out'));
  if (sql === '')
    writeFileSync(target(), 'just a text, of some length, and no database at all: nothing to open here');
  else at((db) => db.exec(sql));
  const before = readFileSync(target());
  const release = await order();
  await expect(releaseToSqlite(target(), release)).rejects.toThrow(TargetError);
  await expect(releaseToSqlite(target(), release)).rejects.toThrow(why);
  expect(readFileSync(target()).equals(before)).toBe(true);
});

test('nothing of others is dropped or broken: a table of one name, a view on what would go', async () => {
  await releaseToSqlite(target(), await order());
  at((db) => db.exec('create table title (x); create view theirs as select weight, no from loan'));
  const [loan, branch] = MODEL.tables as [Model['tables'][0], Model['tables'][0]];
  const title = { ...branch, name: 'title' };
  const named = await order({ model: { ...MODEL, tables: [loan, branch, title] } });
  await expect(releaseToSqlite(target(), named)).rejects.toThrow(
    /title is at the target already, and was not made by Crease/,
  );
  const without = { ...loan, columns: loan.columns.filter((c) => c.name !== 'weight') };
  const lighter = await order({
    model: { ...MODEL, tables: [without, branch], measures: MODEL.measures!.slice(0, 2) },
  });
  await expect(releaseToSqlite(target(), lighter)).rejects.toThrow(/views.*would not work any more: theirs/);
  const gone = await order({
    model: {
      ...MODEL,
      tables: [branch],
      relationships: [],
      measures: [],
      trials: [],
      perspectives: [],
    },
  });
  await expect(releaseToSqlite(target(), gone)).rejects.toThrow(/loan would be dropped, and the view theirs/);
  expect(rows('select count(weight) from theirs')).toEqual([[3]]);
  expect(rows('select max(release) from crease_release')).toEqual([[1]]);
});

test('a difference that is planted fails the proof, and nothing of the release is visible', async () => {
  await releaseToSqlite(target(), await order());
  at((db) =>
    db.exec('create trigger t after insert on loan begin update loan set fine = 100 where no = new.no; end'),
  );
  const loans = [...LOANS, `5,N,2026-09-01,1.00,1.5,,`];
  const release = await order({ loans, parts: [{ table: 'loan', part: '2026' }] });
  await expect(releaseToSqlite(target(), release)).rejects.toThrow(ProofError);
  await expect(releaseToSqlite(target(), release)).rejects.toThrow(
    /2026: loan\.fine adds up to 300\.00 there and 10\.99 here/,
  );
  expect(rows('select count(*), sum(fine) from loan')).toEqual([[4, 13.49]]);
  expect(rows('select count(*) from crease_release')).toEqual([[1]]);
});

test('views whose names would be one are told apart', async () => {
  const perspectives = [
    { name: 'Desk', tables: [{ table: 'loan', title: 'of_loans' }], measures: ['Loans'] },
    { name: 'Desk_of', tables: [{ table: 'loan', title: 'loans' }], measures: ['Loans'] },
  ];
  const { plan } = await releaseToSqlite(target(), await order({ model: { ...MODEL, perspectives } }));
  expect(actions(plan).filter((action) => action.includes('loans'))).toEqual([
    'create view Desk_of_loans',
    'create view Desk_of_loans 2',
  ]);
});

test('two releases to one file exclude each other; what a killed one left beside a new file goes', async () => {
  await releaseToSqlite(target(), await order());
  const release = await order();
  const other = new Database(target());
  other.exec('begin immediate');
  await expect(releaseToSqlite(target(), release)).rejects.toThrow(/is being written by somebody else/);
  other.close();
  const leftover = join(folder, 'out', 'new.sqlite.crease-release-999999999');
  writeFileSync(leftover, 'half');
  await releaseToSqlite(join(folder, 'out', 'new.sqlite'), release);
  expect(readdirSync(join(folder, 'out')).sort()).toEqual(['library.sqlite', 'new.sqlite']);
});

test('constraints that the rows do not keep are left out, and named', async () => {
  const loans = [...LOANS, `5,X,2026-09-01,1.00,1.5,,`];
  const model: Model = {
    ...MODEL,
    waivers: [
      { claim: { kind: 'reference-complete', relationship: 'loan_branch' }, reason: 'a closed branch' },
    ],
  };
  const { plan, proof } = await releaseToSqlite(target(), await order({ loans, model }));
  expect(plan.omitted).toEqual([
    { what: 'foreign key loan_branch', claim: 'reference-complete:loan_branch' },
  ]);
  expect(proof.differences).toEqual([]);
  expect(at((db) => db.pragma('foreign_key_list(loan)'))).toEqual([]);
});

test.each(['parquet', 'csv'] as const)(
  'a folder of %s: read back, proved, kept by release, described',
  async (form) => {
    const lake = join(folder, 'out', 'lake');
    const first = await releaseToFolder(lake, form, await order());
    expect([first.proof.differences, first.plan.items.map((i) => i.action)]).toEqual([
      [],
      ['create', 'create'],
    ]);
    expect(first.proof.questions).toBeGreaterThan(150);
    const pointer = () => JSON.parse(readFileSync(join(lake, 'current.json'), 'utf8')) as { path: string };
    expect(pointer()).toMatchObject({ release: 1, path: 'releases/1' });
    const again = await releaseToFolder(lake, form, await order({ loans: LOANS.slice(1) }));
    expect(actions(again.plan)).toEqual([`replace file loan.${form}`, `keep file branch.${form}`]);
    expect(readdirSync(join(lake, pointer().path)).sort()).toEqual(
      [
        `branch.${form}`,
        ...(form === 'csv' ? ['csv-metadata.json'] : []),
        'crease-release.json',
        'datapackage.json',
        `loan.${form}`,
      ].sort(),
    );
    const described = JSON.parse(readFileSync(join(lake, 'releases/2/datapackage.json'), 'utf8')) as {
      resources: { path: string; schema: { fields: unknown[]; primaryKey: unknown; foreignKeys: unknown } }[];
    };
    expect(described.resources[0]).toMatchObject({
      path: `loan.${form}`,
      schema: {
        primaryKey: ['no'],
        foreignKeys: [{ fields: ['branch'], reference: { resource: 'branch', fields: ['code'] } }],
      },
    });
    expect(described.resources[0]!.schema.fields[3]).toMatchObject({ name: 'fine', type: 'number' });
    expect(readdirSync(lake).sort()).toEqual(['current.json', 'releases']);
  },
);

test('a folder: texts are told from null, drift is told, a foreign folder and a running release refuse', async () => {
  const lake = join(folder, 'out', 'lake');
  const loans = [`1,N,2025-03-01,1.00,0.1,true,""`, `2,S,2025-04-01,2.50,0.2,false,`];
  const { proof } = await releaseToFolder(lake, 'csv', await order({ loans }));
  expect(proof.differences).toEqual([]);
  writeFileSync(join(lake, 'releases/1/branch.csv'), 'code\n');
  const { plan } = await releaseToFolder(lake, 'csv', await order({ loans }));
  expect(plan.drift).toEqual(['branch.csv was changed']);
  expect(actions(plan)).toEqual(['keep file loan.csv', 'replace file branch.csv']);

  writeFileSync(join(lake, '.crease-lock'), String(process.pid));
  await expect(releaseToFolder(lake, 'csv', await order())).rejects.toThrow(
    /is being released to by process/,
  );
  writeFileSync(join(lake, '.crease-lock'), '999999999');
  mkdirSync(join(lake, 'releases', '3.tmp'));
  mkdirSync(join(lake, 'releases', '9'));
  expect((await releaseToFolder(lake, 'csv', await order())).plan.release).toBe(3);
  expect([existsSync(join(lake, '.crease-lock')), readdirSync(join(lake, 'releases'))]).toEqual([
    false,
    ['1', '2', '3'],
  ]);

  const other = join(folder, 'other');
  mkdirSync(other);
  writeFileSync(join(other, 'precious.txt'), 'theirs');
  await expect(releaseToFolder(other, 'csv', await order())).rejects.toThrow(/without a record of Crease/);
  expect(readdirSync(other)).toEqual(['precious.txt']);
});

test('a folder whose draft is tampered with before the proof is not released', async () => {
  const lake = join(folder, 'out', 'lake');
  const tell = (text: string) => {
    if (text === 'proof')
      writeFileSync(join(lake, 'releases/1.tmp/branch.csv'), 'code,name,secret\nN,No,x\nS,South,y\n');
  };
  await expect(releaseToFolder(lake, 'csv', await order({ tell }))).rejects.toThrow(ProofError);
  expect([existsSync(join(lake, 'current.json')), readdirSync(join(lake, 'releases'))]).toEqual([false, []]);
});
