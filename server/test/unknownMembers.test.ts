import type { JobState, LoadsState } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const columnsOf = (types: Readonly<Record<string, string>>) =>
  Object.entries(types).map(([name, type]) => ({ name, fileName: name, type }));
const LOAN = { no: 'integer', branch: 'text', shelf: 'integer', place: 'integer' };
const BRANCH = { code: 'text', name: 'text', opened: 'date' };
const SHELF = { shelf: 'integer', place: 'integer', what: 'text' };
const BRANCHES = 'code,name,opened\nN,North,2020-01-01\nS,South,\n';

const orderOf = async (name: string, types: object, text: string, more: object = {}) => ({
  upload: await fixture.upload(`${name}.csv`, text),
  name,
  dialect: DIALECT,
  columns: columnsOf(types as Record<string, string>),
  ...more,
});
const load = async (...orders: object[]): Promise<JobState> => fixture.load(id, orders);
const loans = (text: string, more: object = {}) =>
  orderOf('loan', LOAN, `no,branch,shelf,place\n${text}`, more);

let id: number;
beforeEach(async () => {
  id = await fixture.newModel('unknown');
  await load(
    await loans('1,N,1,1\n'),
    await orderOf('branch', BRANCH, BRANCHES),
    await orderOf('shelf', SHELF, 'shelf,place,what\n1,1,maps\n'),
  );
  const { revision } = await fixture.stateOf(id);
  const way = (name: string, columns: string[], table: string, to: string[]) => ({
    do: 'put-relationships',
    name: null,
    value: { name, from: { table: 'loan', columns }, to: { table, columns: to } },
  });
  const edit = [
    { do: 'set-table', table: 'loan', change: { key: ['no'], role: 'fact' } },
    { do: 'set-table', table: 'branch', change: { key: ['code'], role: 'dimension', label: 'name' } },
    { do: 'set-table', table: 'shelf', change: { key: ['shelf', 'place'], role: 'dimension' } },
    way('at', ['branch'], 'branch', ['code']),
    way('on', ['shelf', 'place'], 'shelf', ['shelf', 'place']),
  ];
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'star' }).expect(200);
});

const UNKNOWN = '2,X,1,1\n3,X,,1\n4,"Y, too",9,9\n5,,1,1\n6,N,1,1\n';
const AT = {
  relationship: 'at',
  dimension: 'branch',
  members: 2,
  rows: 3,
  named: ['X', 'Y, too'],
  added: false,
};
const ON = { relationship: 'on', dimension: 'shelf', members: 1, rows: 1, named: ['9, 9'], added: false };

test('they are listed, by a dry run, by the load and by its log; a reference that is null is none', async () => {
  const dry = await fixture.load(id, [await loans(UNKNOWN)], true);
  expect(dry.loads![0]!.unknown).toEqual([AT, ON]);
  const done = await load(await loans(UNKNOWN));
  expect([done.state, done.loads![0]!.unknown]).toEqual(['done', [AT, ON]]);
  // Each step with its state and time.
  expect(done.steps!.map((s) => s.name).slice(-3)).toEqual([
    'loan: looking for their members',
    'loan: bringing them onto what is there',
    'making it visible',
  ]);
  expect(done.steps!.every((s) => s.state === 'done' && s.ms >= 0)).toBe(true);
  expect(done.elapsedMs).toBeGreaterThan(0);
  expect(done.detail).toContain('4 refer to members that are not in branch, shelf');
  expect(await fixture.rowsOf(id, 'branch')).toHaveLength(2);
  const { log } = (await api().get(`/api/models/${id}/loads`).expect(200)).body as LoadsState;
  expect(log[0]!.unknown).toEqual([AT, ON]);
  const known = await load(await loans('7,S,1,1\n'));
  expect(known.loads![0]!.unknown).toBeUndefined();
});

test('they stop the load: nothing is stored, and it says which', async () => {
  const stopped = await load(await loans(UNKNOWN, { unknown: 'stop' }));
  expect([stopped.state, stopped.faults[0]]).toEqual([
    'failed',
    expect.stringMatching(
      /^loan: 3 rows refer to members that branch does not have \(“X”, “Y, too”\); 1 row refers to .*shelf.*Nothing was stored/,
    ),
  ]);
  expect(stopped.steps!.at(-1)).toMatchObject({ name: 'loan: looking for their members', state: 'ended' });
  expect(await fixture.rowsOf(id, 'loan')).toEqual([[1, 'N', 1, 1]]);
});

test('they are added as unmatched, in the same load and to be taken back with it; what is there stays', async () => {
  const dry = await fixture.load(id, [await loans(UNKNOWN, { unknown: 'add' })], true);
  expect(dry.loads!.map((l) => [l.table, l.unknown])).toEqual([
    [
      'loan',
      [
        { ...AT, added: true },
        { ...ON, added: true },
      ],
    ],
  ]);
  expect(await fixture.rowsOf(id, 'branch')).toHaveLength(2);
  const before = (await fixture.stateOf(id)).revision;
  const done = await load(await loans(UNKNOWN, { unknown: 'add' }));
  expect([done.state, done.loads!.map((l) => [l.table, l.counts.added])]).toEqual([
    'done',
    [
      ['loan', 5],
      ['branch', 2],
      ['shelf', 1],
    ],
  ]);
  expect(await fixture.rowsOf(id, 'branch')).toEqual([
    ['N', 'North', '2020-01-01'],
    ['S', 'South', null],
    ['X', 'unmatched', null],
    ['Y, too', 'unmatched', null],
  ]);
  expect(await fixture.rowsOf(id, 'shelf')).toContainEqual([9, 9, null]);
  const { revision, model } = await fixture.stateOf(id);
  expect(revision.number).toBe(before.number + 1);
  expect(model.tables.find((t) => t.name === 'branch')!.source).toEqual({ file: 'branch.csv' });
  await api().post(`/api/models/${id}/undo`).send({ base: revision.id }).expect(200);
  expect(await fixture.rowsOf(id, 'branch')).toHaveLength(2);
  expect(await fixture.rowsOf(id, 'loan')).toHaveLength(1);
});

test('members that come in the same load are known, whatever the order; a dimension that cannot grow is listed', async () => {
  const more = await orderOf('branch', BRANCH, `${BRANCHES}X,Extra,\n"Y, too",Yonder,\n`);
  const both = await load(await loans('2,X,1,1\n4,"Y, too",1,1\n', { unknown: 'stop' }), more);
  expect([both.state, both.loads!.map((l) => [l.table, l.unknown])]).toEqual([
    'done',
    [
      ['loan', undefined],
      ['branch', undefined],
    ],
  ]);
  // Members that are lacking even so are added to what comes.
  const some = await orderOf('branch', BRANCH, `${BRANCHES}X,Extra,\n`);
  const grown = await load(await loans('2,X,1,1\n4,Z,1,1\n5,Z,1,1\n', { unknown: 'add' }), some);
  expect([grown.state, grown.faults]).toEqual(['done', []]);
  expect((await fixture.rowsOf(id, 'branch')).map(([code, name]) => [code, name])).toEqual([
    ['N', 'North'],
    ['S', 'South'],
    ['X', 'Extra'],
    ['Z', 'unmatched'],
  ]);
  const unfinished = 'select count(*) from stored_table where state = ?';
  expect(fixture.workspace.db.prepare(unfinished).pluck().get('loading')).toBe(0);
  // Known by another key than the reference's, it cannot grow by it.
  const { revision } = await fixture.stateOf(id);
  const edit = [{ do: 'set-table', table: 'branch', change: { key: ['name'] } }];
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'key' }).expect(200);
  const listed = await load(await loans('2,Q,1,1\n', { unknown: 'add' }));
  expect(listed.loads!.map((l) => [l.table, l.unknown?.[0]?.added])).toEqual([['loan', false]]);
  expect(await fixture.rowsOf(id, 'branch')).toHaveLength(4);
});

test('how many there are is told, however many', async () => {
  const many = Array.from({ length: 60_000 }, (_, i) => `${i},Z${i},1,1`).join('\n');
  const done = await fixture.load(id, [await loans(`${many}\n`, { unknown: 'add' })], true);
  const [at] = done.loads![0]!.unknown!;
  // More than are added at once: they are listed.
  expect([at!.members, at!.rows, at!.named.length, at!.added]).toEqual([60_000, 60_000, 20, false]);
});
