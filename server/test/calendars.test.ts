import type { CalendarsState } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let server: ApiFixture;
let [libraries, visits] = [0, 0];
const days = (n: number) =>
  `day,year\n${Array.from({ length: n }, (_, i) => `2026-01-${String(i + 1).padStart(2, '0')},2026`).join('\n')}\n`;

beforeAll(async () => {
  server = await startApi();
  libraries = await server.newModel('Libraries');
  visits = await server.newModel('Visits');
  await loadDays(20);
  await edit(libraries, 'a calendar', [
    { do: 'set-table', table: 'calendar', change: { role: 'dimension', key: ['day'] } },
    { do: 'put-calendar', value: { table: 'calendar', day: 'day' } },
  ]);
});
afterAll(() => server.close());

async function loadDays(n: number): Promise<void> {
  const upload = await server.upload('calendar.csv', days(n));
  expect(await server.load(libraries, [await server.orderOf(upload, 'calendar')])).toMatchObject({
    state: 'done',
  });
}
const headOf = async (id: number): Promise<number> => (await server.stateOf(id)).revision.id;
async function edit(id: number, says: string, list: Edit): Promise<void> {
  await server
    .api()
    .post(`/api/models/${id}/edits`)
    .send({ base: await headOf(id), says, edit: list })
    .expect(200);
}
const shared = async (id: number) =>
  (await server.api().get(`/api/models/${id}/calendars`).expect(200)).body as CalendarsState;
const take = async (id: number, order: object) =>
  server
    .api()
    .post(`/api/models/${id}/calendars`)
    .send({ base: await headOf(id), ...order });

test('a calendar is offered to other models, and linked with its rows', async () => {
  expect((await shared(visits)).offered).toEqual([
    { model: libraries, title: 'Libraries', table: 'calendar', day: 'day', rows: 20 },
  ]);
  expect((await take(visits, { model: libraries, table: 'calendar', how: 'link' })).status).toBe(200);
  expect(await server.rowsOf(visits, 'calendar')).toHaveLength(20);
  expect((await shared(visits)).links).toEqual([
    { table: 'calendar', model: libraries, title: 'Libraries', inStep: true },
  ]);
  expect((await shared(libraries)).followers).toEqual([
    { table: 'calendar', model: visits, title: 'Visits' },
  ]);
});

test('a link follows edits and loads; by hand it is not changed, nor loaded', async () => {
  await edit(libraries, 'fiscal', [
    {
      do: 'put-calendar',
      value: { table: 'calendar', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } },
    },
  ]);
  expect((await server.stateOf(visits)).model.calendars).toEqual([
    {
      table: 'calendar',
      day: 'day',
      fiscalYear: { firstMonth: 7, namedBy: 'end' },
      follows: { model: 'libraries', table: 'calendar' },
    },
  ]);
  await loadDays(25);
  expect(await server.rowsOf(visits, 'calendar')).toHaveLength(25);
  const refused = await server
    .api()
    .post(`/api/models/${visits}/edits`)
    .send({
      base: await headOf(visits),
      says: 'x',
      edit: [{ do: 'set-table', table: 'calendar', change: { grain: 'a day' } }],
    });
  expect([refused.status, (refused.body as { message: string }).message]).toEqual([
    422,
    expect.stringContaining('change it there'),
  ]);
  const upload = await server.upload('calendar.csv', days(3));
  const loaded = await server
    .api()
    .post(`/api/models/${visits}/intake`)
    .send({ tables: [await server.orderOf(upload, 'calendar')] });
  expect([loaded.status, (loaded.body as { message: string }).message]).toEqual([
    422,
    expect.stringContaining('load it there'),
  ]);
});

test('a step back out of step is told, and mended', async () => {
  await server
    .api()
    .post(`/api/models/${visits}/undo`)
    .send({ base: await headOf(visits) })
    .expect(200);
  await server
    .api()
    .post(`/api/models/${visits}/undo`)
    .send({ base: await headOf(visits) })
    .expect(200);
  expect((await shared(visits)).links).toMatchObject([{ inStep: false }]);
  const { body } = await server
    .api()
    .post(`/api/models/${visits}/calendars/calendar/follow`)
    .send({})
    .expect(200);
  expect((body as CalendarsState).links).toMatchObject([{ inStep: true }]);
});

test('a copy goes its own way; a link back to where it starts is refused', async () => {
  const third = await server.newModel('Third');
  expect((await take(third, { model: libraries, table: 'calendar', how: 'copy' })).status).toBe(200);
  await edit(third, 'its own', [{ do: 'set-table', table: 'calendar', change: { grain: 'a day of ours' } }]);
  await loadDays(28);
  expect(await server.rowsOf(third, 'calendar')).toHaveLength(25);
  expect((await shared(third)).links).toEqual([]);
  const back = await take(libraries, { model: visits, table: 'calendar', how: 'link' });
  expect([back.status, (back.body as { message: string }).message]).toEqual([
    422,
    expect.stringContaining('follows a calendar of this model'),
  ]);
  expect((await take(third, { model: libraries, table: 'nothing', how: 'link' })).status).toBe(404);
  expect((await take(third, { model: third, table: 'calendar', how: 'copy' })).status).toBe(422);
  const stale = await server
    .api()
    .post(`/api/models/${third}/calendars`)
    .send({ base: 1, model: libraries, table: 'calendar', how: 'copy' });
  expect(stale.status).toBe(409);
});

test('a model that goes leaves the calendar that followed it as it was', async () => {
  await server.api().delete(`/api/models/${libraries}`).expect(200);
  expect((await shared(visits)).links).toEqual([
    { table: 'calendar', model: null, title: 'libraries', inStep: false },
  ]);
  expect(await server.rowsOf(visits, 'calendar')).toHaveLength(28);
  expect((await server.api().post(`/api/models/${visits}/calendars/calendar/follow`).send({})).status).toBe(
    422,
  );
});
