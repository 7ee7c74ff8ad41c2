import type { JobState, LoadsState } from '@crease/contract';
import { loadByRecipe } from '../src/index.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const COLUMNS = [
  { name: 'no', fileName: 'no', type: 'integer' },
  { name: 'day', fileName: 'day', type: 'date', pattern: 'yyyy-MM-dd' },
];

async function load(id: number, text: string, change: object = {}): Promise<JobState> {
  const upload = await fixture.upload('loan.csv', text);
  return fixture.load(id, [{ upload, name: 'loan', dialect: DIALECT, columns: COLUMNS, ...change }]);
}

async function edit(id: number, change: object): Promise<void> {
  const { revision } = await fixture.stateOf(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({ base: revision.id, edit: [{ do: 'set-table', table: 'loan', change }], says: 'edit' })
    .expect(200);
}

/** Two loans with a key. */
async function loans(title: string): Promise<number> {
  const id = await fixture.newModel(title);
  await load(id, 'no,day\n1,2024-03-01\n2,2025-03-01\n');
  await edit(id, { key: ['no'] });
  return id;
}

const rows = async (id: number) => (await fixture.rowsOf(id, 'loan')).map((r) => r.join(' ')).sort();
const FIRST = ['1 2024-03-01', '2 2025-03-01'];
const log = async (id: number) =>
  ((await api().get(`/api/models/${id}/loads`).expect(200)).body as LoadsState).log;

test('rows that would break a blocking claim never become visible, and the log says which', async () => {
  const id = await loans('stopped');
  const { revision } = await fixture.stateOf(id);
  const job = await load(id, 'no,day\n3,2025-04-01\n3,2025-04-02\n', { broken: 'stop', recipe: 'loans' });
  expect(job.state).toBe('failed');
  expect(job.faults[0]).toContain('it would break key-unique:loan (2 of 2 rows of loan share their no');
  expect([await rows(id), (await fixture.stateOf(id)).revision.id]).toEqual([FIRST, revision.id]);
  const [entry] = await log(id);
  expect([entry!.outcome, entry!.table, entry!.message]).toEqual([
    'failed',
    'loan',
    expect.stringContaining('key-unique:loan'),
  ]);
  // The same rows are stored where that is told afterwards, and by default.
  expect((await load(id, 'no,day\n3,2025-04-01\n3,2025-04-02\n')).state).toBe('done');
  expect(await rows(id)).toEqual(['3 2025-04-01', '3 2025-04-02']);
});

test('what is broken before stops nothing; a value of no type does, as it is stored', async () => {
  const id = await loans('before');
  await load(id, 'no,day\n3,2025-04-01\n3,2025-04-02\n');
  expect((await load(id, 'no,day\n4,2025-04-01\n4,2025-04-02\n', { broken: 'stop' })).state).toBe('done');
  const misfit = await load(id, 'no,day\n5,2025-04-01\n6,soon\n', { broken: 'stop' });
  expect([misfit.state, misfit.faults[0]]).toEqual([
    'failed',
    expect.stringContaining('type-holds:loan.day'),
  ]);
  expect(await rows(id)).toEqual(['4 2025-04-01', '4 2025-04-02']);
  expect((await load(id, 'no,day\n5,2025-04-01\n6,2025-04-02\n', { broken: 'stop' })).state).toBe('done');
});

test('rows that are added, brought on by key, or in parts are judged together with those that stay', async () => {
  const id = await loans('together');
  const added = await load(id, 'no,day\n2,2025-05-01\n', { mode: 'add', broken: 'stop' });
  expect([added.state, await rows(id)]).toEqual(['failed', FIRST]);
  expect((await load(id, 'no,day\n3,2025-05-01\n', { mode: 'add', broken: 'stop' })).state).toBe('done');
  expect((await load(id, 'no,day\n3,2025-06-01\n', { mode: 'update', broken: 'stop' })).state).toBe('done');
  await edit(id, { partition: { by: 'day', every: 'year' } });
  // Its key is in a part that stays.
  const part = await load(id, 'no,day\n1,2025-07-01\n', { mode: 'parts', broken: 'stop' });
  expect([part.state, part.faults[0]]).toEqual(['failed', expect.stringContaining('key-unique:loan')]);
  expect((await load(id, 'no,day\n2,2025-07-01\n', { mode: 'parts', broken: 'stop' })).state).toBe('done');
  expect(await rows(id)).toEqual(['1 2024-03-01', '2 2025-07-01']);
});

test('a recipe keeps it, for whoever runs it unattended', async () => {
  const id = await loans('recipe');
  await load(id, 'no,day\n1,2024-03-01\n2,2025-03-01\n', { broken: 'stop', recipe: 'nightly' });
  const upload = await fixture.upload('loan.csv', 'no,day\n3,2025-04-01\n3,2025-04-02\n');
  const run = loadByRecipe(fixture.workspace, {
    recipe: 'nightly',
    model: String(id),
    upload,
    dryRun: false,
  });
  await expect(run).rejects.toThrow(/key-unique:loan/);
  expect(await rows(id)).toEqual(FIRST);
});
