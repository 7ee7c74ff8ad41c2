import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';
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
  { name: 'branch', fileName: 'branch', type: 'text' },
  { name: 'day', fileName: 'day', type: 'date', pattern: 'yyyy-MM-dd' },
  { name: 'loans', fileName: 'loans', type: 'integer' },
];
const FIRST = 'branch,day,loans\nA,2026-01-01,10\nA,2026-01-02,20\nB,2026-01-01,5\n';

async function load(model: number, text: string, change: object = {}, dryRun = false): Promise<JobState> {
  const upload = await fixture.upload('loan.csv', text);
  return fixture.load(
    model,
    [{ upload, name: 'loan', dialect: DIALECT, columns: COLUMNS, ...change }],
    dryRun,
  );
}

const stateOf = (model: number) => fixture.stateOf(model);
const rowsOf = (model: number) => fixture.rowsOf(model, 'loan');
const loadsOf = async (model: number) =>
  (await api().get(`/api/models/${model}/loads`).expect(200)).body as LoadsState;

/** A model with the first rows in, keyed by branch and day, loans being a quantity. */
async function keyedModel(title = 'Loads'): Promise<number> {
  const id = await fixture.newModel(title);
  await load(id, FIRST);
  const { revision } = await stateOf(id);
  const edit = [
    { do: 'set-table', table: 'loan', change: { key: ['branch', 'day'] } },
    { do: 'set-column', table: 'loan', column: 'loans', change: { use: 'quantity' } },
  ];
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'a key' }).expect(200);
  return id;
}

test('rows are updated by key; a dry run tells before, and stores nothing', async () => {
  const model = await keyedModel();
  const coming = 'branch,day,loans\nA,2026-01-02,21\nC,2026-01-01,1\nB,2026-01-01,5\n,2026-01-03,9\n';
  const tried = await load(model, coming, { mode: 'update' }, true);
  const counts = { added: 1, changed: 1, unchanged: 1, refused: 1 };
  expect(tried).toMatchObject({
    state: 'done',
    detail: '3 rows would be stored, 1 listed as left out',
    loads: [
      {
        table: 'loan',
        counts,
        changes: [{ key: ['A', '2026-01-02'], column: 'loans', before: 20, after: 21 }],
      },
    ],
  });
  expect(await rowsOf(model)).toHaveLength(3);
  expect(await load(model, coming, { mode: 'update' })).toMatchObject({
    state: 'done',
    loads: [{ counts, rows: 4 }],
  });
  expect(await rowsOf(model)).toEqual([
    ['A', '2026-01-01', 10],
    ['A', '2026-01-02', 21],
    ['B', '2026-01-01', 5],
    ['C', '2026-01-01', 1],
  ]);
  // What was refused is listed with its line.
  expect((await stateOf(model)).stored[0]!.problems).toEqual([
    { line: 5, message: 'the key (branch, day) has no value', kind: 'refused' },
  ]);
});

test('quantities are added onto rows of the same key; rows can be added as they are', async () => {
  const model = await keyedModel();
  await load(model, 'branch,day,loans\nA,2026-01-01,1\nA,2026-01-01,2\nD,2026-01-01,7\n', {
    mode: 'add quantities',
  });
  // Two lines of one key are not merged: the second is refused and listed.
  expect((await rowsOf(model)).map((r) => r[2])).toEqual([11, 20, 5, 7]);
  expect((await stateOf(model)).stored[0]!.problems).toMatchObject([{ line: 3, kind: 'refused' }]);
  await load(model, 'branch,day,loans\nA,2026-01-01,100\n', { mode: 'add' });
  expect((await rowsOf(model)).map((r) => r[2])).toEqual([11, 20, 5, 7, 100]);
  // Now the key stands twice: which row is meant cannot be told, and nothing is guessed.
  const { loads } = await load(model, 'branch,day,loans\nA,2026-01-01,1\n', { mode: 'update' }, true);
  expect(loads![0]!.refused).toEqual([
    {
      line: 2,
      message: expect.stringContaining('several times in the table') as string,
      kind: 'refused',
    },
  ]);
});

test('rows that do not fit are left out and listed: rows read are rows stored and rows listed', async () => {
  const model = await keyedModel();
  const coming = 'branch,day,loans\nA,2026-01-01,ten\nB,soon,many\nC,2026-01-03,3\nbad line\nD,2026-01-04,\n';
  const job = await load(model, coming, { misfits: 'leave out' });
  expect(job).toMatchObject({ state: 'done', loads: [{ rows: 2, leftOut: 3 }] });
  expect(await rowsOf(model)).toEqual([
    ['C', '2026-01-03', 3],
    ['D', '2026-01-04', null],
  ]);
  const [stored] = (await stateOf(model)).stored;
  expect(stored!.problems.map((p) => [p.line, p.column, p.text])).toEqual([
    [5, undefined, 'bad line'],
    [2, 'loans', 'ten'],
    [3, 'day', 'soon'],
  ]);
});

test('where all are replaced, a dry run tells by the key what is new, changed, as it was, and gone', async () => {
  const model = await keyedModel();
  const { loads } = await load(
    model,
    'branch,day,loans\nA,2026-01-01,10\nA,2026-01-02,0\nX,2026-01-02,0\n',
    {},
    true,
  );
  expect(loads![0]).toMatchObject({ counts: { added: 1, changed: 1, unchanged: 1, refused: 0 }, removed: 1 });
});

test.each([
  [{ mode: 'update', columns: COLUMNS.slice(1) }, /the new ones have no column branch/],
  [{ misfits: 'stop' }, /not of the type of their column/],
])('what cannot be done leaves the rows as they were, and is logged: %j', async (change, message) => {
  const model = await keyedModel();
  const job = await load(model, 'branch,day,loans\nA,2026-01-01,ten\n', change);
  expect(job).toMatchObject({ state: 'failed', faults: [expect.stringMatching(message)] });
  expect(await rowsOf(model)).toHaveLength(3);
  expect((await loadsOf(model)).log.map((l) => l.outcome)).toEqual(['failed', 'done']);
});

test('without a key rows are not matched, and it is said what to do', async () => {
  const id = await fixture.newModel('No key');
  await load(id, FIRST);
  expect(await load(id, FIRST, { mode: 'update' })).toMatchObject({
    faults: [expect.stringMatching(/has none: set its key on the Shape stage/)],
  });
});

describe('recipes', () => {
  test('a recipe reads a newer file whose columns stand in another order, and every run is logged', async () => {
    const model = await keyedModel('Nightly');
    await load(model, 'branch,day,loans\nB,2026-01-01,6\n', { mode: 'update', recipe: 'nightly' });
    const newer = join(fixture.folder, 'newer.csv');
    writeFileSync(newer, 'loans,extra,day,branch\n7,x,2026-01-01,B\n1,x,2026-02-01,E\n');
    const run = { recipe: 'Nightly', file: newer, model: 'nightly', dryRun: false };
    await expect(loadByRecipe(fixture.workspace, { ...run, dryRun: true })).resolves.toMatchObject({
      loads: [{ counts: { added: 1, changed: 1 } }],
    });
    expect((await rowsOf(model)).map((r) => r[2])).toEqual([10, 20, 6]);
    await loadByRecipe(fixture.workspace, run);
    expect((await rowsOf(model)).map((r) => r[2])).toEqual([10, 20, 7, 1]);
    const { recipes, log } = await loadsOf(model);
    expect(recipes).toMatchObject([{ name: 'nightly', table: 'loan', mode: 'update' }]);
    expect(log.map((l) => [l.source, l.recipe, l.mode, l.outcome])).toEqual([
      ['newer.csv', 'nightly', 'update', 'done'],
      ['loan.csv', 'nightly', 'update', 'done'],
      ['loan.csv', undefined, 'replace', 'done'],
    ]);
    await expect(loadByRecipe(fixture.workspace, { ...run, recipe: 'weekly' })).rejects.toThrow(
      'there is no recipe "weekly": there are nightly',
    );
    await expect(loadByRecipe(fixture.workspace, { ...run, file: undefined })).rejects.toThrow(
      /reads a file: name it/,
    );
    await expect(loadByRecipe(fixture.workspace, { ...run, model: 'nobody' })).rejects.toThrow(
      /there is no model "nobody"/,
    );
    await api().delete(`/api/models/${model}/recipes/nightly`).expect(200);
    await api().delete(`/api/models/${model}/recipes/nightly`).expect(404);
  });

  test('a recipe of a database’s table draws it anew', async () => {
    const file = join(fixture.folder, 'library.sqlite');
    const database = new Database(file);
    database.exec(
      `create table loan (branch text, day date, loans integer); insert into loan values ('A', '2026-01-01', 1)`,
    );
    await api().put('/api/connections').send({ kind: 'sqlite', name: 'library', file }).expect(200);
    const id = await fixture.newModel('Drawn');
    const { body } = await api()
      .post('/api/connections/library/sample')
      .send({ tables: [{ table: 'loan' }] })
      .expect(200);
    const [{ id: upload }] = body as [{ id: string }];
    const table = { upload, name: 'loan', dialect: DIALECT, columns: COLUMNS, recipe: 'from the library' };
    await fixture.load(id, [table]);
    expect(await rowsOf(id)).toEqual([['A', '2026-01-01', 1]]);
    database.exec(`insert into loan values ('B', '2026-01-02', 2)`);
    database.close();
    await loadByRecipe(fixture.workspace, {
      recipe: 'from the library',
      file: undefined,
      model: 'drawn',
      dryRun: false,
    });
    expect(await rowsOf(id)).toHaveLength(2);
  });
});

describe('a table that is there is read as the model says', () => {
  test('dates that would be guessed as text stay dates, and a decimal of another width loads', async () => {
    const model = await keyedModel('As before');
    const guessed = COLUMNS.map((c) => ({ name: c.name, fileName: c.fileName, type: 'text' }));
    expect(
      await load(model, 'branch,day,loans\nA,2026-02-01,7\n', { mode: 'update', columns: guessed }),
    ).toMatchObject({ state: 'done', loads: [{ counts: { added: 1 } }] });
    const { model: now } = await stateOf(model);
    expect(now.tables[0]!.columns.map((c) => c.type)).toEqual(['text', 'date', 'integer']);
    expect((await rowsOf(model)).at(-1)).toEqual(['A', '2026-02-01', 7]);
  });

  test('a file that cannot be read so is refused with the reason, and the rows stay', async () => {
    const model = await keyedModel('Other dates');
    const job = await load(model, 'branch,day,loans\nA,someday,7\nB,never,8\n', {
      columns: COLUMNS.map((c) => ({ name: c.name, fileName: c.fileName, type: 'text' })),
    });
    expect(job).toMatchObject({
      state: 'failed',
      faults: [expect.stringMatching(/no value of day can be read as loan\.day is in the model/)],
    });
    expect(await rowsOf(model)).toHaveLength(3);
  });

  test('a dry run and the load say the same, also of keys that stand twice and of columns that do not fit', async () => {
    const counts = async (text: string, change: object, model: number) => {
      const of = ({ loads, state, faults }: JobState) => ({ state, faults, counts: loads?.[0]?.counts });
      const [tried, done] = [await load(model, text, change, true), await load(model, text, change)];
      expect(of(tried)).toEqual(of(done));
      return of(done);
    };
    const twice = 'branch,day,loans\nA,2026-01-01,10\nA,2026-01-01,11\nX,2026-01-01,1\n';
    for (const change of [{}, { mode: 'update' }, { mode: 'add quantities' }])
      await counts(twice, change, await keyedModel('Twice'));
    const more = { mode: 'add', columns: [...COLUMNS, { name: 'extra', fileName: 'extra', type: 'text' }] };
    expect(
      await counts('branch,day,loans,extra\nA,2026-03-01,1,x\n', more, await keyedModel('More')),
    ).toMatchObject({ state: 'failed' });
  });

  test('what the preview says of a column is stored: its use and its default aggregate', async () => {
    const id = await fixture.newModel('Uses');
    const columns = [
      { ...COLUMNS[0], use: 'reference' },
      COLUMNS[1],
      { ...COLUMNS[2], use: 'quantity', aggregate: 'avg' },
    ];
    await load(id, FIRST, { columns });
    const { model } = await stateOf(id);
    expect(model.tables[0]!.columns.map((c) => [c.use, c.aggregate])).toEqual([
      ['reference', undefined],
      ['attribute', undefined],
      ['quantity', 'avg'],
    ]);
  });
});
