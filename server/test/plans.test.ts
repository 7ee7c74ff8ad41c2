import { mkdirSync, readFileSync, rmSync, symlinkSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { LoadPlan, PlansState } from '@crease/contract';
import { runPlan } from '../src/index.ts';
import { newestFile } from '../src/loads/planFile.ts';
import { Scheduler } from '../src/loads/scheduler.ts';
import { cronOf, lastDue, nextTimes } from '../src/loads/times.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let now = new Date('2026-03-10T12:00:00Z');
let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi({ now: () => now });
  scheduler = new Scheduler(fixture.workspace);
});
afterAll(() => fixture.close());
const api = () => fixture.api();

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const COLUMNS = [
  { name: 'no', fileName: 'no', type: 'integer' },
  { name: 'copies', fileName: 'copies', type: 'integer' },
];
const csv = (rows: readonly (readonly [number, number])[]) =>
  `no,copies\n${rows.map((r) => r.join(',')).join('\n')}\n`;
const incoming = (name: string) => join(fixture.folder, 'incoming', name);

/** Writes a file into the folder beside the workspace, as another program would; `age` orders files. */
function drop(name: string, rows: readonly (readonly [number, number])[], age = 0): void {
  mkdirSync(join(fixture.folder, 'incoming'), { recursive: true });
  writeFileSync(incoming(name), csv(rows));
  const at = new Date(Date.now() - age * 1000);
  utimesSync(incoming(name), at, at);
}

/** A model with a table and a recipe for it. */
async function withRecipe(title: string): Promise<number> {
  const id = await fixture.newModel(title);
  const upload = await fixture.upload('visit.csv', csv([[1, 5]]));
  await fixture.load(id, [{ upload, name: 'visit', dialect: DIALECT, columns: COLUMNS, recipe: 'Visits' }]);
  return id;
}

const PLAN = { name: 'Night', steps: [{ recipe: 'Visits', file: 'incoming/visit-*.csv' }], pauseSeconds: 0 };
const put = (id: number, plan: object) => api().put(`/api/models/${id}/plans/Night`).send(plan).expect(200);
const state = async (id: number) =>
  (await api().get(`/api/models/${id}/plans`).expect(200)).body as PlansState;
const rowsOf = async (id: number) => (await fixture.rowsOf(id, 'visit')).map((r) => r.join(',')).sort();
let scheduler: Scheduler;

test('a plan is run at its time, from the newest file, once for all the times that were missed', async () => {
  const id = await withRecipe('Times');
  fixture.workspace.settings.timeZone = 'UTC';
  drop('visit-1.csv', [[1, 10]], 60);
  drop('visit-2.csv', [[2, 20]]);
  await put(id, { ...PLAN, at: '0 5 * * *' });
  expect((await state(id)).plans[0]!.next.slice(0, 2)).toEqual([
    '2026-03-11T05:00:00.000Z',
    '2026-03-12T05:00:00.000Z',
  ]);
  await scheduler.look();
  expect(await rowsOf(id)).toEqual(['1,5']);
  now = new Date('2026-03-11T05:00:10Z');
  await scheduler.look();
  expect(await rowsOf(id)).toEqual(['2,20']);
  const [run] = (await state(id)).runs;
  expect(run).toMatchObject({
    by: 'time',
    due: '2026-03-11T05:00:00.000Z',
    outcome: 'done',
    steps: [{ recipe: 'Visits', source: 'visit-2.csv', outcome: 'done', rows: 1, attempts: 1 }],
  });
  await scheduler.look();
  expect((await state(id)).runs).toHaveLength(1);
  // Nobody was there for five days: it is made up for once, and there is nothing new to load.
  now = new Date('2026-03-16T09:00:00Z');
  await scheduler.look();
  const { runs } = await state(id);
  expect(runs).toHaveLength(2);
  expect(runs[0]).toMatchObject({
    due: '2026-03-16T05:00:00.000Z',
    steps: [{ outcome: 'nothing new' }],
  });
  // A paused one waits, and does not make up for it when it goes on.
  await put(id, { ...PLAN, at: '0 5 * * *', isPaused: true });
  now = new Date('2026-03-18T09:00:00Z');
  await scheduler.look();
  await put(id, { ...PLAN, at: '0 5 * * *' });
  await scheduler.look();
  expect((await state(id)).runs).toHaveLength(2);
});

test('times go by the time zone of the workspace, over the change to summer time', () => {
  const zone = 'Europe/Berlin';
  expect(nextTimes('30 3 * * *', zone, new Date('2026-03-27T12:00:00Z')).slice(0, 3)).toEqual([
    '2026-03-28T02:30:00.000Z',
    '2026-03-29T01:30:00.000Z',
    '2026-03-30T01:30:00.000Z',
  ]);
  const due = lastDue('0 5 * * 1', 'UTC', new Date('2026-03-01T00:00:00Z'), new Date('2026-03-20T00:00:00Z'));
  expect(due?.toISOString()).toBe('2026-03-16T05:00:00.000Z');
  expect(lastDue('0 5 1 1 *', 'UTC', new Date('2026-03-01'), new Date('2026-03-20'))).toBeUndefined();
  for (const at of ['', 'noon', '* * * * * *', '61 0 * * *'])
    expect(() => cronOf(at, zone)).toThrow(/no time to run at/);
});

test('a step that fails is tried again with a pause; then the rest is not run, and the log says why', async () => {
  const id = await withRecipe('Retries');
  const plan = {
    name: 'Twice',
    steps: [
      { recipe: 'Visits', file: 'incoming/late-*.csv' },
      { recipe: 'Visits', file: 'incoming/visit-*.csv' },
    ],
    retries: 2,
    pauseSeconds: 30,
    isPaused: false,
  } satisfies LoadPlan;
  const waited: number[] = [];
  const order = { modelId: id, plan, by: 'hand' as const };
  const wait = async (ms: number) => {
    waited.push(ms);
    // It comes late, before the last try.
    if (waited.length === 2) drop('late-1.csv', [[3, 30]]);
  };
  drop('visit-9.csv', [[9, 90]]);
  const { run } = await runPlan(fixture.workspace, order, undefined, undefined, wait);
  expect(waited).toEqual([30_000, 30_000]);
  expect(run.steps.map((s) => [s.outcome, s.attempts])).toEqual([
    ['done', 3],
    ['done', 1],
  ]);
  const gone = { ...plan, steps: [{ recipe: 'Visits', file: 'incoming/none-*.csv' }, plan.steps[1]!] };
  const failing = runPlan(fixture.workspace, { ...order, plan: gone }, undefined, undefined, () =>
    Promise.resolve(),
  );
  await expect(failing).rejects.toThrow(
    /no file in the workspace's folder is called incoming\/none-\*\.csv yet/,
  );
  expect((await state(id)).runs[0]).toMatchObject({
    outcome: 'failed',
    steps: [
      { outcome: 'failed', attempts: 3, message: expect.stringMatching(/none/) as string },
      { outcome: 'not run' },
    ],
  });
  expect(await rowsOf(id)).toEqual(['9,90']);
});

test('a run says which claims it broke and which it mended', async () => {
  const id = await withRecipe('Claims');
  const { revision } = await fixture.stateOf(id);
  const edit = [{ do: 'set-table', table: 'visit', change: { key: ['no'], role: 'dimension' } }];
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'key' }).expect(200);
  drop('claims-1.csv', [
    [1, 1],
    [1, 2],
  ]);
  const plan = {
    name: 'Keys',
    steps: [{ recipe: 'Visits', file: 'incoming/claims-*.csv' }],
    retries: 0,
    pauseSeconds: 0,
    isPaused: false,
  };
  const order = { modelId: id, plan, by: 'hand' as const };
  expect((await runPlan(fixture.workspace, order)).run.broken).toEqual(['key-unique:visit']);
  drop('claims-2.csv', [[1, 1]]);
  expect((await runPlan(fixture.workspace, order)).run).toMatchObject({
    broken: [],
    mended: ['key-unique:visit'],
  });
});

test('a plan reads files of the workspace’s folder alone, and says what is wrong with it', async () => {
  const id = await withRecipe('Places');
  const refused = async (change: object, says: RegExp) => {
    const { body, status } = await api()
      .put(`/api/models/${id}/plans/Night`)
      .send({ ...PLAN, ...change });
    expect(status).toBeGreaterThanOrEqual(400);
    expect((body as { message: string }).message).toMatch(says);
  };
  for (const file of ['/etc/passwd', '../visit.csv', 'in*/visit.csv', 'incoming/../../x.csv'])
    await refused({ steps: [{ recipe: 'Visits', file }] }, /within the workspace's folder/);
  await refused({ steps: [{ recipe: 'Nothing', file: 'x.csv' }] }, /no recipe Nothing/);
  await refused({ steps: [{ recipe: 'Visits' }] }, /reads a file: say which/);
  await refused({ at: 'noon' }, /"noon" is no time to run at/);
  // A link that leads out of the folder is no file of it.
  drop('linked-1.csv', [[1, 1]], 100);
  symlinkSync('/etc/hostname', incoming('linked-2.csv'));
  expect(newestFile(fixture.workspace.file, 'incoming/linked-*.csv').path).toMatch(/linked-1\.csv$/);
  await put(id, PLAN);
  await put(id, { ...PLAN, name: 'Evening' });
  expect((await state(id)).plans.map((p) => p.plan.name)).toEqual(['Evening']);
  await api().delete(`/api/models/${id}/plans/Evening`).expect(200);
  await api().delete(`/api/models/${id}/plans/Evening`).expect(404);
  await api().post(`/api/models/${id}/plans/Evening/run`).expect(404);
});

test('a run is told as the file of the account says; what goes wrong there ends nothing and is said', async () => {
  const id = await withRecipe('told');
  writeFileSync(incoming('visit-told.csv'), csv([[1, 5]]));
  await put(id, PLAN);
  const place = join(fixture.folder, 'elsewhere');
  mkdirSync(place, { recursive: true });
  const [after, out] = [join(place, 'after-plan.json'), join(place, 'told.json')];
  const program = `require('fs').writeFileSync(process.argv[1], require('fs').readFileSync(0))`;
  writeFileSync(after, JSON.stringify({ command: [process.execPath, '-e', program, out] }), { mode: 0o600 });
  const plan = (await state(id)).plans[0]!.plan;
  const first = await runPlan(fixture.workspace, { modelId: id, plan, by: 'hand' });
  expect(first.warnings).toEqual([]);
  expect(JSON.parse(readFileSync(out, 'utf8'))).toMatchObject({ plan: 'Night', outcome: 'done' });
  writeFileSync(after, 'nonsense');
  const second = await runPlan(fixture.workspace, { modelId: id, plan, by: 'hand' });
  expect(second.warnings).toEqual([expect.stringContaining('is no JSON')]);
  rmSync(after);
});
