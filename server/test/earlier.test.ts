import type { HistoryEntry, QueryState } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

// A question to an earlier revision: on the rows of today, and on those that it stood on.

let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi();
});
afterAll(() => fixture.close());
const api = () => fixture.api();

const load = async (model: number, ids: readonly number[]) => {
  const upload = await fixture.upload('loan.csv', `id,copies\n${ids.map((i) => `${i},2`).join('\n')}\n`);
  const job = await fixture.load(model, [{ ...(await fixture.orderOf(upload, 'loan')), mode: 'replace' }]);
  expect(job.state).toBe('done');
};
const edit = async (model: number, made: unknown) => {
  const { revision } = await fixture.stateOf(model);
  await api()
    .post(`/api/models/${model}/edits`)
    .send({ base: revision.id, edit: made, says: 'an act' })
    .expect(200);
};
const revisionNow = async (model: number) => (await fixture.stateOf(model)).revision.id;
const asked = (model: number, measure: string, more: object) =>
  api()
    .post(`/api/models/${model}/query`)
    .send({ query: { measures: [measure] }, ...more });

test('an earlier revision is asked on rows of now and of then, until those are gone', async () => {
  const model = await fixture.newModel('earlier');
  await load(model, [1, 2, 3]);
  const value = { name: 'Copies', formula: 'sum(loan.copies)' };
  await edit(model, [{ do: 'put-measures', name: null, value }]);
  const then = await revisionNow(model);
  await load(model, [1, 2, 3, 4, 5]);
  await edit(model, [{ do: 'rename', of: { measure: 'Copies' }, to: 'All copies' }]);

  const total = async (measure: string, more: object) => {
    const { body } = await asked(model, measure, more).expect(200);
    return (body as QueryState).rows[0]![0];
  };
  expect(await total('All copies', {})).toBe(10);
  expect(await total('Copies', { revision: then })).toBe(10);
  expect(await total('Copies', { revision: then, rows: 'then' })).toBe(6);
  // The measure has its old name then, and its new one now.
  const { body: fault } = await asked(model, 'All copies', { revision: then }).expect(422);
  expect((fault as { message: string }).message).toContain('there is no measure "All copies"');

  const keep = { versions: 1, days: 0, bytes: 0 };
  await api().put('/api/settings').send({ naming: 'as they are', keep }).expect(200);
  await load(model, [1]);
  let gone = await asked(model, 'Copies', { revision: then, rows: 'then' });
  // Rows that are not kept are removed when nobody waits for it.
  for (let i = 0; gone.status === 200 && i < 200; i++) {
    await new Promise((resume) => setTimeout(resume, 20));
    gone = await asked(model, 'Copies', { revision: then, rows: 'then' });
  }
  expect(gone.status).toBe(409);
  expect((gone.body as { message: string }).message).toContain('have been removed to make room');
});

test('a revision of another model is none of this one', async () => {
  const [one, other] = [await fixture.newModel('one'), await fixture.newModel('other')];
  const { body: history } = await api().get(`/api/models/${other}/history`).expect(200);
  const { body } = await asked(one, 'Loans', { revision: (history as HistoryEntry[])[0]!.id }).expect(404);
  expect((body as { message: string }).message).toMatch(/^model \d+ has no revision \d+$/);
});
