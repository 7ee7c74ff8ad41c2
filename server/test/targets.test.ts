import { existsSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ClaimsState, JobState, ReleaseEntry, ReleasePlan } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const COLUMNS = [
  { name: 'no', fileName: 'no', type: 'integer' },
  { name: 'copies', fileName: 'copies', type: 'integer' },
];

async function load(id: number, text: string): Promise<void> {
  const upload = await fixture.upload('loan.csv', text);
  await fixture.load(id, [{ upload, name: 'loan', dialect: DIALECT, columns: COLUMNS }]);
}

/** Loans with a measure, and a target. */
async function loans(title: string, target: object): Promise<number> {
  const id = await fixture.newModel(title);
  await load(id, 'no,copies\n1,2\n2,3\n');
  const { revision } = await fixture.stateOf(id);
  const edit = [
    { do: 'set-table', table: 'loan', change: { key: ['no'], role: 'fact' } },
    { do: 'put-measures', name: null, value: { name: 'Copies', formula: 'sum(loan.copies)' } },
    { do: 'put-targets', name: null, value: target },
  ];
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'edit' }).expect(200);
  await judged(id);
  return id;
}

async function judged(id: number): Promise<void> {
  for (;;) {
    const { done } = (await api().get(`/api/models/${id}/claims`).expect(200)).body as ClaimsState;
    if (done) return;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

const release = async (id: number, body: object = {}): Promise<JobState> =>
  fixture.settled(
    (
      await api()
        .post(`/api/models/${id}/releases`)
        .send({ target: 'local', author: 'Ida', ...body })
        .expect(200)
    ).body as JobState,
  );
const log = async (id: number) =>
  (await api().get(`/api/models/${id}/releases`).expect(200)).body as ReleaseEntry[];
const at = <T>(file: string, sql: string): T => {
  const db = new Database(join(fixture.folder, file), { readonly: true });
  try {
    return db.prepare(sql).pluck().get() as T;
  } finally {
    db.close();
  }
};

test('a target is planned, released to as a job, and the release is remembered here and there', async () => {
  const id = await loans('released', { name: 'local', kind: 'sqlite', file: 'out/library.sqlite' });
  const plan = (await api().post(`/api/models/${id}/releases/plan`).send({ target: 'local' }).expect(200))
    .body as ReleasePlan;
  expect(plan.items.map((i) => [i.action, i.object, i.rows])).toEqual([['create', 'table loan', 2]]);
  expect(existsSync(join(fixture.folder, 'out'))).toBe(false);
  const job = await release(id);
  expect([job.state, job.detail]).toEqual([
    'done',
    expect.stringMatching(/^release 1 to local done: \d+ questions and 1 tables compared, all equal$/),
  ]);
  expect(at('out/library.sqlite', 'select sum(copies) from loan')).toBe(5);
  const { revision } = await fixture.stateOf(id);
  expect(at('out/library.sqlite', 'select revision from crease_release')).toBe(revision.number);
  await load(id, 'no,copies\n1,2\n2,3\n3,4\n');
  await judged(id);
  await release(id);
  expect(at('out/library.sqlite', 'select sum(copies) from loan')).toBe(9);
  expect((await log(id)).map((e) => [e.release, e.outcome, e.author, e.rows])).toEqual([
    [2, 'done', 'Ida', 3],
    [1, 'done', 'Ida', 2],
  ]);
});

test('an earlier release is had back: its revision, on the rows that it stood on', async () => {
  const id = await loans('back', { name: 'local', kind: 'sqlite', file: 'out/back.sqlite' });
  await release(id);
  const { number } = (await fixture.stateOf(id)).revision;
  await load(id, 'no,copies\n1,2\n2,3\n3,4\n');
  const { revision } = await fixture.stateOf(id);
  const edit = [{ do: 'put-measures', name: 'Copies', value: { name: 'All', formula: 'sum(loan.copies)' } }];
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'edit' }).expect(200);
  await judged(id);
  await release(id);
  expect(at('out/back.sqlite', 'select sum(copies) from loan')).toBe(9);
  expect(at('out/back.sqlite', 'select name from crease_measure')).toBe('All');
  const back = await release(id, { revision: number });
  expect([back.state, back.faults]).toEqual(['done', []]);
  expect(at('out/back.sqlite', 'select sum(copies) from loan')).toBe(5);
  expect(at('out/back.sqlite', 'select name from crease_measure')).toBe('Copies');
  expect((await log(id)).map((e) => [e.release, e.revision])).toEqual([
    [3, number],
    [2, number + 2],
    [1, number],
  ]);
  await api().post(`/api/models/${id}/releases`).send({ target: 'local', revision: 99 }).expect(404);
  // Rows of a release are kept until it is given up; those that have been removed cannot be had back.
  await api().delete(`/api/models/${id}/old-rows`).expect(200);
  expect((await release(id, { revision: number })).state).toBe('done');
  for (const { id: one } of await log(id))
    await api().delete(`/api/models/${id}/releases/${one}`).expect(200);
  await release(id);
  await load(id, 'no,copies\n1,1\n');
  await api().delete(`/api/models/${id}/old-rows`).expect(200);
  const gone = await api().post(`/api/models/${id}/releases`).send({ target: 'local', revision: number });
  expect([gone.status, (gone.body as { message: string }).message]).toEqual([
    409,
    expect.stringContaining('have been removed to make room'),
  ]);
});

test('a blocking claim refuses; a place outside of the workspace, or one of others, fails and is remembered', async () => {
  const id = await loans('refused', { name: 'local', kind: 'sqlite', file: '../away.sqlite' });
  const away = await release(id);
  expect([away.state, away.faults[0]]).toEqual(['failed', expect.stringContaining('outside of the model')]);
  const { revision } = await fixture.stateOf(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({
      base: revision.id,
      edit: [
        { do: 'put-targets', name: 'local', value: { name: 'local', kind: 'sqlite', file: 'w.sqlite' } },
      ],
      says: 'edit',
    })
    .expect(200);
  await judged(id);
  const own = await release(id);
  expect([own.state, own.faults[0]]).toEqual([
    'failed',
    expect.stringContaining('without a record of Crease'),
  ]);
  expect((await log(id)).map((e) => e.outcome)).toEqual(['failed', 'failed']);
  await load(id, 'no,copies\n1,2\n1,3\n');
  await judged(id);
  const blocked = await api().post(`/api/models/${id}/releases`).send({ target: 'local' }).expect(409);
  expect((blocked.body as { message: string }).message).toContain('key-unique:loan');
  await api().post(`/api/models/${id}/releases`).send({ target: 'nowhere' }).expect(404);
});
