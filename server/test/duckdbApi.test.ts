import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ConnectionsState, DatabaseTable, ModelState, UploadState } from '@crease/contract';
import type { Proposal } from '@crease/core/propose';
import type { Answer } from '@crease/core/query';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { onDuckdb } from './duckdbFile.ts';

let fixture: ApiFixture;
let folder: string;
let file: string;
beforeAll(async () => {
  fixture = await startApi();
  folder = mkdtempSync(join(tmpdir(), 'crease-duckdb-api-'));
  file = join(folder, 'lake.duckdb');
  await onDuckdb(file, [
    'create table branch (code varchar primary key, region varchar not null, opened date)',
    `insert into branch values ('A', 'North', '1961-01-01'), ('B', 'South', null)`,
    'create table loan (id bigint primary key, branch_code varchar references branch (code), lent_at timestamp, fine decimal(9,2), note varchar)',
    `insert into loan select range, ['A', 'B'][range % 2 + 1], timestamp '2026-01-01 10:00:00' + to_minutes(range), 0.25, case when range = 7 then 'two
lines, "quoted"' when range = 8 then '' end from range(3000)`,
    'create view busy as select branch_code, count(*) as loans from loan group by all',
  ]);
  await fixture.api().put('/api/connections').send({ kind: 'duckdb', name: 'lake', file }).expect(200);
});
afterAll(async () => {
  await fixture.close();
  rmSync(folder, { recursive: true, force: true });
});

const post = async <T>(path: string, body: object): Promise<T> => {
  const response = await fixture.api().post(path).send(body);
  if (response.status !== 200)
    throw new Error(`${path}: ${response.status} ${JSON.stringify(response.body)}`);
  return response.body as T;
};
const get = async <T>(path: string): Promise<T> => (await fixture.api().get(path).expect(200)).body as T;

test('it is listed, tested and looked into: tables, views, keys and references', async () => {
  const { connections } = await get<ConnectionsState>('/api/connections');
  expect(connections).toEqual([{ kind: 'duckdb', name: 'lake', file }]);
  expect(await post('/api/connections/lake/test', {})).toEqual({
    server: expect.stringMatching(/^DuckDB \d/),
  });
  const tables = await get<DatabaseTable[]>('/api/connections/lake/tables');
  expect(tables.map((t) => [t.schema, t.table, t.kind, t.rows, t.columns, t.key])).toEqual([
    ['main', 'branch', 'table', 2, 3, ['code']],
    ['main', 'busy', 'view', null, 2, []],
    ['main', 'loan', 'table', 3000, 5, ['id']],
  ]);
  expect(tables[2]!.references).toEqual([
    { columns: ['branch_code'], schema: 'main', table: 'branch', toColumns: ['code'] },
  ]);
});

test('its rows are brought in like those of a file, with its types', async () => {
  const model = await fixture.newModel('From a lake');
  const [upload] = await post<UploadState[]>('/api/connections/lake/sample', {
    tables: [{ schema: 'main', table: 'loan' }],
  });
  const { columns } = await fixture.look(upload!.id);
  expect(columns.map((c) => [c.name, c.type.kind])).toEqual([
    ['id', 'integer'],
    ['branch_code', 'text'],
    ['lent_at', 'timestamp'],
    ['fine', 'decimal'],
    ['note', 'text'],
  ]);
  const job = await fixture.load(model, [await fixture.orderOf(upload!.id, 'loan')]);
  expect(job.state).toBe('done');
  const rows = await fixture.rowsOf(model, 'loan');
  expect(rows.slice(6, 9)).toEqual([
    [6, 'A', '2026-01-01T10:06:00', '0.25', null],
    [7, 'B', '2026-01-01T10:07:00', '0.25', 'two\nlines, "quoted"'],
    [8, 'A', '2026-01-01T10:08:00', '0.25', ''],
  ]);
});

test('its tables are passed through: a star is drafted, asked, weighed and checked where the rows lie', async () => {
  const model = await fixture.newModel('On a lake');
  const tables = ['branch', 'loan'].map((table) => ({ schema: 'main', table }));
  await post(`/api/models/${model}/passed-through`, { connection: 'lake', tables });
  const { proposals } = await get<{ proposals: Proposal[] }>(`/api/models/${model}/proposals`);
  for (const p of proposals) {
    const { revision } = await get<ModelState>(`/api/models/${model}`);
    await post(`/api/models/${model}/edits`, { base: revision.id, edit: p.edit, says: 'accepted' });
  }
  const { model: made, stored } = await get<ModelState>(`/api/models/${model}`);
  expect(stored).toEqual([]);
  expect(made.relationships?.map((r) => r.name)).toEqual(['loan_branch']);
  const query = { measures: ['Loan rows'], by: ['branch.region'], totals: true };
  const answer = await post<Answer>(`/api/models/${model}/query`, { query });
  expect([answer.rows, answer.totals]).toEqual([
    [
      ['North', 1500],
      ['South', 1500],
    ],
    [3000],
  ]);
  for (;;) {
    const { done, claims } = await get<{ done: boolean; claims: { id: string; verdict: string }[] }>(
      `/api/models/${model}/claims`,
    );
    if (!done) continue;
    expect(claims.find((c) => c.id === 'reference-complete:loan_branch')!.verdict).toBe('holds');
    expect(claims.filter((c) => c.verdict === 'unchecked')).toEqual([]);
    break;
  }
});
