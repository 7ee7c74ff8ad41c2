import { join } from 'node:path';
import request from 'supertest';
import type { QueryState, ReleasedState, ReleasedSummary, ReleaseOfReaders } from '@crease/contract';
import type { RowsBehind } from '@crease/core/rows';
import { serveReadingRoom } from '../src/index.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { edited, libraryModel, loadLoans, LOANS, released } from './releasedModel.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const room = (id: number | string, path = '') => `/api/released/${encodeURIComponent(id)}/Desk${path}`;
const state = async (id: number) => (await api().get(room(id)).expect(200)).body as ReleasedState;
const rowsOf = async (id: number, query: object, more: object = {}) =>
  (
    (
      await api()
        .post(room(id, '/query'))
        .send({ query, ...more })
        .expect(200)
    ).body as QueryState
  ).rows;
const message = (answer: request.Response) => (answer.body as { message: string }).message;
const BY_TOWN = { by: ['branch.town'], measures: ['Copies'] };

test('nothing can be seen before a release; then its own revision and rows, whatever happens to the model', async () => {
  const id = await libraryModel(fixture, 'pinned');
  await api().get(room(id)).expect(404);
  expect(((await api().get('/api/released').expect(200)).body as ReleasedSummary[]).map((m) => m.id)).toEqual(
    [],
  );
  const first = await released(fixture, id);
  expect(await rowsOf(id, BY_TOWN)).toEqual([
    ["O'Town", 5],
    ['Pier', 5],
  ]);
  await loadLoans(fixture, id, `${LOANS}4,2,2026-03-01,7,1\n`);
  await edited(fixture, id, [
    { do: 'put-measures', name: 'Copies', value: { name: 'Copies', formula: 'max(loan.copies)' } },
  ]);
  expect(await rowsOf(id, BY_TOWN)).toEqual([
    ["O'Town", 5],
    ['Pier', 5],
  ]);
  const second = await released(fixture, id);
  expect(await rowsOf(id, BY_TOWN)).toEqual([
    ["O'Town", 3],
    ['Pier', 7],
  ]);
  // A page that was opened before keeps to what it showed, and is told that there is a newer one.
  expect(await rowsOf(id, BY_TOWN, { release: first.id })).toEqual([
    ["O'Town", 5],
    ['Pier', 5],
  ]);
  const { body } = await api()
    .get(room(id, `?release=${first.id}`))
    .expect(200);
  const opened = body as ReleasedState;
  expect([opened.release.id, opened.release.author]).toEqual([first.id, 'Ida']);
  const newest = (await api().get(room(id, '/newest')).expect(200)).body as ReleaseOfReaders;
  expect(newest.id).toBe(second.id);
  // By name, too.
  await api().get(room('pinned')).expect(200);
});

test('its rows are kept until it is given up; then readers see the one before', async () => {
  const id = await libraryModel(fixture, 'kept');
  const first = await released(fixture, id);
  await loadLoans(fixture, id, 'no,branch,day,copies,cost\n1,1,2026-01-05,1,1\n');
  const second = await released(fixture, id);
  await loadLoans(fixture, id, LOANS);
  await api().delete(`/api/models/${id}/old-rows`).expect(200);
  expect(await rowsOf(id, { measures: ['Copies'] })).toEqual([[1]]);
  expect(second.kept).toBe('for readers');
  await api().delete(`/api/models/${id}/releases/${second.id}`).expect(200);
  await api().delete(`/api/models/${id}/releases/${second.id}`).expect(404);
  expect(await rowsOf(id, { measures: ['Copies'] })).toEqual([[10]]);
  expect(
    message(
      await api()
        .get(room(id, `?release=${second.id}`))
        .expect(404),
    ),
  ).toContain('not kept any more');
  await api().delete(`/api/models/${id}/releases/${first.id}`).expect(200);
  await api().get(room(id)).expect(404);
});

test('a target may be none for readers; definitions alone leave the rows of before', async () => {
  const id = await libraryModel(fixture, 'readers');
  const value = { name: 'local', kind: 'sqlite', file: 'out/readers.sqlite' };
  await edited(fixture, id, [{ do: 'put-targets', name: 'local', value: { ...value, readers: false } }]);
  expect((await released(fixture, id)).kept).toBe('rows');
  await api().get(room(id)).expect(404);
  await edited(fixture, id, [{ do: 'put-targets', name: 'local', value }]);
  await released(fixture, id);
  await loadLoans(fixture, id, 'no,branch,day,copies,cost\n1,1,2026-01-05,1,1\n');
  await edited(fixture, id, [
    { do: 'put-measures', name: 'Copies', value: { name: 'Copies', formula: 'count(loan)' } },
  ]);
  await released(fixture, id, { definitions: true });
  expect(await rowsOf(id, { measures: ['Copies'] })).toEqual([[3]]);
});

test('what is not shown is nowhere: not in what is handed out, not in answers, not in faults', async () => {
  const id = await libraryModel(fixture, 'hidden');
  await released(fixture, id);
  const { model, closedTrials, perspective } = await state(id);
  expect(perspective).toEqual({ name: 'Desk', title: 'Desk' });
  const HIDDEN = /cost(?! )|Cost\b|secret/;
  expect(JSON.stringify({ ...model, measures: model.measures!.map(({ name: _, ...m }) => m) })).not.toMatch(
    HIDDEN,
  );
  expect(model.tables.map((t) => [t.name, t.title, t.columns.map((c) => c.title ?? c.name)])).toEqual([
    ['loan', undefined, ['no', 'day', 'Copies lent']],
    ['branch', 'Branches', ['branch', 'town']],
  ]);
  expect(model.measures).toEqual([
    { name: 'Copies', title: 'Lent', formula: 'sum(loan.copies)' },
    { name: 'Copies per cost', formula: '' },
  ]);
  expect(model.trials!.map((t) => t.name)).toEqual(['By town']);
  // Its condition is not shown; its answer is.
  expect(closedTrials.map((t) => t.name)).toEqual(['Dear ones']);
  const dear = (await api().get(room(id, '/trials/Dear%20ones')).expect(200)).body as QueryState;
  expect(dear.rows).toEqual([
    ["O'Town", 3],
    ['Pier', 5],
  ]);
  const csv = await api().get(room(id, '/trials/By%20town?as=csv')).expect(200);
  expect([csv.type, csv.text]).toEqual(['text/csv', "branch.town,Copies\nO'Town,5\nPier,5\ntotal,10\n"]);

  const asks: object[] = [
    { measures: ['Cost'] },
    { by: ['branch.secret'], measures: ['Copies'] },
    { by: ['loan.cost'], measures: ['Copies'] },
    { measures: [{ column: 'loan.cost', aggregate: 'sum' }] },
    { measures: [{ name: 'x', formula: 'max(loan.cost)' }] },
    { measures: [{ name: 'x', formula: '"Cost" + 1' }] },
    { by: [{ name: 'x', formula: 'cost + 1', of: 'loan' }], measures: ['Copies'] },
    { measures: ['Copies'], filters: [{ where: 'loan.cost > 15' }] },
    { measures: ['Copies'], filters: [{ column: 'loan.cost', in: [10] }] },
    { by: ['branch.town'], measures: ['Copies'], filters: [{ having: '"Cost" > 1' }] },
    { by: ['branch.town'], measures: ['Copies'], filters: [{ top: 1, of: 'Cost' }] },
  ];
  for (const query of asks) {
    const { status, body } = await api().post(room(id, '/query')).send({ query });
    // As what is not there at all, and no nearest name is offered.
    const said = (body as { message: string }).message;
    expect([query, status, said]).toEqual([query, 422, expect.stringMatching(/^there is no \S+ here$/)]);
  }
  const unknown = await api()
    .post(room(id, '/query'))
    .send({ query: { measures: ['Costs'] } });
  expect([unknown.status, message(unknown)]).toEqual([422, 'there is no Costs here']);
  await api().get(room(id, '/values?column=loan.cost')).expect(422);
  await api().get(room(id, '/trials/Nothing')).expect(404);
  const values = await api().get(room(id, '/values?column=branch.town')).expect(200);
  expect((values.body as { values: { value: string }[] }).values.map((v) => v.value)).toEqual([
    "O'Town",
    'Pier',
  ]);
  // A measure over what is not shown is answered all the same, without the name of its goal.
  const per = (
    await api()
      .post(room(id, '/query'))
      .send({ query: { measures: ['Copies per cost'] } })
      .expect(200)
  ).body as QueryState;
  expect([per.rows.length, JSON.stringify(per.goals)]).toEqual([1, expect.not.stringContaining('Cost')]);
  await api().get(`/api/released/${id}/Everyone`).expect(404);
});

test('a hidden column that a measure does not reach is not named', async () => {
  const id = await libraryModel(fixture, 'unreached');
  const query = { measures: ['Branches', 'Copies'], filters: [{ where: 'loan.cost > 15' }] };
  const desk = {
    name: 'Desk',
    tables: [{ table: 'branch' }],
    columns: ['loan.no'],
    measures: ['Copies', 'Branches'],
    trials: ['Dear'],
  };
  await edited(fixture, id, [
    { do: 'put-measures', name: null, value: { name: 'Branches', formula: 'count(branch)' } },
    { do: 'put-trials', name: null, value: { name: 'Dear', query } },
    { do: 'put-perspectives', name: 'Desk', value: desk },
  ]);
  await released(fixture, id);
  const { unreached, rows } = (await api().get(room(id, '/trials/Dear')).expect(200)).body as QueryState;
  expect([rows, unreached]).toEqual([[[null, 8]], [['Branches', 'a condition that is not shown']]]);
});

test('the rows behind a number have the columns that are shown, and a catalogue names these alone', async () => {
  const id = await libraryModel(fixture, 'behind');
  await released(fixture, id);
  const cells = [{ measure: 'Copies', by: ['Pier'] }];
  const behind = async (more: object) =>
    (
      await api()
        .post(room(id, '/rows-behind'))
        .send({ query: BY_TOWN, cells, ...more })
        .expect(200)
    ).body as RowsBehind;
  const [own] = (await behind({})).aggregates;
  expect([own!.columns.map((c) => c.name), own!.rows, own!.sum, own!.lines]).toEqual([
    ['loan.no', 'loan.day', 'loan.copies'],
    [[3, '2026-02-07', 5]],
    '5',
    [],
  ]);
  const [listed] = (await behind({ listing: 'Lines' })).aggregates;
  expect(listed!.rows).toEqual([[3, 'Pier']]);
  const refused = await api()
    .post(room(id, '/rows-behind'))
    .send({ query: BY_TOWN, cells, columns: ['loan.cost'] });
  expect(refused.status).toBe(422);
  // Of a measure over several columns no formula is told that names what is not shown.
  const per = (
    await api()
      .post(room(id, '/rows-behind'))
      .send({ query: { measures: ['Copies per cost'] }, cells: [{ measure: 'Copies per cost' }] })
      .expect(200)
  ).body as RowsBehind;
  expect(per.aggregates.map((a) => a.text)).toEqual(['sum(loan.copies)', 'rows of the measure']);
  const page = await api().get(room(id, '/catalogue')).expect(200);
  expect(page.type).toBe('text/html');
  expect(page.text).toContain('Copies lent');
  expect(page.text).not.toMatch(/loan\.cost|secret/);
});

test('of two models with one name each is had by its number; the name alone is refused', async () => {
  const [one, two] = [await libraryModel(fixture, 'twins'), await libraryModel(fixture, 'twins')];
  await released(fixture, one);
  await edited(fixture, two, [
    { do: 'put-measures', name: 'Copies', value: { name: 'Copies', formula: 'max(loan.copies)' } },
    { do: 'put-targets', name: 'local', value: { name: 'local', kind: 'sqlite', file: 'out/twin.sqlite' } },
  ]);
  await released(fixture, two);
  expect(await rowsOf(one, { measures: ['Copies'] })).toEqual([[10]]);
  expect(await rowsOf(two, { measures: ['Copies'] })).toEqual([[5]]);
  const names = await api().get(room('twins'));
  expect([names.status, message(names)]).toEqual([404, expect.stringContaining(`${one} or ${two}`)]);
});

test('it is served alone beside the workbench: without a lock, without a way to write, for a proxy', async () => {
  const id = await libraryModel(fixture, 'alone');
  await released(fixture, id);
  const served = await serveReadingRoom({
    workspace: join(fixture.folder, 'w.sqlite'),
    port: 0,
    quiet: true,
    checksAnswers: true,
    publicOrigin: 'https://reports.library.example',
  });
  try {
    const alone = request(served.address);
    const answer = await alone.post(room(id, '/query')).send({ query: BY_TOWN }).expect(200);
    expect((answer.body as QueryState).rows).toHaveLength(2);
    for (const path of ['/api/models', `/api/models/${id}`, `/api/models/${id}/releases`, '/api/settings'])
      expect([path, (await alone.get(path)).status]).toEqual([path, 404]);
    expect((await alone.post(`/api/models/${id}/query`).send({ query: BY_TOWN })).status).toBe(404);
    expect((await alone.delete(`/api/models/${id}/releases/1`)).status).toBe(404);
    expect((await alone.get('/')).headers['location']).toBe('/r');
    const by = (host: string) => alone.get('/api/released').set('host', host);
    expect((await by('reports.library.example')).status).toBe(200);
    expect((await by('elsewhere.example')).status).toBe(403);
    const origin = { host: 'reports.library.example', origin: 'https://reports.library.example' };
    expect((await alone.post(room(id, '/query')).set(origin).send({ query: BY_TOWN })).status).toBe(200);
  } finally {
    await served.close();
  }
  await expect(
    serveReadingRoom({ workspace: join(fixture.folder, 'none.sqlite'), port: 0, quiet: true }),
  ).rejects.toThrow('cannot be opened');
});
