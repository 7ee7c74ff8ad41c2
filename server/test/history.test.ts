import type { HistoryEntry } from '@crease/contract';
import { readModel } from '@crease/core/model';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const historyOf = async (id: number) =>
  (await api().get(`/api/models/${id}/history`).expect(200)).body as HistoryEntry[];
const measure = (formula: string) => [
  { do: 'put-measures', name: null, value: { name: `M ${formula}`, formula } },
];

test('revisions say who made them, in any letters; who says nothing is not named', async () => {
  const id = await fixture.newModel('Authors');
  const edit = async (formula: string, headers: Record<string, string>) => {
    const { revision } = await fixture.stateOf(id);
    const body = { base: revision.id, edit: measure(formula), says: `add ${formula}` };
    await api().post(`/api/models/${id}/edits`).set(headers).send(body).expect(200);
  };
  await edit('1', { 'x-crease-tab': 'one', 'x-crease-author': encodeURIComponent('Søren 渡辺') });
  await edit('2', { 'x-crease-tab': 'two', 'x-crease-author': '%' });
  await edit('3', { 'x-crease-tab': 'one', 'x-crease-author': '' });
  await edit('4', {});
  expect((await historyOf(id)).map((h) => [h.says, h.author])).toEqual([
    ['add 4', ''],
    ['add 3', ''],
    ['add 2', '%'],
    ['add 1', 'Søren 渡辺'],
    [expect.any(String), ''],
  ]);
});

test('a revision is named, read as a page, had as a file, and keeps its name through undo', async () => {
  const id = await fixture.newModel('Named');
  const { revision: first } = await fixture.stateOf(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({ base: first.id, edit: measure('1'), says: 'add one' })
    .expect(200);
  const { revision } = await fixture.stateOf(id);
  const of = `/api/models/${id}/revisions/${revision.id}`;
  await api().put(`${of}/name`).send({ name: '  before the <merger>  ' }).expect(200);
  expect((await historyOf(id))[0]).toMatchObject({ name: 'before the <merger>', isHead: true });
  await api().post(`/api/models/${id}/undo`).send({ base: revision.id }).expect(200);
  expect((await historyOf(id))[0]).toMatchObject({ name: 'before the <merger>', isHead: false });
  const page = await api().get(`${of}/catalogue`).expect(200);
  expect([page.type, page.text]).toEqual([
    'text/html',
    expect.stringContaining('Named, revision 2 (before the &lt;merger&gt;)'),
  ]);
  const file = await api().get(`${of}/model`).expect(200);
  expect(readModel(file.text).measures!.map((m) => m.name)).toEqual(['M 1']);
  const bare = await api().get(`/api/models/${id}/revisions/${first.id}/model`).expect(200);
  expect(readModel(bare.text).measures ?? []).toEqual([]);
  await api().put(`${of}/name`).send({ name: '' }).expect(200);
  expect((await historyOf(id))[0]!.name).toBe('');
  await api().put(`/api/models/${id}/revisions/99999/name`).send({ name: 'x' }).expect(404);
  await api()
    .put(`${of}/name`)
    .send({ name: 'x'.repeat(101) })
    .expect(400);
});
