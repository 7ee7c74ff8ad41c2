import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { ClaimsState, KeptProfile, ProfileState } from '@crease/contract';
import type { Advice, FoldsMeasured, ProfileDocument } from '@crease/core/storage';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

let fixture: ApiFixture;
beforeAll(async () => (fixture = await startApi()), 60_000);
afterAll(() => fixture.close());
const api = () => fixture.api();

const ROWS = 4000;
const two = (n: number) => String(n).padStart(2, '0');
const lines = (from: number, count: number) =>
  Array.from({ length: count }, (_, k) => {
    const i = from + k;
    const at = `2026-${two(1 + (i % 12))}-${two(1 + (i % 28))} ${two(i % 24)}:${two(i % 60)}:${two((i * 37) % 60)}`;
    return `${i},${at},B${i % 20},${i % 7}`;
  });
const csv = (from: number, count: number) => `no,at,branch,copies\n${lines(from, count).join('\n')}\n`;
const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const COLUMNS = [
  { name: 'no', fileName: 'no', type: 'integer' },
  { name: 'at', fileName: 'at', type: 'text' },
  { name: 'branch', fileName: 'branch', type: 'text' },
  { name: 'copies', fileName: 'copies', type: 'integer' },
];

async function load(id: number, text: string, change: object = {}) {
  const upload = await fixture.upload('visit.csv', text);
  return fixture.load(id, [{ upload, name: 'visit', dialect: DIALECT, columns: COLUMNS, ...change }]);
}

async function newModel(title: string): Promise<number> {
  const id = await fixture.newModel(title);
  await load(id, csv(0, ROWS));
  await editOf(id, [{ do: 'set-table', table: 'visit', change: { role: 'fact', key: ['no'] } }]);
  return id;
}

async function editOf(id: number, edit: object[]): Promise<void> {
  const { revision } = await fixture.stateOf(id);
  await api().post(`/api/models/${id}/edits`).send({ base: revision.id, edit, says: 'edit' }).expect(200);
}

const get = async <T>(path: string, status = 200): Promise<T> =>
  (await api().get(`/api${path}`).expect(status)).body as T;
const profileOf = (id: number) => get<ProfileState>(`/models/${id}/profile`);
const tableOf = (state: ProfileState, name = 'visit') => state.profile.tables.find((t) => t.name === name)!;

test('figures are those of what lies in the file, and its parts add up to its size', async () => {
  const id = await newModel('Figures');
  const state = await profileOf(id);
  const db = new Database(join(fixture.folder, 'w.sqlite'), { readonly: true });
  const stored = db
    .prepare(
      `select c.name, sum(length(s.bytes)) as codes, length(c.domain) as domain from stored_table t
       join stored_column c on c.table_id = t.id join segment s on s.column_id = c.id
       where t.model_id = ? group by c.id`,
    )
    .all(id) as { name: string; codes: number; domain: number }[];
  db.close();
  for (const { name, codes, domain } of stored) {
    const column = tableOf(state).columns.find((c) => c.name === name)!;
    expect([name, column.dataBytes]).toEqual([name, codes]);
    expect([name, column.storedBytes]).toEqual([name, codes + domain]);
  }
  const { fileBytes, ...parts } = state.file;
  expect(Object.values(parts).reduce((a, b) => a + b, 0)).toBe(fileBytes);
  expect(parts.codes).toBe(stored.reduce((sum, s) => sum + s.codes, 0));
  expect(Math.min(...Object.values(parts))).toBeGreaterThanOrEqual(0);
});

test('figures are measured once: the same again comes from what is kept, new rows are measured anew', async () => {
  const id = await newModel('Kept');
  const first = await profileOf(id);
  const count = () => {
    const db = new Database(join(fixture.folder, 'w.sqlite'), { readonly: true });
    const n = db.prepare('select count(*) from figure where model_id = ?').pluck().get(id) as number;
    db.close();
    return n;
  };
  const known = count();
  expect(known).toBeGreaterThan(4);
  expect((await profileOf(id)).profile).toEqual(first.profile);
  expect(count()).toBe(known);
  await editOf(id, [{ do: 'set-table', table: 'visit', change: { title: 'Visits' } }]);
  expect((await profileOf(id)).profile).toEqual(first.profile);
  expect(count()).toBe(known);
  await load(id, csv(0, 2 * ROWS));
  expect(tableOf(await profileOf(id)).rows).toBe(2 * ROWS);
  expect(count()).toBeGreaterThan(known);
});

test('profiles of before are kept by revision and load, and are had again', async () => {
  const id = await newModel('Before');
  const first = await profileOf(id);
  await profileOf(id);
  await load(id, csv(0, 2 * ROWS));
  const second = await profileOf(id);
  const kept = await get<KeptProfile[]>(`/models/${id}/profiles`);
  expect(kept.map((k) => [k.totalBytes, k.rows])).toEqual([
    [second.profile.totalBytes, 2 * ROWS],
    [first.profile.totalBytes, ROWS],
  ]);
  const old = await get<ProfileDocument>(`/models/${id}/profiles/${kept[1]!.id}`);
  expect(old).toMatchObject({ creaseProfile: 1, totalBytes: first.profile.totalBytes });
  await get(`/models/${id}/profiles/999999`, 404);
});

test('advice is applied as it was measured, and undone like any edit', async () => {
  const id = await newModel('Advice');
  const advice = await get<Advice[]>(`/models/${id}/storage-advice`);
  const split = advice.find((a) => a.fold.do === 'split-moment' && a.fold.time)!;
  const measured = (
    await api()
      .post(`/api/models/${id}/folds`)
      .send({ folds: [split.fold] })
      .expect(200)
  ).body as FoldsMeasured;
  expect(measured.beforeBytes - measured.afterBytes).toBe(split.beforeBytes - split.afterBytes);
  const before = await profileOf(id);
  await editOf(id, measured.edit);
  const after = await profileOf(id);
  const bytes = (state: ProfileState) => tableOf(state).columns.reduce((n, c) => n + c.totalBytes, 0);
  expect(bytes(before) - bytes(after)).toBe(split.beforeBytes - split.afterBytes);
  expect(tableOf(after)).toMatchObject({ derived: true, rows: ROWS });
  const { revision } = await fixture.stateOf(id);
  await api().post(`/api/models/${id}/undo`).send({ base: revision.id }).expect(200);
  expect((await profileOf(id)).profile).toEqual(before.profile);
});

test('rows in parts weigh what their parts weigh', async () => {
  const id = await newModel('Parts');
  const one = tableOf(await profileOf(id));
  await load(id, csv(ROWS, ROWS), { mode: 'add' });
  const both = tableOf(await profileOf(id));
  expect(both.rows).toBe(2 * ROWS);
  const at = (t: typeof one) => t.columns.find((c) => c.name === 'at')!;
  expect(at(both).held.reduce((n, h) => n + h.segments, 0)).toBe(2);
  expect(at(both).dictionaryBytes).toBeGreaterThan(at(one).dictionaryBytes);
  // What an order of rows would save is held against the parts as they lie, not against one piece of them.
  const advice = await get<Advice[]>(`/models/${id}/storage-advice`);
  const sorts = advice.filter((a) => a.fold.do === 'sort');
  expect(sorts.map((a) => a.beforeBytes)).toEqual(sorts.map(() => both.dataBytes));
  expect(sorts).not.toHaveLength(0);
});

test('a budget is a claim: broken while more is held, and kept when it is raised', async () => {
  const id = await newModel('Budget');
  const verdict = async (claim: string) => {
    for (;;) {
      const { claims, done } = await get<ClaimsState>(`/models/${id}/claims`);
      if (done) return claims.find((c) => c.id === claim)?.verdict;
      await new Promise((resume) => setTimeout(resume, 20));
    }
  };
  await editOf(id, [{ do: 'set-table', table: 'visit', change: { budget: { bytes: 100 } } }]);
  await editOf(id, [{ do: 'set-model', change: { budget: { bytes: 1e9 } } }]);
  expect(await verdict('budget-kept:visit')).toBe('broken');
  expect(await verdict('budget-kept:model')).toBe('holds');
  await editOf(id, [
    { do: 'set-table', table: 'visit', change: { budget: { bytes: 1e6 } } },
    { do: 'set-model', change: { budget: null } },
  ]);
  expect(await verdict('budget-kept:visit')).toBe('holds');
  expect(await verdict('budget-kept:model')).toBeUndefined();
});

test('beside Parquet: bytes of every stored column, measured once', async () => {
  const id = await newModel('Parquet');
  const sizes = await get<Record<string, number>>(`/models/${id}/parquet-sizes`);
  expect(Object.keys(sizes)).toEqual(['visit.no', 'visit.at', 'visit.branch', 'visit.copies']);
  for (const bytes of Object.values(sizes)) expect(bytes).toBeGreaterThan(0);
  // Twenty branches of 4,000 rows are 5 bits a row at the most, and the texts once.
  expect(sizes['visit.branch']).toBeLessThan((ROWS * 5) / 8 + 400);
  expect(await get(`/models/${id}/parquet-sizes`)).toEqual(sizes);
});
