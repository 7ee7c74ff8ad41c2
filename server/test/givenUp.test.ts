import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

// A question that nobody waits for any more ends; the thread is free for the next one.

let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi();
});
afterAll(() => fixture.close());

const ROWS = 5_000;
const COUNT = { measures: [{ column: 'loan.copies', aggregate: 'count' as const }] };

async function loaded(): Promise<number> {
  const model = await fixture.newModel('many');
  const lines = Array.from({ length: ROWS }, (_, i) => `${i},${i % 7}`).join('\n');
  const upload = await fixture.upload('loan.csv', `id,copies\n${lines}\n`);
  const job = await fixture.load(model, [{ ...(await fixture.orderOf(upload, 'loan')), mode: 'replace' }]);
  expect(job.state).toBe('done');
  return model;
}

test('questions given up before their turn end as given up, and the next one is answered', async () => {
  const model = await loaded();
  const { pool } = fixture.workspace;
  const input = { query: COUNT, texts: 'counting' as const, ...fixture.workspace.task(model) };
  const controller = new AbortController();
  const asked = Array.from({ length: 5 }, () => pool.run('query', input, controller.signal));
  controller.abort();
  for (const ended of await Promise.allSettled(asked))
    expect(ended).toMatchObject({ status: 'rejected', reason: { fault: 'given-up' } });
  const { body } = await fixture.api().post(`/api/models/${model}/query`).send({ query: COUNT }).expect(200);
  expect((body as { rows: unknown[][] }).rows).toEqual([[ROWS]]);
  expect(fixture.logged).toEqual([]);
});
