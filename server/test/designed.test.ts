import type { ClaimsState } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

// Tables that are designed before there are rows, and get them from a file.

let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi();
});
afterAll(() => fixture.close());

const DESIGN = [
  {
    do: 'put-tables',
    name: null,
    value: {
      name: 'branch',
      role: 'dimension',
      key: ['branch_code'],
      columns: [
        { name: 'branch_code', type: 'text', length: 8, use: 'key' },
        { name: 'area', type: 'decimal(9,2)' },
      ],
    },
  },
  { do: 'put-measures', name: null, value: { name: 'Areas', formula: 'sum(branch.area)' } },
];

async function claimsOf(model: number): Promise<Record<string, string>> {
  for (;;) {
    const { body } = await fixture.api().get(`/api/models/${model}/claims`).expect(200);
    const { done, claims } = body as ClaimsState;
    if (done) return Object.fromEntries(claims.map((c) => [c.id, c.verdict]));
    await new Promise((resume) => setTimeout(resume, 20));
  }
}

test('a file is laid onto a design: rows, verdicts, undo and redo', async () => {
  const model = await fixture.newModel('Designed');
  const base = (await fixture.stateOf(model)).revision.id;
  await fixture
    .api()
    .post(`/api/models/${model}/edits`)
    .send({ base, edit: DESIGN, says: 'design' })
    .expect(200);
  expect((await claimsOf(model))['key-unique:branch']).toBe('unchecked');
  const { body: refused } = await fixture
    .api()
    .post(`/api/models/${model}/query`)
    .send({ query: { measures: ['Areas'] } });
  expect(JSON.stringify(refused)).toContain('no rows yet');

  const upload = await fixture.upload('places.csv', 'branch_code,area,floor\nA,1.5,2\nB,2.25,1\n');
  const job = await fixture.load(model, [await fixture.orderOf(upload, 'branch')]);
  expect(job.state).toBe('done');
  expect(await fixture.rowsOf(model, 'branch')).toEqual([
    ['A', '1.50', 2],
    ['B', '2.25', 1],
  ]);
  const after = await fixture.stateOf(model);
  expect(after.model.tables[0]).toMatchObject({
    role: 'dimension',
    key: ['branch_code'],
    source: { file: 'places.csv' },
  });
  expect(after.stored.map((s) => s.name)).toEqual(['branch']);
  const claims = await claimsOf(model);
  expect(claims['key-unique:branch']).toBe('holds');
  expect(Object.values(claims)).not.toContain('unchecked');

  // Back to the design, and forth.
  await fixture.api().post(`/api/models/${model}/undo`).send({ base: after.revision.id }).expect(200);
  const undone = await fixture.stateOf(model);
  expect(undone.model.tables[0]!.source).toBeUndefined();
  expect((await claimsOf(model))['key-unique:branch']).toBe('unchecked');
  await fixture.api().post(`/api/models/${model}/redo`).send({ base: undone.revision.id }).expect(200);
  expect(await fixture.rowsOf(model, 'branch')).toHaveLength(2);
  expect((await claimsOf(model))['key-unique:branch']).toBe('holds');
});

test('the tables of a SQL file are read through the server', async () => {
  const { body } = await fixture
    .api()
    .post('/api/designs')
    .send({ sql: 'create table t (a int primary key)' })
    .expect(200);
  expect(body).toEqual({
    tables: [
      { name: 't', role: 'dimension', key: ['a'], columns: [{ name: 'a', type: 'integer', use: 'key' }] },
    ],
    relationships: [],
    notes: [],
  });
});
