import type { ClaimsState, CorrectionsState } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const COLUMNS = [
  { name: 'no', fileName: 'no', type: 'integer' },
  { name: 'fine', fileName: 'fine', type: 'decimal(9,2)' },
];

async function load(id: number, text: string): Promise<void> {
  const upload = await fixture.upload('loan.csv', text);
  await fixture.load(id, [{ upload, name: 'loan', dialect: DIALECT, columns: COLUMNS }]);
}

async function edit(id: number, ...edits: object[]): Promise<void> {
  const { revision } = await fixture.stateOf(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({ base: revision.id, edit: edits, says: 'edit' })
    .expect(200);
}

/** Three loans with their fines, and a measure over them. */
async function loans(title: string): Promise<number> {
  const id = await fixture.newModel(title);
  await load(id, 'no,fine\n1,1.00\n2,2.50\n3,\n');
  await edit(
    id,
    { do: 'set-table', table: 'loan', change: { key: ['no'], role: 'fact' } },
    { do: 'put-measures', name: null, value: { name: 'Fines', formula: 'sum(loan.fine)' } },
  );
  return id;
}

const add = (id: number, entries: object[], author?: string, of = 'loan.fine') =>
  api()
    .post(`/api/models/${id}/corrections`)
    .send({ of, entries, ...(author ? { author } : {}) });
const listed = async (id: number): Promise<CorrectionsState[]> =>
  (await api().get(`/api/models/${id}/corrections`).expect(200)).body as CorrectionsState[];
const fines = async (id: number): Promise<unknown> =>
  (
    (
      await api()
        .post(`/api/models/${id}/query`)
        .send({ query: { measures: ['Fines'] } })
        .expect(200)
    ).body as {
      rows: unknown[][];
    }
  ).rows[0]![0];
const step = async (id: number, way: 'undo' | 'redo') => {
  const { revision } = await fixture.stateOf(id);
  await api().post(`/api/models/${id}/${way}`).send({ base: revision.id }).expect(200);
};

async function judged(id: number, claim: string) {
  for (;;) {
    const { claims, done } = (await api().get(`/api/models/${id}/claims`).expect(200)).body as ClaimsState;
    const found = claims.find((c) => c.id === claim);
    if (done && found) return found;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

test('a value entered by hand counts, with who said so and why; it is undone and redone like an edit', async () => {
  const id = await loans('by hand');
  expect(await fines(id)).toBe('3.50');
  const done = await add(id, [{ key: [2], value: '9.99', comment: 'typing error' }], 'Ida').expect(200);
  expect(done.body).toMatchObject({ added: 1, unreadable: 0 });
  expect(await fines(id)).toBe('10.99');
  await add(
    id,
    [
      { key: [2], value: '5' },
      { key: [3], value: '0.01', from: '2099-01-01' },
    ],
    'Tom',
  ).expect(200);
  expect(await fines(id)).toBe('6.00');
  const [list] = await listed(id);
  expect([list!.of, list!.file, list!.key]).toEqual(['loan.fine', 'loan_fine_corrections.csv', ['no']]);
  expect(list!.entries.map((e) => [e.key[0], e.value, e.author, e.comment, e.state, e.was])).toEqual([
    [2, '9.99', 'Ida', 'typing error', 'replaced', undefined],
    [2, '5.00', 'Tom', null, 'stands', '2.50'],
    [3, '0.01', 'Tom', null, 'other days', undefined],
  ]);
  await step(id, 'undo');
  expect([await fines(id), (await listed(id))[0]!.entries.length]).toEqual(['10.99', 1]);
  await step(id, 'undo');
  expect([await fines(id), await listed(id)]).toEqual(['3.50', []]);
  await step(id, 'redo');
  await step(id, 'redo');
  expect(await fines(id)).toBe('6.00');
});

test('rows that are loaded anew are corrected again, and a correction of one that is gone is told', async () => {
  const id = await loans('again');
  await add(id, [
    { key: [2], value: '9.99' },
    { key: [1], value: null },
  ]).expect(200);
  expect(await fines(id)).toBe('9.99');
  await load(id, 'no,fine\n2,7.00\n4,1.00\n');
  expect(await fines(id)).toBe('10.99');
  expect((await listed(id))[0]!.entries.map((e) => [e.state, e.was, e.why])).toEqual([
    ['stands', '7.00', undefined],
    ['changes nothing', undefined, 'loan has no row of its key'],
  ]);
  const claim = await judged(id, 'corrections-fit:loan.fine');
  expect([claim.verdict, claim.evidence.against]).toEqual(['broken', 1]);
});

test('a key column and the column itself may get other names: corrections stay with them', async () => {
  const id = await loans('renamed');
  await add(id, [{ key: [2], value: '9.99' }]).expect(200);
  await edit(
    id,
    { do: 'rename', of: { table: 'loan', column: 'no' }, to: 'receipt' },
    { do: 'rename', of: { table: 'loan', column: 'fine' }, to: 'late_fee' },
  );
  expect(await fines(id)).toBe('10.99');
  await add(id, [{ key: [1], value: '2.00' }], undefined, 'loan.late_fee').expect(200);
  expect(await fines(id)).toBe('11.99');
  expect((await listed(id))[0]).toMatchObject({ of: 'loan.late_fee', key: ['receipt'] });
  const { text } = await api().get(`/api/models/${id}/corrections/file?of=loan.late_fee`).expect(200);
  expect(text.split('\n')[0]).toBe('receipt,value,author,at,comment,from,to');
});

test('a file of corrections is written and read again, behind what is there or in its place', async () => {
  const id = await loans('files');
  await add(id, [{ key: [2], value: '9.99', comment: '=1+1, "so"', to: '2099-12-31' }], 'Ida').expect(200);
  const { text } = await api().get(`/api/models/${id}/corrections/file?of=loan.fine`).expect(200);
  const read = (body: object, status = 200) =>
    api()
      .post(`/api/models/${id}/corrections/file`)
      .send({ of: 'loan.fine', ...body })
      .expect(status);
  expect((await read({ text, mode: 'replace' })).body).toMatchObject({ added: 1, unreadable: 0 });
  const again = await api().get(`/api/models/${id}/corrections/file?of=loan.fine`).expect(200);
  expect(again.text).toBe(text);
  const more = 'no;value;author;at;comment;from;to\n1;x;Tom;2026-01-01;;;\n3;0.50;Tom;2026-01-01;;;\n';
  expect((await read({ text: more })).body).toMatchObject({ added: 2, unreadable: 1 });
  expect(await fines(id)).toBe('11.49');
  const refused = await read({ text: 'no,amount\n1,2\n' }, 422);
  expect((refused.body as { message: string }).message).toContain('value');
  expect(await fines(id)).toBe('11.49');
});

test.each<[string, object[], RegExp]>([
  ['loan.fine', [{ key: [2], value: 'nine' }], /the value \(decimal\(9,2\)\) “nine” cannot be read/],
  ['loan.fine', [{ key: ['two'], value: '9' }], /“two” is no integer, which no is/],
  ['loan.fine', [{ key: [1, 2], value: '9' }], /the key of loan is no/],
  ['loan.fine', [{ key: [1], value: '9', from: 'May' }], /the first day “May” cannot be read/],
  ['loan.no', [{ key: [1], value: '9' }], /part of the key/],
  ['loan.other', [{ key: [1], value: '9' }], /no column loan\.other/],
])('%s %j is refused, and nothing is entered', async (of, entries, why) => {
  const id = await loans('refused');
  const answer = await add(id, entries, undefined, of);
  expect(answer.status).toBeGreaterThanOrEqual(400);
  expect((answer.body as { message: string }).message).toMatch(why);
  expect(await listed(id)).toEqual([]);
  expect(await fines(id)).toBe('3.50');
});
