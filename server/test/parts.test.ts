import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import fc from 'fast-check';
import type { JobState, LoadsState, PartsState } from '@crease/contract';
import { loadByRecipe } from '../src/index.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { cases } from '../../tools/cases.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const COLUMNS = [
  { name: 'no', fileName: 'no', type: 'integer' },
  { name: 'day', fileName: 'day', type: 'date', pattern: 'yyyy-MM-dd' },
  { name: 'copies', fileName: 'copies', type: 'integer' },
];
type Row = readonly [no: number, day: string, copies: number | string];
const csv = (rows: readonly Row[]) => `no,day,copies\n${rows.map((r) => r.join(',')).join('\n')}\n`;

async function load(
  id: number,
  rows: readonly Row[],
  change: object = {},
  dryRun = false,
): Promise<JobState> {
  const upload = await fixture.upload('visit.csv', csv(rows));
  return fixture.load(id, [{ upload, name: 'visit', dialect: DIALECT, columns: COLUMNS, ...change }], dryRun);
}

async function edit(id: number, change: object): Promise<void> {
  const { revision } = await fixture.stateOf(id);
  await api()
    .post(`/api/models/${id}/edits`)
    .send({ base: revision.id, edit: [{ do: 'set-table', table: 'visit', change }], says: 'edit' })
    .expect(200);
}

const partsOf = async (id: number) =>
  (await fixture.stateOf(id)).stored[0]?.parts?.map((p) => [p.name, p.rows]).sort() ?? [];
const rowsOf = async (id: number) =>
  (await fixture.rowsOf(id, 'visit')).map((r) => r.join(',')).sort((a, b) => a.localeCompare(b));

/** Segments of each current part, as they lie in the file. */
function bytesOf(id: number): Map<string, string> {
  const db = new Database(join(fixture.folder, 'w.sqlite'), { readonly: true });
  const found = db
    .prepare(
      `select t.part, t.id || ' ' || group_concat(hex(s.bytes)) as bytes from stored_table t
       join stored_column c on c.table_id = t.id join segment s on s.column_id = c.id
       where t.model_id = ? and t.retired_at is null group by t.id`,
    )
    .all(id) as { part: string; bytes: string }[];
  db.close();
  return new Map(found.map(({ part, bytes }) => [part, bytes]));
}

const FIRST: Row[] = [
  [1, '2024-03-01', 5],
  [2, '2025-01-15', 7],
  [3, '2025-02-01', 1],
  [4, '', 2],
];

/** A table kept in parts by year, loaded once. */
async function parted(title: string, partition: object = { by: 'day', every: 'year' }): Promise<number> {
  const id = await fixture.newModel(title);
  await load(id, FIRST);
  await edit(id, { role: 'fact', key: ['no'], partition });
  return id;
}

test('rows find their parts; a load of some replaces just these, and leaves the others as they lie', async () => {
  const id = await parted('By year');
  expect(await partsOf(id)).toEqual([]);
  await load(id, FIRST);
  expect(await partsOf(id)).toEqual([
    ['(none)', 1],
    ['2024', 1],
    ['2025', 2],
  ]);
  const before = bytesOf(id);
  const tried = await load(
    id,
    [
      [5, '2025-06-01', 3],
      [6, '2026-01-01', 4],
    ],
    { mode: 'parts' },
    true,
  );
  expect(tried.loads![0]).toMatchObject({
    parts: [
      { name: '2025', rows: 1, was: 2 },
      { name: '2026', rows: 1, was: null },
    ],
    removed: 2,
  });
  expect(bytesOf(id)).toEqual(before);
  await load(
    id,
    [
      [5, '2025-06-01', 3],
      [6, '2026-01-01', 4],
    ],
    { mode: 'parts' },
  );
  expect(await partsOf(id)).toEqual([
    ['(none)', 1],
    ['2024', 1],
    ['2025', 1],
    ['2026', 1],
  ]);
  const after = bytesOf(id);
  expect([after.get('2024'), after.get('(none)')]).toEqual([before.get('2024'), before.get('(none)')]);
  expect(await rowsOf(id)).toEqual(['1,2024-03-01,5', '4,,2', '5,2025-06-01,3', '6,2026-01-01,4']);
  const { log } = (await api().get(`/api/models/${id}/loads`).expect(200)).body as LoadsState;
  expect(log[0]).toMatchObject({ mode: 'parts', parts: ['2025', '2026'], source: 'visit.csv' });
});

test('rows that were never parted are, with the first load, and none is lost', async () => {
  const id = await parted('Later');
  await load(id, [[9, '2026-05-01', 1]], { mode: 'parts' });
  expect(await partsOf(id)).toEqual([
    ['(none)', 1],
    ['2024', 1],
    ['2025', 2],
    ['2026', 1],
  ]);
  expect(await rowsOf(id)).toHaveLength(5);
  // Another rule parts them anew.
  await edit(id, { partition: { by: 'day', every: 'month' } });
  await load(id, [[10, '2026-05-02', 1]], { mode: 'add' });
  expect((await partsOf(id)).map(([name]) => name)).toEqual([
    '(none)',
    '2024-03',
    '2025-01',
    '2025-02',
    '2026-05',
  ]);
  expect(await rowsOf(id)).toHaveLength(6);
});

test('a closed part refuses what would change it, also in a dry run, and lets the rest in by choice', async () => {
  const id = await parted('Closed');
  await load(id, FIRST);
  await edit(id, { partition: { by: 'day', every: 'year', closed: ['2024'] } });
  const coming: Row[] = [
    [7, '2024-09-01', 1],
    [8, '2026-01-01', 2],
  ];
  for (const [change, dryRun] of [
    [{ mode: 'parts' }, false],
    [{ mode: 'parts' }, true],
    [{ mode: 'add' }, false],
    [{ mode: 'replace' }, false],
    [{ mode: 'update' }, false],
  ] as const) {
    const refused = await load(id, coming, change, dryRun);
    expect(refused.state).toBe('failed');
    expect(refused.faults[0]).toMatch(/the part 2024 of visit is closed/);
  }
  expect(await rowsOf(id)).toHaveLength(4);
  const done = await load(id, coming, { mode: 'parts', parts: ['2026'] });
  expect(done.loads![0]).toMatchObject({ notChosen: 1, parts: [{ name: '2026', rows: 1, was: null }] });
  // An update that leaves the closed part alone goes through.
  const updated = await load(id, [[2, '2025-01-15', 70]], { mode: 'update' });
  expect(updated).toMatchObject({ state: 'done', loads: [{ parts: [{ name: '2025', rows: 2, was: 2 }] }] });
  expect(await rowsOf(id)).toContain('2,2025-01-15,70');
});

test('a row whose day is corrected moves to its part; parts that stay the same are not written again', async () => {
  const id = await parted('Moves');
  await load(id, FIRST);
  const before = bytesOf(id);
  await load(id, [[1, '2025-03-01', 5]], { mode: 'update' });
  expect(await partsOf(id)).toEqual([
    ['(none)', 1],
    ['2025', 3],
  ]);
  expect(bytesOf(id).get('(none)')).toBe(before.get('(none)'));
  const { revision } = await fixture.stateOf(id);
  await api().post(`/api/models/${id}/undo`).send({ base: revision.id }).expect(200);
  expect(bytesOf(id)).toEqual(before);
});

test('values that do not fit are told with the part of their row, and go with it', async () => {
  const id = await parted('Misfits');
  await load(id, [
    [1, '2024-03-01', 'five'],
    [2, '2025-01-15', 'two'],
    [3, '2025-01-16', 'three'],
    [5, '2026-01-16', 3],
  ]);
  const against = async () => {
    for (;;) {
      const { claims, done } = (await api().get(`/api/models/${id}/claims`).expect(200)).body as {
        claims: { id: string; evidence: { against: number } }[];
        done: boolean;
      };
      if (done) return claims.find((c) => c.id === 'type-holds:visit.copies')?.evidence.against;
      await new Promise((resume) => setTimeout(resume, 20));
    }
  };
  expect(await against()).toBe(3);
  await load(id, [[4, '2025-04-01', 8]], { mode: 'parts' });
  expect(await against()).toBe(1);
});

test('what is no table in parts, or names a part by hand, is refused in words', async () => {
  const id = await fixture.newModel('Plain');
  await load(id, FIRST);
  for (const change of [{ mode: 'parts' }, { parts: ['2025'] }]) {
    const refused = await load(id, FIRST, change);
    expect(refused.faults[0]).toMatch(/visit is not kept in parts/);
  }
  await edit(id, { partition: { by: 'day', every: 'year' } });
  expect((await load(id, FIRST, { part: 'mine' })).faults[0]).toMatch(/its rows find their parts themselves/);
  await edit(id, { partition: { by: 'copies', every: 'year' } });
  expect((await load(id, FIRST)).faults[0]).toMatch(/parts by year need a date or a timestamp/);
  await edit(id, { partition: { by: 'copies', every: 'value' } });
  expect((await load(id, FIRST)).state).toBe('done');
  expect((await partsOf(id)).map(([name]) => name)).toEqual(['1', '2', '5', '7']);
});

test('parts are told with their days, source and time; all rows are parted at once, and parts removed and had back', async () => {
  const id = await fixture.newModel('Acts');
  await load(id, FIRST);
  await edit(id, { partition: { by: 'day', every: 'year', closed: ['2024'] } });
  const state = async () =>
    (await api().get(`/api/models/${id}/tables/visit/parts`).expect(200)).body as PartsState;
  expect(await state()).toMatchObject({ isParted: false, parts: [{ name: '', rows: 4 }] });
  const act = async (body: object) =>
    fixture.settled(
      (await api().post(`/api/models/${id}/tables/visit/parts`).send(body).expect(200)).body as JobState,
    );
  const rows = await rowsOf(id);
  expect(await act({ do: 'split' })).toMatchObject({ state: 'done', detail: 'visit lies in 3 parts' });
  const split = await state();
  expect(split.isParted).toBe(true);
  expect(split.parts.map((p) => [p.name, p.rows, p.first, p.last, p.isClosed])).toEqual([
    ['2024', 1, '2024-03-01', '2024-03-01', true],
    ['2025', 2, '2025-01-15', '2025-02-01', false],
    ['(none)', 1, null, null, false],
  ]);
  expect(await rowsOf(id)).toEqual(rows);
  expect((await act({ do: 'split' })).detail).toBe('visit is in parts already');
  expect((await act({ do: 'remove', parts: ['2024'] })).faults[0]).toMatch(/2024 of visit is closed/);
  expect((await act({ do: 'remove', parts: ['1999'] })).faults[0]).toMatch(/no part 1999/);
  expect((await act({ do: 'remove', parts: ['2025', '(none)'] })).detail).toBe('3 rows removed');
  expect(await rowsOf(id)).toEqual(['1,2024-03-01,5']);
  const { revision } = await fixture.stateOf(id);
  await api().post(`/api/models/${id}/undo`).send({ base: revision.id }).expect(200);
  expect(await rowsOf(id)).toEqual(rows);
  await load(id, [[8, '2026-02-01', 1]], { mode: 'parts' });
  expect((await state()).parts.find((p) => p.name === '2026')).toMatchObject({
    source: 'visit.csv',
    tookMs: expect.any(Number) as number,
  });
});

test('a recipe loads chosen parts for once, and keeps what it says', async () => {
  const id = await parted('Recipe');
  await load(id, FIRST, { mode: 'parts', recipe: 'Visits by year' });
  const { workspace, folder } = fixture;
  const file = join(folder, 'later.csv');
  writeFileSync(
    file,
    csv([
      [2, '2025-01-15', 70],
      [8, '2026-01-01', 2],
    ]),
  );
  const run = { recipe: 'Visits by year', file, model: String(id), dryRun: false };
  const { loads } = await loadByRecipe(workspace, { ...run, parts: ['visit:2026'] });
  expect(loads[0]).toMatchObject({ notChosen: 1, parts: [{ name: '2026', rows: 1, was: null }] });
  expect(await rowsOf(id)).toContain('2,2025-01-15,7');
  await loadByRecipe(workspace, run);
  expect(await rowsOf(id)).toContain('2,2025-01-15,70');
});

test('any order of loads gives the rows of a plain model of parts', async () => {
  const id = await parted('Random');
  await load(id, FIRST);
  const row = fc.record({
    no: fc.integer({ min: 1, max: 12 }),
    year: fc.constantFrom('2024', '2025', '2026', ''),
    copies: fc.integer({ min: 0, max: 9 }),
  });
  const one = fc.record({
    mode: fc.constantFrom('replace', 'parts', 'add', 'update'),
    rows: fc.uniqueArray(row, { minLength: 1, maxLength: 5, selector: (r) => r.no }),
  });
  let plain: Row[] = FIRST;
  await fc.assert(
    fc.asyncProperty(fc.array(one, { minLength: 1, maxLength: 3 }), async (loads) => {
      for (const { mode, rows } of loads) {
        const coming = rows.map((r): Row => [
          r.no,
          r.year === '' ? '' : `${r.year}-04-0${1 + (r.no % 9)}`,
          r.copies,
        ]);
        const years = new Set(coming.map((r) => r[1].slice(0, 4)));
        const numbers = new Map(coming.map((r) => [r[0], r]));
        // Keys are unique in a model of updates: what is added may repeat them.
        const isUnique = new Set(plain.map((r) => r[0])).size === plain.length;
        if (mode === 'update' && !isUnique) continue;
        const job = await load(id, coming, { mode });
        expect([job.state, job.faults]).toEqual(['done', []]);
        if (mode === 'replace') plain = coming;
        if (mode === 'parts') plain = [...plain.filter((r) => !years.has(r[1].slice(0, 4))), ...coming];
        if (mode === 'add') plain = [...plain, ...coming];
        if (mode === 'update')
          plain = [
            ...plain.map((r) => numbers.get(r[0]) ?? r),
            ...coming.filter((r) => !plain.some((p) => p[0] === r[0])),
          ];
        expect(await rowsOf(id)).toEqual(plain.map((r) => r.join(',')).sort((a, b) => a.localeCompare(b)));
        const sizes = new Map<string, number>();
        for (const r of plain) {
          const part = r[1].slice(0, 4) || '(none)';
          sizes.set(part, (sizes.get(part) ?? 0) + 1);
        }
        expect(await partsOf(id)).toEqual([...sizes].sort());
      }
    }),
    { numRuns: cases(12) },
  );
});
