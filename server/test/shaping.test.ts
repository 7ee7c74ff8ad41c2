import type { ColumnFormulaState, ProposalsState, RowPage, StepsState } from '@crease/contract';
import type { TypeAdvice } from '@crease/core/propose';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
let model: number;
beforeAll(async () => {
  fixture = await startApi();
  model = await fixture.newModel();
  const files = {
    loan: `id,room,fine,lent\n${Array.from({ length: 30 }, (_, i) => `${i + 1},${(i % 3) + 1},${(i % 4) / 4},0${(i % 9) + 1}.01.2026`).join('\n')}\n`,
    fee: 'room,fee\n1,5\n1,6\n2,7\n',
    room: 'id,name\n1,Ash\n2,Elm\n3,Oak\n',
  };
  for (const [name, text] of Object.entries(files))
    await fixture.load(model, [await fixture.orderOf(await fixture.upload(`${name}.csv`, text), name)]);
});
afterAll(() => fixture.close());

const path = (rest: string) => `/api/models/${model}/${rest}`;
const ask = async <T>(rest: string, body: object): Promise<T> =>
  (await fixture.api().post(path(rest)).send(body).expect(200)).body as T;
const get = async <T>(rest: string): Promise<T> =>
  (await fixture.api().get(path(rest)).expect(200)).body as T;

const FROM = { from: 'loan' };
const JOIN = { join: { table: 'fee', kind: 'left', on: [['room', 'room']], columns: ['fee'] } };

describe('steps that are tried', () => {
  test('states come with what a join does and with remedies that say what the table would then have', async () => {
    const { states, remedies, fault } = await ask<StepsState>('steps', {
      table: 'paid',
      steps: [FROM, JOIN],
    });
    expect(fault).toBeUndefined();
    expect(states.map((s) => s.rows)).toEqual([30, 40]);
    expect(states[1]!.join!.findings[0]).toMatchObject({ kind: 'multiplies', rows: 10, keys: 1 });
    const [{ place, remedies: ways }] = remedies as [(typeof remedies)[number]];
    expect(place).toBe(2);
    const way = ways.find((r) => r.id === 'aggregate-theirs')!;
    expect([way.rows, way.after.rows, way.after.columns.map((c) => c.name)]).toEqual([
      30,
      30,
      ['id', 'room', 'fine', 'lent', 'fee'],
    ]);
    // Nothing was kept.
    expect((await fixture.stateOf(model)).model.tables).toHaveLength(3);
  });

  test('a way out that a later step cannot go along with is not offered', async () => {
    // Aggregating here to one row per room takes the column away that the last step needs.
    const steps = [FROM, JOIN, { pick: ['id', 'fee'] }];
    const { remedies } = await ask<StepsState>('steps', { table: 'paid', steps });
    expect(remedies[0]!.remedies.map((r) => r.id)).toEqual(['aggregate-theirs']);
  });

  test('a page of rows after any of them', async () => {
    const page = await ask<RowPage>('steps/rows', {
      table: 'paid',
      steps: [FROM, { filter: 'room = 2' }],
      place: 2,
      offset: 8,
      count: 5,
    });
    expect([page.total, page.rows.map((r) => r[0]), page.columns.map((c) => c.type)]).toEqual([
      10,
      [26, 29],
      ['integer', 'integer', 'decimal(5,2)', 'date'],
    ]);
  });

  test.each<[string, object, RegExp]>([
    ['steps', { table: 'paid', steps: [] }, /steps/],
    ['steps/rows', { table: 'paid', steps: [FROM], place: 3 }, /paid has no step 3: there are 1/],
    [
      'steps/rows',
      { table: 'paid', steps: [FROM, { filter: 'nothing > 1' }], place: 2 },
      /step 2 of paid: .*no column "nothing"/,
    ],
  ])('%s %j is refused with one message', async (rest, body, message) => {
    const { status, body: answer } = await fixture.api().post(path(rest)).send(body);
    expect(status).toBeGreaterThanOrEqual(400);
    expect(status).toBeLessThan(500);
    expect((answer as { message: string }).message).toMatch(message);
  });
});

test('a column by formula shows what it gives, beside what it uses', async () => {
  const found = await ask<ColumnFormulaState>('column-formula', {
    table: 'loan',
    formula: 'case when fine>0.4 then fine*2 end',
  });
  expect(found).toMatchObject({ faults: [], columns: ['fine'], looked: 30, nulls: 16, distinct: 2 });
  expect(found.rows.slice(0, 4).map((r) => [r.used[0], r.gives])).toEqual([
    ['0.00', null],
    ['0.25', null],
    ['0.50', '1.00'],
    ['0.75', '1.50'],
  ]);
  const broken = await ask<ColumnFormulaState>('column-formula', { table: 'loan', formula: 'fnie * 2' });
  expect([broken.type, broken.rows, broken.faults[0]!.message]).toEqual([
    null,
    [],
    expect.stringContaining('did you mean "fine"'),
  ]);
});

test('types are advised over the stored rows, and a type that is taken shows in the rows at once', async () => {
  const { revision } = await fixture.stateOf(model);
  const edit = [{ do: 'set-column', table: 'loan', column: 'lent', change: { type: 'text', pattern: '' } }];
  await fixture.api().post(path('edits')).send({ base: revision.id, edit, says: 'as text' }).expect(200);
  const advice = (await get<TypeAdvice[]>('types')).find((a) => a.column === 'lent')!;
  expect([advice.from, advice.to, advice.reason]).toEqual([
    'text',
    'date',
    expect.stringContaining('yyyy-MM-dd'),
  ]);
  const now = await fixture.stateOf(model);
  await fixture
    .api()
    .post(path('edits'))
    .send({ base: now.revision.id, edit: advice.edit, says: 'as a day' })
    .expect(200);
  expect((await fixture.rowsOf(model, 'loan'))[0]).toEqual([1, 1, '0.00', '2026-01-01']);
});

test('references are proposed by the rule that is asked for, and no other rule is known', async () => {
  const ends = async (pattern: string) =>
    (await get<ProposalsState>(`proposals?pattern=${encodeURIComponent(pattern)}`)).proposals
      .filter((p) => p.kind === 'relationship')
      .map((p) => p.id);
  // Both keys are called id; the reference is not.
  expect(await ends('same name')).toEqual(['relationship:room.id']);
  expect(await ends('names and values')).toContain('relationship:loan.room');
  expect(await ends('table and key')).toEqual([]);
  const { body } = await fixture.api().get(path('proposals?pattern=luck')).expect(400);
  expect((body as { message: string }).message).toMatch(/"luck" is none of names and values, same name/);
});
