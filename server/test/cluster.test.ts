import type { DatabaseTable, UploadState } from '@crease/contract';
import { columnOfValues, tableOf } from '@crease/core/columns';
import type { Query } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import type { Answer } from '@crease/core/query';
import { DATE, decimal, INTEGER, TEXT, TIMESTAMP } from '@crease/core/values';
import type { Cluster } from '../../tools/clickhouse/cluster.ts';
import { startCluster } from '../../tools/clickhouse/cluster.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';

// A cluster of ClickHouse: facts spread over nodes, dimensions on each of them; read through one server.

/** As many as are shown at once. */
const ROWS = 100;
const FIRST_DAY = 20_454;
const numbers = Array.from({ length: ROWS }, (_, i) => i);
const column = (name: string, type: string) => ({ name, type });
const model = readModel(
  JSON.stringify({
    ...{ crease: 1, name: 'spread' },
    tables: [
      {
        ...{ name: 'loan', role: 'fact', key: ['no'] },
        columns: [
          ...[column('no', 'integer'), column('branch', 'text'), column('day', 'date')],
          ...[column('lent_at', 'timestamp'), column('fine', 'decimal(9,2)'), column('until', 'date')],
        ],
      },
      {
        ...{ name: 'branch', role: 'dimension', key: ['code'] },
        columns: [column('code', 'text'), column('name', 'text')],
      },
      { name: 'never loaded', role: 'dimension', columns: [column('x', 'text')] },
    ],
  }),
);
const BRANCHES = ['A\t1', 'B\\2', "C'3", null];
const rows = {
  loan: tableOf('loan', [
    columnOfValues('no', INTEGER, numbers),
    columnOfValues(
      'branch',
      TEXT,
      numbers.map((i) => BRANCHES[i % 4]!),
    ),
    columnOfValues(
      'day',
      DATE,
      numbers.map((i) => FIRST_DAY + (i % 30)),
    ),
    columnOfValues(
      'lent_at',
      TIMESTAMP,
      numbers.map((i) => (i % 5 === 0 ? null : (FIRST_DAY * 86_400 + i) * 1_000_000)),
    ),
    columnOfValues(
      'fine',
      decimal(9, 2),
      numbers.map((i) => i * 7 - 20),
    ),
    // The last day that people write lies beyond what ClickHouse calls a day.
    columnOfValues(
      'until',
      DATE,
      numbers.map(() => 2_932_896),
    ),
  ]),
  branch: tableOf('branch', [
    columnOfValues('code', TEXT, BRANCHES),
    columnOfValues('name', TEXT, ['Pier', 'Mill\n2', 'Quay', '']),
  ]),
};

let cluster: Cluster;
let fixture: ApiFixture;
beforeAll(async () => {
  cluster = await startCluster(2);
  await cluster.write(model, (name) => rows[name as keyof typeof rows]);
  fixture = await startApi();
  await fixture
    .api()
    .put('/api/connections')
    .send({ kind: 'clickhouse', name: 'cluster', ...cluster.place })
    .expect(200);
});
afterAll(async () => {
  await fixture?.close();
  await cluster?.stop();
});

const sampled = async (table: string): Promise<UploadState> => {
  const tables = [{ schema: 'lending', table }];
  const { body } = await fixture.api().post('/api/connections/cluster/sample').send({ tables }).expect(200);
  return (body as UploadState[])[0]!;
};
const broughtIn = async (modelId: number, table: string) => {
  const { id } = await sampled(table);
  return fixture.load(modelId, [{ ...(await fixture.orderOf(id, table)), mode: 'replace' }]);
};

test('each row of a fact lies on one node, dimensions lie on all', async () => {
  const counts = await Promise.all(
    cluster.nodes.map((node) => node.run('select count() from lending.loan_rows')),
  );
  expect(counts.map(Number).reduce((a, b) => a + b)).toBe(ROWS);
  for (const count of counts) expect(Number(count)).toBeGreaterThan(ROWS / 4);
  for (const server of [cluster.coordinator, ...cluster.nodes])
    expect(await server.run('select count() from lending.branch')).toBe('4');
  const { body } = await fixture.api().get('/api/connections/cluster/tables').expect(200);
  expect((body as DatabaseTable[]).map((t) => [t.table, t.rows])).toEqual([
    ['branch', 4],
    ['loan', null],
  ]);
});

test('its rows are brought in through one server, whatever node they lie on', async () => {
  const id = await fixture.newModel('Spread');
  expect(await broughtIn(id, 'loan')).toMatchObject({ state: 'done' });
  expect(await broughtIn(id, 'branch')).toMatchObject({ state: 'done' });
  const loans = await fixture.rowsOf(id, 'loan');
  expect(loans).toHaveLength(ROWS);
  const sorted = [...loans].sort((a, b) => Number(a[0]) - Number(b[0]));
  expect(sorted.slice(0, 3)).toEqual([
    [0, 'A\t1', '2026-01-01', null, '-0.20', '9999-12-31'],
    [1, 'B\\2', '2026-01-02', '2026-01-01T00:00:01', '-0.13', '9999-12-31'],
    [2, "C'3", '2026-01-03', '2026-01-01T00:00:02', '-0.06', '9999-12-31'],
  ]);
  expect((await fixture.rowsOf(id, 'branch')).map(([, name]) => name)).toEqual([
    'Pier',
    'Mill\n2',
    'Quay',
    '',
  ]);
});

const asked = async (modelId: number, query: Query): Promise<Answer> =>
  (await fixture.api().post(`/api/models/${modelId}/query`).send({ query }).expect(200)).body as Answer;

/** A star over the cluster, passed through. */
async function passedStar(): Promise<number> {
  const id = await fixture.newModel('Spread, passed through');
  const tables = ['loan', 'branch'].map((table) => ({ schema: 'lending', table }));
  await fixture
    .api()
    .post(`/api/models/${id}/passed-through`)
    .send({ connection: 'cluster', tables })
    .expect(200);
  await fixture.edit(id, [
    { do: 'set-table', table: 'loan', change: { role: 'fact', key: ['no'] } },
    { do: 'set-table', table: 'branch', change: { role: 'dimension', key: ['code'] } },
    {
      do: 'put-relationships',
      name: null,
      value: {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch'] },
        to: { table: 'branch', columns: ['code'] },
      },
    },
    { do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } },
    { do: 'put-measures', name: null, value: { name: 'Fines', formula: 'sum(loan.fine)' } },
  ]);
  return id;
}

test('a star is asked and judged where its rows lie, and nodes send groups of them', async () => {
  const id = await passedStar();
  for (const node of cluster.nodes) await node.run('select 1');
  const loans = await asked(id, { measures: ['Loans'], by: ['branch.name'] });
  // A quarter of the loans names no branch.
  expect(loans.rows).toEqual([
    ['Mill\n2', 25],
    ['Pier', 25],
    ['Quay', 25],
    [null, 25],
  ]);
  const sent: number[] = [];
  for (const node of cluster.nodes) {
    await node.run('system flush logs');
    const most = await node.run(
      `select max(result_rows) from system.query_log where type = 2 and is_initial_query = 0 and query like '%GROUP BY branch LIMIT%'`,
    );
    sent.push(Number(most));
  }
  // Each of the four groups at most, of some fifty rows that lie on a node.
  for (const rows of sent) expect([rows > 0, rows <= 4]).toEqual([true, true]);
  const fines = await asked(id, { measures: ['Fines'], by: [], totals: true });
  expect(fines.rows).toEqual([
    [numbers.reduce((sum, i) => sum + i * 7 - 20, 0) / 100].map((n) => n.toFixed(2)),
  ]);
  const state = await fixture.judged(id);
  const verdictOf = (claim: string) => state.claims.find((c) => c.id === claim)?.verdict;
  expect(verdictOf('key-unique:loan')).toBe('holds');
  expect(verdictOf('reference-complete:loan_branch')).toBe('holds');
  expect(verdictOf('key-filled:branch')).toBe('broken');
  expect(state.claims.filter((c) => c.verdict === 'unchecked').map((c) => c.id)).toEqual([]);
});

test('claims of a node that is gone say so, and are judged once it is back', async () => {
  const id = await passedStar();
  await fixture.judged(id);
  const [node] = cluster.nodes;
  await node!.stop('SIGKILL');
  const judgedAgain = async () => {
    await fixture.api().post(`/api/models/${id}/claims/judge`).send({}).expect(200);
    return (await fixture.judged(id)).claims.find((c) => c.id === 'key-unique:loan')!;
  };
  const gone = await judgedAgain();
  expect([gone.verdict, gone.evidence.notes]).toEqual([
    'unchecked',
    [expect.stringContaining('a node of the cluster does not answer')],
  ]);
  await node!.start();
  expect((await judgedAgain()).verdict).toBe('holds');
});

test('a node that is gone is said, nothing is lost, and once it is back its rows are there', async () => {
  const id = await fixture.newModel('With a node that goes');
  expect(await broughtIn(id, 'loan')).toMatchObject({ state: 'done' });
  const [node] = cluster.nodes;
  await node!.stop('SIGKILL');
  const { id: upload } = await sampled('branch');
  expect(upload).toEqual(expect.any(String));
  const tables = [{ schema: 'lending', table: 'loan' }];
  const refused = await fixture.api().post('/api/connections/cluster/sample').send({ tables });
  expect([refused.status, (refused.body as { message: string }).message]).toEqual([
    422,
    expect.stringMatching(/^a node of the cluster does not answer/),
  ]);
  expect(await fixture.rowsOf(id, 'loan')).toHaveLength(ROWS);
  await node!.start();
  expect(await broughtIn(id, 'loan')).toMatchObject({ state: 'done' });
  expect(await fixture.rowsOf(id, 'loan')).toHaveLength(ROWS);
  expect(fixture.logged).toEqual([]);
});
