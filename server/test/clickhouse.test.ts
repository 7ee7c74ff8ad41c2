import type { Answer } from '@crease/core/query';
import type { DatabaseTable, RightsState, UploadState } from '@crease/contract';
import { ClickhouseReader } from '../src/databases/clickhouse.ts';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import type { ClickhouseServer } from './clickhouse.ts';
import { startClickhouse } from './clickhouse.ts';
import { freePort } from './freePort.ts';

// ClickHouse of Debian's package, over HTTP: what is there is listed and brought in.

let server: ClickhouseServer;
let fixture: ApiFixture;
const SCHEMA = [
  'create database lending',
  `create table lending.loan (id UInt64, branch_code Nullable(String), lent_at DateTime, day Date, fine Decimal(9, 2),
     weight Nullable(Float64), kind Enum8('a' = 1, 'b' = 2), n Int32, tag FixedString(4), lists Array(Int32))
     engine = MergeTree partition by toYYYYMM(day) order by id`,
  `insert into lending.loan values
    (18446744073709551615, 'A "q", \\n \\\\ it\\'s', toDateTime('2026-01-02 03:04:05', 'UTC'), '2026-01-02', 0.1, 1e-7, 'a', -5, 'ab', [1, 2]),
    (2, null, toDateTime('2026-07-02 00:00:00', 'UTC'), '2026-07-02', 2.5, null, 'b', 0, '', []),
    (3, '', toDateTime('2026-07-02 23:59:59', 'UTC'), '2026-07-03', 0, 2, 'b', 7, 'abcd', [3])`,
  'create view lending.busy as select branch_code, count() as loans from lending.loan group by branch_code',
];
beforeAll(async () => {
  server = await startClickhouse();
  for (const statement of SCHEMA) await server.run(statement);
  fixture = await startApi();
  await connect('cluster');
});
afterAll(async () => {
  await fixture?.close();
  await server?.stop();
});

const api = () => fixture.api();
const connect = (name: string, change: object = {}) =>
  api()
    .put('/api/connections')
    .send({ kind: 'clickhouse', name, ...server.place, ...change })
    .expect(200);
const tables = [{ schema: 'lending', table: 'loan' }];

test('it is tested, and its tables and views are listed with their rows', async () => {
  const tested = await api().post('/api/connections/cluster/test').expect(200);
  expect((tested.body as { server: string }).server).toMatch(/^ClickHouse \d+\./);
  const listed = (await api().get('/api/connections/cluster/tables').expect(200)).body as DatabaseTable[];
  expect(listed.map((t) => [t.schema, t.table, t.kind, t.rows, t.columns])).toEqual([
    ['lending', 'busy', 'view', null, 2],
    ['lending', 'loan', 'table', 3, 10],
  ]);
});

test('its rows are brought in as they are: large numbers, moments in UTC, quotes, nulls and empty texts', async () => {
  const model = await fixture.newModel('From ClickHouse');
  const sample = await api().post('/api/connections/cluster/sample').send({ tables }).expect(200);
  const [upload] = sample.body as UploadState[];
  const { columns } = await fixture.look(upload!.id);
  expect(columns.map((c) => c.type.kind)).toEqual([
    ...['decimal', 'text', 'timestamp', 'date', 'decimal'],
    ...['double', 'text', 'integer', 'text', 'text'],
  ]);
  const job = await fixture.load(model, [await fixture.orderOf(upload!.id, 'loan')]);
  expect(job.state).toBe('done');
  const rows = await fixture.rowsOf(model, 'loan');
  expect([...rows].sort((a, b) => Number(a[0]) - Number(b[0]))).toEqual([
    ['2', null, '2026-07-02T00:00:00', '2026-07-02', '2.50', null, 'b', 0, '', '[]'],
    ['3', '', '2026-07-02T23:59:59', '2026-07-03', '0.00', 2, 'b', 7, 'abcd', '[3]'],
    [
      ...['18446744073709551615', 'A "q", \n \\ it\'s', '2026-01-02T03:04:05', '2026-01-02', '0.10'],
      ...[1e-7, 'a', -5, 'ab', '[1,2]'],
    ],
  ]);
});

test.each([
  [{ password: 'wrong' }, /the password of modeler is not right/],
  [{ database: 'nowhere' }, /the server has no database nowhere/],
])('what is wrong with a connection is said: %j', async (change, says) => {
  await connect('probe', change);
  const { body } = await api().post('/api/connections/probe/test').expect(422);
  expect((body as { message: string }).message).toMatch(says);
});

test('nothing that answers is said', async () => {
  const port = await freePort();
  await connect('probe', { port });
  const { body } = await api().post('/api/connections/probe/test').expect(422);
  expect((body as { message: string }).message).toMatch(`nothing answers at 127.0.0.1:${port}`);
});

test('every statement is read-only, and an account that may write is told of', async () => {
  const { body } = await api().post('/api/connections/cluster/rights').send({ tables }).expect(200);
  expect((body as RightsState).excess).toHaveLength(1);
  const reader = new ClickhouseReader(server.place) as unknown as { ask(sql: string): Promise<Response> };
  await expect(reader.ask('drop table lending.loan')).rejects.toThrow(/readonly/i);
  expect(await server.run('select count() from lending.loan')).toBe('3');
});

test('a statement that nobody waits for is ended at the server', async () => {
  const reader = new ClickhouseReader(server.place);
  await server.run('create view lending.endless as select number from system.numbers');
  const controller = new AbortController();
  const drawing = reader.draw({ schema: 'lending', table: 'endless' }, `${fixture.folder}/endless.csv`, {
    nullText: '',
    signal: controller.signal,
    onBytes: () => controller.abort(),
  });
  await expect(drawing).rejects.toThrow('cancelled');
  const running = () => server.run(`select count() from system.processes where query like '%endless%' and query not like '%processes%'`); // oxfmt-ignore
  while ((await running()) !== '0') await new Promise((resume) => setTimeout(resume, 50));
});

test('groups that nobody waits for any more are not made any further at the server', async () => {
  await server.run(
    'create view lending.long as select number % 3 as n from system.numbers limit 1000000000000',
  );
  const controller = new AbortController();
  const groups = new ClickhouseReader(server.place, controller.signal).groups(
    { schema: 'lending', table: 'long' },
    ['n'],
    10,
  );
  const running = () => server.run(`select count() from system.processes where query like '%"long"%' and query not like '%processes%'`); // oxfmt-ignore
  while ((await running()) === '0') await new Promise((resume) => setTimeout(resume, 20));
  controller.abort();
  await expect(groups).rejects.toThrow('cancelled');
  while ((await running()) !== '0') await new Promise((resume) => setTimeout(resume, 50));
});

test('groups that take longer than they may are given up by the server, and the message says what to do', async () => {
  await server.run(
    'create view lending.unending as select number % 3 as n from system.numbers limit 1000000000000',
  );
  const reader = new ClickhouseReader(server.place, new AbortController().signal, 1);
  await expect(reader.groups({ schema: 'lending', table: 'unending' }, ['n'], 10)).rejects.toThrow(
    'the groups were not counted within 1 s: ask of fewer columns, or hold the table',
  );
});

test('what goes wrong while rows come is no end of them', async () => {
  await server.run(
    `create view lending.breaking as select number, intDiv(1, 900000 - toInt64(number)) as n from system.numbers limit 1000000`,
  );
  const reader = new ClickhouseReader(server.place);
  const drawing = reader.draw({ schema: 'lending', table: 'breaking' }, `${fixture.folder}/breaking.csv`, {
    ...{ nullText: '', signal: new AbortController().signal, onBytes: () => undefined },
  });
  await expect(drawing).rejects.toThrow(/the database says: Division by zero/);
});

test('a password goes to another machine only where the connection allows it', async () => {
  const elsewhere = { ...server.place, host: 'no-such-machine.invalid' };
  await expect(new ClickhouseReader(elsewhere).test()).rejects.toThrow(/unencrypted/);
  await expect(new ClickhouseReader({ ...elsewhere, clearPassword: true }).test()).rejects.toThrow(
    /no-such-machine.invalid not found/,
  );
});

test('what is passed through has the values that are brought in, whatever their types', async () => {
  const model = await fixture.newModel('On ClickHouse');
  const order = { connection: 'cluster', tables: [...tables, { schema: 'lending', table: 'busy' }] };
  await api().post(`/api/models/${model}/passed-through`).send(order).expect(200);
  const rows = await fixture.rowsOf(model, 'loan');
  const brought = await fixture.newModel('Brought in');
  const sample = await api().post('/api/connections/cluster/sample').send({ tables }).expect(200);
  const [upload] = sample.body as UploadState[];
  await fixture.load(brought, [await fixture.orderOf(upload!.id, 'loan')]);
  const inOrder = (list: readonly unknown[][]) => list.map((row) => JSON.stringify(row)).sort();
  expect(inOrder(rows)).toEqual(inOrder(await fixture.rowsOf(brought, 'loan')));
  // And grouped by each of its columns.
  const { model: made } = await fixture.stateOf(model);
  await fixture.edit(model, [
    { do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } },
  ]);
  await fixture.edit(brought, [
    { do: 'put-measures', name: null, value: { name: 'Loans', formula: 'count(loan)' } },
  ]);
  for (const { name } of made.tables[0]!.columns) {
    const query = { query: { measures: ['Loans'], by: [`loan.${name}`] } };
    const [there, here] = await Promise.all(
      [model, brought].map(
        async (id) => (await api().post(`/api/models/${id}/query`).send(query).expect(200)).body,
      ),
    );
    expect((there as Answer).rows).toEqual((here as Answer).rows);
  }
});
