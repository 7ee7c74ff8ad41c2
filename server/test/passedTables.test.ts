import type { ClaimsState, ModelState } from '@crease/contract';
import type { Proposal } from '@crease/core/propose';
import type { Edit } from '@crease/core/edit';
import type { Answer } from '@crease/core/query';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import type { Cluster } from './postgresql.ts';
import { startPostgresql } from './postgresql.ts';

// Tables whose rows stay in their database, through the application's own doors.

let fixture: ApiFixture;
let cluster: Cluster;

const SCHEMA = `
  create table branch (code text primary key, name text not null, region text);
  create table loan (id int primary key, branch_code text references branch (code), lent_on date, fine numeric(8,2));
  create table staff (no int primary key, full_name text, boss int references staff);
  insert into branch values ('A', 'Ash', 'North'), ('B', 'Birch', 'North'), ('C', 'Cedar', 'South');
  insert into loan select i, (array['A', 'B', 'C'])[i % 3 + 1], date '2026-01-01' + i % 90, (i % 5) * 0.25 from generate_series(1, 3000) i;
  insert into staff values (1, 'Ada', null), (2, 'Bo', 1), (3, 'Cy', 1)`;

beforeAll(async () => {
  fixture = await startApi();
  cluster = await startPostgresql();
  await cluster.client.query(SCHEMA);
  await fixture
    .api()
    .put('/api/connections')
    .send({ kind: 'postgresql', name: 'warehouse', ...cluster.place })
    .expect(200);
});
afterAll(async () => {
  await fixture.close();
  await cluster.stop();
});

const post: ApiFixture['post'] = (...asked) => fixture.post(...asked);
const get: ApiFixture['get'] = (path) => fixture.get(path);

const edit = (model: number, acts: Edit) => fixture.edit(model, acts);
const judged = (model: number) => fixture.judged(model);

const claim = ({ claims }: ClaimsState, id: string) => {
  const found = claims.find((c) => c.id === id);
  if (!found) throw new TypeError(`there is no claim ${id}`);
  return found;
};

/** A model over the three tables, with what the draft proposes. */
async function passedModel(): Promise<number> {
  const model = await fixture.newModel('Passed through');
  const order = {
    connection: 'warehouse',
    tables: ['branch', 'loan', 'staff'].map((table) => ({ schema: 'public', table })),
  };
  const { tables } = await post<{ tables: string[] }>(`/api/models/${model}/passed-through`, order);
  expect(tables).toEqual(['branch', 'loan', 'staff']);
  const { proposals } = await get<{ proposals: Proposal[] }>(`/api/models/${model}/proposals`);
  for (const p of proposals) await edit(model, p.edit);
  return model;
}

const byRegion = { query: { measures: ['Fines'], by: ['branch.region'], totals: true } };

test('a star is drafted, asked and checked, and no row is brought in', async () => {
  const model = await passedModel();
  const { model: made, stored } = await get<ModelState>(`/api/models/${model}`);
  expect(stored).toEqual([]);
  expect(made.tables.map((t) => [t.name, t.role, t.held, t.key])).toEqual([
    ['branch', 'dimension', false, ['code']],
    ['loan', 'fact', false, ['id']],
    ['staff', 'dimension', false, ['no']],
  ]);
  expect(made.relationships?.map((r) => r.name)).toEqual(['loan_branch']);
  await edit(model, [
    { do: 'put-measures', name: null, value: { name: 'Fines', formula: 'sum(loan.fine)' } },
  ]);
  const answer = await post<Answer>(`/api/models/${model}/query`, byRegion);
  expect([answer.rows, answer.totals]).toEqual([
    [
      ['North', '1000.00'],
      ['South', '500.00'],
    ],
    ['1500.00'],
  ]);
  const behind = await post<{ aggregates: object[] }>(`/api/models/${model}/rows-behind`, {
    query: byRegion.query,
    cells: [{ measure: 'Fines', by: ['South'] }],
    limit: 2,
  });
  expect(behind.aggregates).toMatchObject([
    { table: 'loan', more: 998, sum: '500.00', of: '500.00', rows: [[2, 'C', '2026-01-03', '0.50'], {}] },
  ]);
  const cell = { measure: 'Fines', members: ['South'] };
  const why = await post<{ message: string }>(
    `/api/models/${model}/trace`,
    { query: byRegion.query, cell },
    422,
  );
  expect(why.message).toContain('the rows behind the number show what it is made of');
  const claims = await judged(model);
  expect(claims.failure).toBeUndefined();
  expect(claims.claims.filter((c) => c.verdict === 'unchecked').map((c) => c.id)).toEqual([]);
  expect(claim(claims, 'reference-complete:loan_branch').evidence).toMatchObject({
    checked: 3000,
    against: 0,
  });
});

test('columns, rows, values, matches and members are shown before anybody relates anything', async () => {
  const model = await passedModel();
  const facts = await get<{ name: string }[]>(`/api/models/${model}/tables/branch/columns`);
  expect(facts.find((f) => f.name === 'region')).toMatchObject({
    rows: 3,
    nulls: 0,
    distinct: 2,
    least: 'North',
    greatest: 'South',
    frequent: [
      { value: 'North', rows: 2 },
      { value: 'South', rows: 1 },
    ],
  });
  const page = await get<{ rows: unknown[][]; total: number }>(
    `/api/models/${model}/tables/loan/rows?offset=10&count=2`,
  );
  expect([page.total, page.rows.length, page.rows[0]![0]]).toEqual([3000, 2, 11]);
  const values = await get<{ values: object[] }>(`/api/models/${model}/values?column=branch.name&search=C`);
  expect(values.values).toEqual([
    { value: 'Birch', rows: 1 },
    { value: 'Cedar', rows: 1 },
  ]);
  const match = await post<object>(`/api/models/${model}/match`, {
    from: { table: 'loan', columns: ['branch_code'] },
    to: { table: 'branch', columns: ['code'] },
  });
  expect(match).toMatchObject({
    rows: 3000,
    matched: 3000,
    fromDistinct: 3,
    toUnique: true,
    fromUnique: false,
    orphans: [],
  });
  const members = await post<{ members: { label: string; children: number }[] }>(
    `/api/models/${model}/members`,
    {
      hierarchy: { name: 'tried', table: 'staff', parent: 'boss', label: 'full_name' },
      path: [],
    },
  );
  expect(members.members).toMatchObject([{ label: 'Ada', children: 2 }]);
});

test('claims are judged again where rows have changed, and a flaw is found', async () => {
  const model = await passedModel();
  expect(claim(await judged(model), 'key-unique:branch').verdict).toBe('holds');
  await cluster.client.query(`alter table loan drop constraint loan_branch_code_fkey;
    insert into loan values (90001, 'Z', '2026-02-01', 1)`);
  // The server tells its counts of changes to others when a session comes to rest.
  await cluster.client.query('select pg_stat_force_next_flush()');
  await cluster.client.query('select 1');
  await post(`/api/models/${model}/claims/judge`, {});
  const found = claim(await judged(model), 'reference-complete:loan_branch');
  expect([found.verdict, found.evidence.against, found.evidence.sample]).toEqual([
    'broken',
    1,
    [{ values: { branch_code: 'Z' }, rows: 1 }],
  ]);
  await cluster.client.query(`delete from loan where id = 90001`);
});

test('views and partitions have no counts of their own: their claims follow the rows all the same', async () => {
  await cluster.client.query(`
    create table shelf (code text, branch_code text) partition by list (branch_code);
    create table shelf_a partition of shelf for values in ('A');
    create table shelf_b partition of shelf for values in ('B');
    insert into shelf values ('s1', 'A'), ('s2', 'B');
    create view shelf_seen as select code, branch_code from shelf`);
  const model = await fixture.newModel('Seen and divided');
  await post(`/api/models/${model}/passed-through`, {
    connection: 'warehouse',
    tables: ['shelf', 'shelf_seen'].map((table) => ({ schema: 'public', table })),
  });
  for (const table of ['shelf', 'shelf_seen'])
    await edit(model, [{ do: 'set-table', table, change: { key: ['code'] } }]);
  const verdicts = async () => {
    const state = await judged(model);
    return ['key-unique:shelf', 'key-unique:shelf_seen'].map((id) => claim(state, id).verdict);
  };
  expect(await verdicts()).toEqual(['holds', 'holds']);
  await cluster.client.query(`insert into shelf values ('s1', 'B')`);
  await cluster.client.query('select pg_stat_force_next_flush()');
  await cluster.client.query('select 1');
  await post(`/api/models/${model}/claims/judge`, {});
  expect(await verdicts()).toEqual(['broken', 'broken']);
});

test('a table that has gone from its database is said to be gone', async () => {
  await cluster.client.query(`create table fee (no int, fine numeric(8,2)); insert into fee values (1, 2)`);
  const model = await fixture.newModel('Gone');
  await post(`/api/models/${model}/passed-through`, {
    connection: 'warehouse',
    tables: ['fee', 'branch'].map((table) => ({ schema: 'public', table })),
  });
  await edit(model, [{ do: 'put-measures', name: null, value: { name: 'Fees', formula: 'sum(fee.fine)' } }]);
  const query = { query: { measures: ['Fees'], by: [] } };
  expect((await post<Answer>(`/api/models/${model}/query`, query)).rows).toEqual([['2.00']]);
  await cluster.client.query('drop table fee');
  const { message } = await post<{ message: string }>(`/api/models/${model}/query`, query, 422);
  expect(message).toContain('fee is not in warehouse any more');
});

test('a model over two databases is judged in each, also where one is gone', async () => {
  const other = { kind: 'postgresql', name: 'archive', ...cluster.place };
  await fixture.api().put('/api/connections').send(other).expect(200);
  const model = await fixture.newModel('Two databases');
  for (const [connection, table] of [
    ['archive', 'branch'],
    ['warehouse', 'staff'],
  ])
    await post(`/api/models/${model}/passed-through`, { connection, tables: [{ schema: 'public', table }] });
  await edit(model, [{ do: 'set-table', table: 'branch', change: { key: ['code'] } }]);
  await edit(model, [{ do: 'set-table', table: 'staff', change: { key: ['no'] } }]);
  const verdicts = async () => {
    const state = await judged(model);
    expect(state.failure).toBeUndefined();
    return ['key-unique:branch', 'key-unique:staff'].map((id) => claim(state, id).verdict);
  };
  expect(await verdicts()).toEqual(['holds', 'holds']);
  await fixture
    .api()
    .put('/api/connections')
    .send({ ...other, port: 1 })
    .expect(200);
  await post(`/api/models/${model}/claims/judge`, {});
  expect(await verdicts()).toEqual(['unchecked', 'holds']);
  const { evidence } = claim(await judged(model), 'key-unique:branch');
  // What keeps it open is that its database is gone, not what the other one says of it.
  expect(evidence.notes?.join()).not.toMatch(/lies in another database/);
});

test('a table that is held without rows leaves its claims open, and those of the others are judged', async () => {
  const model = await passedModel();
  await edit(model, [{ do: 'set-table', table: 'branch', change: { held: true } }]);
  const state = await judged(model);
  expect(state.failure).toBeUndefined();
  const reference = claim(state, 'reference-complete:loan_branch');
  expect([reference.verdict, reference.evidence.reason?.code]).toEqual(['unchecked', 'not-loaded']);
  expect(claim(state, 'key-unique:staff').verdict).toBe('holds');
});

test('a table is held instead and passed through again, with the same answers', async () => {
  const model = await passedModel();
  await edit(model, [
    { do: 'put-measures', name: null, value: { name: 'Fines', formula: 'sum(loan.fine)' } },
  ]);
  const there = await post<Answer>(`/api/models/${model}/query`, byRegion);
  for (const table of ['loan', 'branch']) {
    await edit(model, [{ do: 'set-table', table, change: { held: true } }]);
    const [sample] = await post<{ id: string }[]>('/api/connections/warehouse/sample', {
      tables: [{ schema: 'public', table }],
    });
    const job = await fixture.load(model, [await fixture.orderOf(sample!.id, table)]);
    expect(job.state).toBe('done');
  }
  const here = await post<Answer>(`/api/models/${model}/query`, byRegion);
  expect([here.rows, here.totals]).toEqual([there.rows, there.totals]);
  await edit(model, [{ do: 'set-table', table: 'loan', change: { held: false } }]);
  // The branches that are held travel along.
  const mixed = await post<Answer>(`/api/models/${model}/query`, byRegion);
  expect([mixed.rows, mixed.totals]).toEqual([there.rows, there.totals]);
});

test('a database that has gone is said on claims and questions, and what is known stays', async () => {
  const model = await passedModel();
  await judged(model);
  await fixture
    .api()
    .put('/api/connections')
    .send({ kind: 'postgresql', name: 'warehouse', ...cluster.place, port: 1 })
    .expect(200);
  await edit(model, [
    { do: 'put-measures', name: null, value: { name: 'Fines', formula: 'sum(loan.fine)' } },
  ]);
  const { message } = await post<{ message: string }>(`/api/models/${model}/query`, byRegion, 422);
  expect(message).toContain('nothing answers');
  const lost = claim(await judged(model), 'reference-complete:loan_branch');
  expect([lost.verdict, lost.evidence.notes]).toEqual([
    'unchecked',
    [expect.stringContaining('nothing answers')],
  ]);
  await fixture
    .api()
    .put('/api/connections')
    .send({ kind: 'postgresql', name: 'warehouse', ...cluster.place })
    .expect(200);
  await post(`/api/models/${model}/claims/judge`, {});
  expect(claim(await judged(model), 'reference-complete:loan_branch').verdict).not.toBe('unchecked');
});
