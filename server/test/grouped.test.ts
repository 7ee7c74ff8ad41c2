import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import fc from 'fast-check';
import type { ClaimsState, ColumnFacts, ModelState, RowPage } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { Query } from '@crease/core/model';
import type { Proposal } from '@crease/core/propose';
import type { Answer } from '@crease/core/query';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

// Tables that are passed through by groups of their rows, beside the same tables held: a file of SQLite,
// whose columns hold what they like.

let fixture: ApiFixture;
let file: string;
const ROWS = 3000;
const TOWNS = ['Ash', 'Birch', 'Cédar', null];

function fill(): void {
  const db = new Database(file);
  db.pragma('foreign_keys = off');
  db.exec(`create table branch (code text primary key, town text, opened date, size integer);
    create table loan (no integer primary key, branch text references branch (code), lent date, fine decimal(8, 2), weight real, note collate nocase)`);
  const branch = db.prepare('insert into branch values (?, ?, ?, ?)');
  for (let i = 0; i < 12; i++)
    branch.run(`B${i}`, TOWNS[i % 4], `20${10 + i}-03-01`, i % 5 === 0 ? 'many' : i);
  const loan = db.prepare('insert into loan values (?, ?, ?, ?, ?, ?)');
  db.transaction(() => {
    for (let i = 0; i < ROWS; i++)
      loan.run(
        i,
        i % 17 === 0 ? null : `B${i % 13}`,
        `2026-0${1 + (i % 6)}-1${i % 3}`,
        (i % 9) * 0.25,
        i % 4 === 0 ? null : (i % 7) / 3,
        ['x', 'X', 'ü "q"', null, '', i % 4 === 1 ? 1 : '1'][i % 6],
      );
  })();
  db.close();
}

beforeAll(async () => {
  file = join(mkdtempSync(join(tmpdir(), 'crease-grouped-')), 'lent.sqlite');
  fill();
  fixture = await startApi();
  await fixture.api().put('/api/connections').send({ kind: 'sqlite', name: 'lent', file }).expect(200);
});
afterAll(() => fixture.close());

const post: ApiFixture['post'] = (...asked) => fixture.post(...asked);
const get: ApiFixture['get'] = (path) => fixture.get(path);

const edit = (model: number, acts: Edit) => fixture.edit(model, acts);
const judged = (model: number) => fixture.judged(model);

const MEASURES: readonly (readonly [name: string, formula: string])[] = [
  ['Fines', 'sum(loan.fine)'],
  ['Loans', 'count(loan)'],
  ['Weight', 'median(loan.weight)'],
  ['Notes', 'count(distinct loan.note)'],
  ['Fine each', 'avg(loan.fine)'],
  ['Last', 'max(loan.lent)'],
  ['Branches', 'count(branch)'],
];

/** A model over both tables, passed through, with what the draft proposes. */
async function passedModel(): Promise<number> {
  const model = await fixture.newModel('By groups');
  const { tables } = await post<{ tables: string[] }>(`/api/models/${model}/passed-through`, {
    connection: 'lent',
    tables: [{ table: 'branch' }, { table: 'loan' }],
  });
  expect(tables).toEqual(['branch', 'loan']);
  const { proposals } = await get<{ proposals: Proposal[] }>(`/api/models/${model}/proposals`);
  for (const p of proposals) await edit(model, p.edit);
  await edit(
    model,
    MEASURES.map(([name, formula]) => ({ do: 'put-measures', name: null, value: { name, formula } })),
  );
  return model;
}

async function hold(model: number): Promise<void> {
  for (const table of ['loan', 'branch']) {
    await edit(model, [{ do: 'set-table', table, change: { held: true } }]);
    const [sample] = await post<{ id: string }[]>('/api/connections/lent/sample', { tables: [{ table }] });
    expect((await fixture.load(model, [await fixture.orderOf(sample!.id, table)])).state).toBe('done');
  }
}

const questions = fc.record({
  measures: fc.subarray(
    MEASURES.map(([name]) => name),
    { minLength: 1, maxLength: 3 },
  ),
  by: fc.subarray(['branch.town', 'branch.size', 'loan.lent', 'loan.note'], { maxLength: 2 }),
  filters: fc.subarray(
    [
      { column: 'branch.town', in: ['Ash', 'Birch'] },
      { where: 'loan.weight is not null' },
      { where: "loan.lent < date '2026-04-01' or loan.fine > 0.5" },
    ],
    { maxLength: 2 },
  ),
  totals: fc.boolean(),
});

/** What is told of a claim but for lines and the order of rows, which groups do not have. */
const plain = ({ claims }: ClaimsState) =>
  claims.map(({ id, verdict, evidence: { checked, against, distinct, sample = [] } }) => ({
    ...{ id, verdict, checked, against, distinct },
    sample: sample.map(({ values, rows }) => JSON.stringify([values, rows])).sort(),
  }));

test('questions, claims, columns and rows behind numbers are those of the same tables held', async () => {
  const model = await passedModel();
  const { stored, model: made } = await get<ModelState>(`/api/models/${model}`);
  expect(stored).toEqual([]);
  expect(made.tables.map((t) => [t.name, t.role, t.held, t.key])).toEqual([
    ['branch', 'dimension', false, ['code']],
    ['loan', 'fact', false, ['no']],
  ]);
  const asked = fc.sample(questions, 25) as Query[];
  const behind = {
    query: { measures: ['Fines'], by: ['branch.town'] },
    cells: [{ measure: 'Fines', by: ['Birch'] }],
  };
  const look = async () => {
    const answers: unknown[] = [];
    for (const query of asked) {
      const { rows, totals } = await post<Answer>(`/api/models/${model}/query`, { query });
      answers.push({ query, rows, totals });
    }
    const { aggregates } = await post<{ aggregates: { more: number; sum: string; rows: unknown[] }[] }>(
      `/api/models/${model}/rows-behind`,
      { ...behind, limit: 1000 },
    );
    const facts = await get<ColumnFacts[]>(`/api/models/${model}/tables/loan/columns`);
    const cell = { measure: 'Fines', members: ['Birch'] };
    return {
      answers,
      behind: aggregates.map(({ sum, more, rows }) => [
        sum,
        more,
        rows.map((row) => JSON.stringify(row)).sort(),
      ]),
      facts: facts.map((f) =>
        'fault' in f
          ? f
          : { name: f.name, nulls: f.nulls, distinct: f.distinct, least: f.least, greatest: f.greatest },
      ),
      values: await get(`/api/models/${model}/values?column=branch.town&search=`),
      match: await post(`/api/models/${model}/match`, {
        from: { table: 'loan', columns: ['branch'] },
        to: { table: 'branch', columns: ['code'] },
      }),
      claims: plain(await judged(model)),
      // Why a number is what it is, is told of such rows too.
      why: Object.keys(await post<object>(`/api/models/${model}/trace`, { query: behind.query, cell })),
    };
  };
  const passed = await look();
  expect(passed.claims.filter((c) => c.verdict === 'unchecked')).toEqual([]);
  // One of thirteen branches is not there, and two sizes are no numbers.
  expect(passed.claims.find((c) => c.id === 'reference-complete:loan_branch')).toMatchObject({
    verdict: 'broken',
    against: expect.any(Number),
  });
  expect(passed.claims.find((c) => c.id === 'type-holds:branch.size')).toMatchObject({
    verdict: 'broken',
    against: 3,
  });
  await hold(model);
  expect(await look()).toEqual(passed);
});

test('a page shows the first rows, and what would bring too much is refused with a way out', async () => {
  const model = await passedModel();
  const page = await get<RowPage>(`/api/models/${model}/tables/loan/rows?offset=10&count=2`);
  expect([page.total, page.rows.length, page.rows[0]![0]]).toEqual([ROWS, 2, 10]);
  expect(page.columns.map((c) => c.type)).toEqual([
    'integer',
    'text',
    'date',
    'decimal(8,2)',
    'double',
    'text',
  ]);
  // What only statements of a database of its own could tell.
  const profile = await fixture
    .api()
    .post(`/api/models/${model}/passed-through/profile`)
    .send({})
    .expect(422);
  expect((profile.body as { message: string }).message).toContain('only groups are asked');
});

test('rows that change are seen by claims that are judged again, and a file that has gone is said', async () => {
  const model = await passedModel();
  const orphans = async () => {
    await post(`/api/models/${model}/claims/judge`, {});
    const { claims } = await judged(model);
    return claims.find((c) => c.id === 'reference-complete:loan_branch')!;
  };
  const before = await orphans();
  const db = new Database(file);
  db.pragma('foreign_keys = off');
  db.exec("insert into loan values (90001, 'Z', '2026-02-01', 1, 1, null)");
  db.close();
  const after = await orphans();
  expect(after.evidence.against).toBe(before.evidence.against + 1);
  expect(after.evidence.sample!.some(({ values }) => values.branch === 'Z')).toBe(true);
  await fixture
    .api()
    .put('/api/connections')
    .send({ kind: 'sqlite', name: 'lent', file: `${file}.gone` })
    .expect(200);
  const gone = await orphans();
  expect([gone.verdict, gone.evidence.notes!.join()]).toEqual([
    'unchecked',
    expect.stringContaining('there is no file'),
  ]);
  const query = { query: { measures: ['Loans'], by: [] } };
  const refused = await post<{ message: string }>(`/api/models/${model}/query`, query, 422);
  expect(refused.message).toContain('there is no file');
  await fixture.api().put('/api/connections').send({ kind: 'sqlite', name: 'lent', file }).expect(200);
  expect((await orphans()).evidence.against).toBe(after.evidence.against);
});

test('a question sees rows that have come since, at once; a table without rows has none', async () => {
  const model = await passedModel();
  const query = { query: { measures: ['Loans'], by: [] } };
  const count = async () => (await post<Answer>(`/api/models/${model}/query`, query)).rows[0]?.[0];
  const before = Number(await count());
  const db = new Database(file);
  db.pragma('foreign_keys = off');
  db.exec("insert into loan values (90002, 'B1', '2026-02-01', 1, 1, null)");
  expect(await count()).toBe(before + 1);
  db.exec('create table loan_before as select * from loan; delete from loan');
  expect(await count()).toBe(0);
  expect((await judged(model)).failure).toBeUndefined();
  db.exec('insert into loan select * from loan_before; drop table loan_before');
  db.close();
  expect(await count()).toBe(before + 1);
});

test('a table that is gone from its file is said, and the others are asked', async () => {
  const model = await passedModel();
  const db = new Database(file);
  db.exec('alter table loan rename to lent_once');
  const asked = (measure: string, status: number) =>
    post<{ message: string }>(
      `/api/models/${model}/query`,
      { query: { measures: [measure], by: [] } },
      status,
    );
  expect((await asked('Loans', 422)).message).toMatch(/there is no table loan in .* any more/);
  await asked('Branches', 200);
  db.exec('alter table lent_once rename to loan');
  db.close();
  await asked('Loans', 200);
});
