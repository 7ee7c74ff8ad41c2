import type { ModelVersion } from '../src/store/index.ts';
import { WorkFault } from '../src/threads/workFault.ts';
import { WarmUp } from '../src/warmUp.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

// A model that is opened is got ready while nobody asks; whatever is asked goes first.

const version = (versions: Record<string, string>): ModelVersion =>
  ({ workspace: 'w', modelId: 1, revision: 1, document: '', versions, day: '2026-03-01' }) as ModelVersion;
const waited = (ms: number) => new Promise((done) => setTimeout(done, ms));
const until = async (isSo: () => boolean): Promise<void> => {
  while (!isSo()) await waited(5);
};

/** Threads that end the first tasks early, and note what they ran. */
function threads(ending: number) {
  const ran: ModelVersion[] = [];
  return {
    ran,
    runIdle: (_kind: 'warmUp', input: ModelVersion) => {
      ran.push(input);
      return ran.length <= ending
        ? Promise.reject(new WorkFault('something was asked', 'given-up'))
        : Promise.resolve(3);
    },
  };
}

test('what a question ended is begun anew once it is quiet; rows that are ready are left alone', async () => {
  const bugs: unknown[] = [];
  const idle = threads(2);
  let versions: Record<string, string> = { loan: 'a' };
  const warmUp = new WarmUp(
    idle,
    () => version(versions),
    (error) => bugs.push(error),
    5,
  );
  warmUp.open(1);
  await until(() => idle.ran.length >= 3);
  expect(idle.ran).toHaveLength(3);
  warmUp.open(1);
  await waited(40);
  expect(idle.ran).toHaveLength(3);
  versions = { loan: 'b' };
  warmUp.open(1);
  await until(() => idle.ran.length >= 4);
  expect(idle.ran.map((one) => one.versions)).toEqual([
    { loan: 'a' },
    { loan: 'a' },
    { loan: 'a' },
    { loan: 'b' },
  ]);
  expect(bugs).toEqual([]);
});

test('a model that is gone meanwhile is no fault; a fault of the threads is told', async () => {
  const bugs: unknown[] = [];
  const gone = new WarmUp(
    threads(0),
    () => undefined,
    (error) => bugs.push(error),
    5,
  );
  gone.open(1);
  await waited(30);
  expect(bugs).toEqual([]);
  const broken = { runIdle: () => Promise.reject(new Error('no memory')) };
  const told = new WarmUp(
    broken,
    () => version({}),
    (error) => bugs.push(error),
    5,
  );
  told.open(1);
  await until(() => bugs.length > 0);
  expect(bugs).toEqual([new Error('no memory')]);
});

describe('on the threads of a server', () => {
  let fixture: ApiFixture;
  beforeAll(async () => {
    fixture = await startApi();
  });
  afterAll(() => fixture.close());

  test('a question that is asked ends what runs idly, and is answered', async () => {
    const model = await fixture.newModel('many');
    const lines = Array.from({ length: 250_000 }, (_, i) => `${i},${i % 7}`).join('\n');
    const upload = await fixture.upload('loan.csv', `id,copies\n${lines}\n`);
    await fixture.load(model, [{ ...(await fixture.orderOf(upload, 'loan')), mode: 'replace' }]);
    const measures = Array.from({ length: 60 }, (_, i) => ({
      name: `M${i}`,
      formula: `sum(loan.copies * ${i + 1})`,
    }));
    const { revision } = await fixture.stateOf(model);
    const edit = measures.map((value) => ({ do: 'put-measures', name: null, value }));
    await fixture
      .api()
      .post(`/api/models/${model}/edits`)
      .send({ base: revision.id, edit, says: 'added measures' })
      .expect(200);
    const { pool } = fixture.workspace;
    const input = fixture.workspace.task(model);
    await pool.run('query', { query: { measures: ['M0'] }, texts: 'counting', ...input });
    const idle = pool.runIdle('warmUp', input);
    const asked = pool.run('query', { query: { measures: ['M1'] }, texts: 'counting', ...input });
    await expect(idle).rejects.toMatchObject({ fault: 'given-up' });
    expect((await asked).rows).toHaveLength(1);
    // Claims are judged meanwhile, which goes first, too: in the end all of it is done.
    const done = async (): Promise<number> =>
      pool.runIdle('warmUp', input).catch((error: unknown) => {
        if (error instanceof WorkFault && error.fault === 'given-up') return waited(50).then(done);
        throw error;
      });
    expect(await done()).toBe(60);
    expect(fixture.logged).toEqual([]);
  });
});
