import type { TableData } from '@crease/core/columns';
import { columnOfValues, tableOf } from '@crease/core/columns';
import type { Model, Query, Table } from '@crease/core/model';
import { answerQuery, ModelData } from '@crease/core/query';
import { INTEGER, TEXT } from '@crease/core/values';
import type { WarehouseEngine } from '../src/warehouse/engine.ts';
import { postgresqlEngine } from '../src/warehouse/engines/postgresql.ts';
import { ModelOnWarehouse } from '../src/warehouse/warehouse.ts';
import type { OpenOrder } from '../src/warehouse/warehouse.ts';
import type { Cluster } from './postgresql.ts';
import { answersAsColumnsDo, found, plain } from './engineSuite.ts';
import { startPostgresql } from './postgresql.ts';
import { writeWarehouse } from './warehouseTables.ts';

let cluster: Cluster;
let engine: WarehouseEngine;
beforeAll(async () => {
  cluster = await startPostgresql();
  engine = postgresqlEngine(cluster.place);
});
afterAll(() => cluster.stop());

const nothingHeld = (table: Table): TableData => {
  throw new TypeError(`${table.name} is not asked for here`);
};

const open = <T>(order: Partial<OpenOrder> & { model: Model }, work: (on: ModelOnWarehouse) => Promise<T>) =>
  engine.within(async (session) =>
    work(
      await ModelOnWarehouse.open(engine, session, {
        connection: 'warehouse',
        held: nothingHeld,
        today: 0,
        timeoutMs: 60_000,
        ...order,
      }),
    ),
  );

describe('questions and claims', () => {
  let worlds = 0;
  answersAsColumnsDo(async (data) => {
    const schema = `world_${++worlds}`;
    await writeWarehouse(cluster.client, schema, data);
    const inSchema: WarehouseEngine = {
      ...engine,
      within: (work, signal) =>
        engine.within(
          (session) =>
            work({
              endAfter: (milliseconds) => session.endAfter(milliseconds),
              inOrder: () => session.inOrder(),
              texts: (sql, values) => session.texts(sql, values),
              findPlaces: (search) => session.findPlaces({ ...search, schema }),
            }),
          signal,
        ),
    };
    return inSchema;
  });
});

const table = (
  name: string,
  role: Table['role'],
  columns: Record<string, string>,
  rest: object = {},
): Table => ({
  name,
  role,
  columns: Object.entries(columns).map(([column, type]) => ({ name: column, type })),
  ...rest,
});
const toBranch = {
  name: 'loan_branch',
  from: { table: 'loan', columns: ['branch_code'] },
  to: { table: 'branch', columns: ['branch_code'] },
};
const branch = table(
  'branch',
  'dimension',
  { branch_code: 'text', region: 'text' },
  { key: ['branch_code'] },
);
const loan = table('loan', 'fact', { branch_code: 'text', copies: 'integer' });
const lending: Model = {
  crease: 1,
  name: 'lending',
  tables: [loan, branch],
  relationships: [toBranch],
  measures: [{ name: 'Copies', formula: 'sum(loan.copies)' }],
};
const byRegion: Query = { measures: ['Copies'], by: ['branch.region'], totals: true };
const heldBranch = (rows: readonly (readonly [string, string])[]): TableData =>
  tableOf(
    'branch',
    [
      columnOfValues(
        'branch_code',
        TEXT,
        rows.map(([code]) => code),
      ),
      columnOfValues(
        'region',
        TEXT,
        rows.map(([, region]) => region),
      ),
    ],
    { rowCount: rows.length },
  );

test('a small table that is held here travels along with a question, and with claims', async () => {
  await cluster.client.query(`create schema lending;
    create table lending.loan (branch_code text, copies int);
    insert into lending.loan values ('A', 1), ('A', 2), ('B', 4), ('Z', 8)`);
  const held = () =>
    heldBranch([
      ['A', 'North'],
      ['B', "O'Hara \\ {}"],
    ]);
  await open({ model: lending, schema: 'lending', held }, async (on) => {
    const answer = await on.answer(byRegion);
    expect(new Map(answer.rows.map((row) => [row[0], row[1]]))).toEqual(
      new Map<unknown, unknown>([
        ['North', 3],
        ["O'Hara \\ {}", 4],
        [null, 8],
      ]),
    );
    expect(answer.totals).toEqual([15]);
    const claims = await on.judge('1970-01-01');
    expect(plain(found(claims, 'reference-complete:loan_branch'))).toEqual({
      verdict: 'broken',
      checked: 4,
      against: 1,
      sample: ['[1,{"branch_code":"Z"}]'],
    });
    expect(found(claims, 'key-unique:branch').verdict).toBe('holds');
  });
});

test('a table that is held here and is too large to travel says what to do', async () => {
  const rows = Array.from({ length: 100_001 }, (_, i): [string, string] => [String(i), 'r']);
  const held = () => heldBranch(rows);
  await open({ model: lending, schema: 'lending', held }, async (on) => {
    await expect(on.answer(byRegion)).rejects.toThrow(/100,001 rows are more than the 100,000/);
    const claims = await on.judge('1970-01-01');
    expect(found(claims, 'reference-complete:loan_branch').evidence.reason?.code).toBe('limit');
    // What it takes no row of the database for is judged on columns.
    expect(found(claims, 'key-unique:branch').verdict).toBe('holds');
  });
});

test('values that do not fit their declared type are none, and the claim on the type says which', async () => {
  await cluster.client.query(`create schema types;
    create table types.reading (whole text, amount numeric, day timestamp, flag int, big int, till date);
    insert into types.reading values
      (' 12 ', 1.25, '2026-03-01', 1, 2000000000, '2026-01-01'),
      ('1.5', 1.255, '2026-03-01 10:00', 2, 2000000000, 'infinity'),
      ('x', 1000000000, null, 0, 1, null)`);
  const columns = {
    whole: 'integer',
    amount: 'decimal(6,2)',
    day: 'date',
    flag: 'boolean',
    big: 'integer',
    till: 'date',
  };
  const model: Model = {
    crease: 1,
    name: 'types',
    tables: [table('reading', 'fact', columns)],
    measures: [
      { name: 'Whole', formula: 'sum(reading.whole)' },
      { name: 'Amount', formula: 'sum(reading.amount)' },
      { name: 'Days', formula: 'count(reading.day)' },
      { name: 'Flags', formula: 'count(reading.flag)' },
      { name: 'Product', formula: 'sum(reading.big * reading.big)' },
    ],
  };
  await open({ model, schema: 'types' }, async (on) => {
    const { rows } = await on.answer({ measures: ['Whole', 'Amount', 'Days', 'Flags', 'Product'] });
    expect(rows).toEqual([[12, '1.25', 1, 2, 8000000000000000001n.toString()]]);
    const claims = await on.judge('1970-01-01');
    const against = Object.fromEntries(
      Object.keys(columns).map((c) => [c, found(claims, `type-holds:reading.${c}`).evidence.against]),
    );
    expect(against).toEqual({ whole: 2, amount: 2, day: 1, flag: 1, big: 0, till: 1 });
    expect(plain(found(claims, 'type-holds:reading.whole')).sample).toEqual([
      '[1,{"whole":"1.5"}]',
      '[1,{"whole":"x"}]',
    ]);
  });
});

test('views and tables in partitions are asked like any other', async () => {
  await cluster.client.query(`create schema parts;
    create table parts.loan (branch_code text, copies int) partition by list (branch_code);
    create table parts.loan_a partition of parts.loan for values in ('A');
    create table parts.loan_b partition of parts.loan default;
    insert into parts.loan values ('A', 1), ('B', 2), ('B', 2), (null, 4);
    create view parts.branch as select * from (values ('A', 'North'), ('B', 'South'), ('B', 'West')) v(branch_code, region)`);
  await open({ model: lending, schema: 'parts' }, async (on) => {
    const claims = await on.judge('1970-01-01');
    expect(plain(found(claims, 'key-unique:branch'))).toMatchObject({ verdict: 'broken', against: 2 });
    expect(found(claims, 'reference-filled:loan_branch').evidence.against).toBe(1);
    // Of two partners one is taken: no loan counts twice.
    expect((await on.answer({ measures: ['Copies'], by: ['branch.branch_code'] })).totals ?? null).toBeNull();
    expect((await on.answer(byRegion)).totals).toEqual([9]);
  });
});

test('what the database lacks, does not let one read, or takes too long for, is said and no more', async () => {
  await cluster.client.query(`create schema lacking;
    create table lacking.loan (branch_code text);
    create table lacking.branch (branch_code text, region text);
    insert into lacking.loan values ('A'); insert into lacking.branch values ('A', 'North')`);
  await open({ model: lending, schema: 'lacking' }, async (on) => {
    expect(on.missing).toEqual(['loan.copies']);
    const claims = await on.judge('1970-01-01');
    expect(found(claims, 'reference-complete:loan_branch').verdict).toBe('holds');
    const { verdict, evidence } = found(claims, 'type-holds:loan.copies');
    expect([verdict, evidence.notes]).toEqual([
      'unchecked',
      ['loan.copies is not in the database: lacking.loan has no column of that name'],
    ]);
    await expect(on.answer(byRegion)).rejects.toThrow('loan.copies is not in the database');
  });
  await cluster.client.query(
    `create role nobody_reads login password 'x'; grant usage on schema lacking to nobody_reads`,
  );
  const other = postgresqlEngine({ ...cluster.place, user: 'nobody_reads', password: 'x' });
  const order = {
    model: lending,
    connection: 'w',
    schema: 'lacking',
    held: nothingHeld,
    today: 0,
    timeoutMs: 60_000,
  };
  await expect(other.within((session) => ModelOnWarehouse.open(other, session, order))).rejects.toThrow(
    'the account may not read lacking.loan',
  );
});

test('a statement that takes too long ends, and the claim says so', async () => {
  await cluster.client.query(`create schema slow;
    create view slow.loan as select 'A'::text as branch_code, 1 as copies from pg_sleep(30);
    create table slow.branch (branch_code text, region text)`);
  await open({ model: lending, schema: 'slow', timeoutMs: 600 }, async (on) => {
    const claims = await on.judge('1970-01-01');
    expect(found(claims, 'reference-complete:loan_branch').evidence.reason?.code).toBe('limit');
    expect(found(claims, 'key-unique:branch').evidence.reason?.code).toBe('empty');
  });
});

test('cancelling ends the statement at the server, too', async () => {
  const controller = new AbortController();
  const waiting = engine.within((session) => session.texts('select pg_sleep(60)', []), controller.signal);
  const isRunning = async () => {
    const { rowCount } = await cluster.client.query(
      `select 1 from pg_stat_activity where query = 'select pg_sleep(60)' and state = 'active'`,
    );
    return (rowCount ?? 0) > 0;
  };
  while (!(await isRunning())) await new Promise((resolve) => setTimeout(resolve, 20));
  controller.abort();
  await expect(waiting).rejects.toThrow('cancelled');
  while (await isRunning()) await new Promise((resolve) => setTimeout(resolve, 20));
});

test('of a large table a sample says first what it shows; that it shows nothing is not taken for more', async () => {
  await cluster.client.query(`create schema large;
    create table large.branch (branch_code text primary key, region text);
    insert into large.branch values ('A', 'North'), ('B', 'South');
    create table large.loan as
      select i as loan_id, case when i % 400 = 0 then 'X' else (array['A', 'B'])[i % 2 + 1] end as branch_code, i % 7 as copies
      from generate_series(1, 1200000) i;
    analyze large.loan`);
  const large: Model = {
    ...lending,
    tables: lending.tables.map((t) =>
      t.name === 'loan'
        ? {
            ...t,
            key: ['loan_id'],
            columns: [{ name: 'loan_id', type: 'integer', use: 'key' }, ...t.columns],
          }
        : t,
    ),
  };
  await open({ model: large, schema: 'large' }, async (on) => {
    const told: [string, string, string | undefined][] = [];
    const notes = new Map<string, string>();
    await on.judgeSome(
      () => true,
      (id, { verdict, evidence }) => {
        told.push([id, verdict, evidence.reason?.code]);
        if (evidence.reason?.code !== 'sampled') return;
        notes.set(id, evidence.notes!.join('; '));
        // What is shown is of the rows that were counted.
        if (verdict === 'broken') expect(evidence.sample![0]!.rows).toBe(evidence.against);
      },
      (error) => {
        throw error;
      },
    );
    const of = (id: string) => told.filter(([claim]) => claim === id).map(([, ...rest]) => rest);
    // A flaw is one wherever it is found: the exact count follows.
    expect(of('reference-complete:loan_branch')).toEqual([
      ['broken', 'sampled'],
      ['broken', undefined],
    ]);
    expect(notes.get('reference-complete:loan_branch')).toMatch(/sample of [12]\d\d,\d{3} rows/);
    expect(of('key-filled:loan')).toEqual([
      ['unchecked', 'sampled'],
      ['holds', undefined],
    ]);
    expect(notes.get('key-filled:loan')).toMatch(
      /a flaw in one of \d\d,\d{3} rows, or more, would have shown with a probability of 99 %/,
    );
    // Keys need all rows, and small tables are counted at once.
    expect(of('key-unique:loan')).toEqual([['holds', undefined]]);
    expect(of('key-filled:branch')).toEqual([['holds', undefined]]);
  });
});

test('answers equal those of columns on the rows of a fact', async () => {
  const rows = Array.from({ length: 300 }, (_, i) => ({
    code: ['A', 'B', 'C', null][i % 4]!,
    copies: i % 7,
  }));
  const tables: Record<string, TableData> = {
    loan: tableOf(
      'loan',
      [
        columnOfValues(
          'branch_code',
          TEXT,
          rows.map((r) => r.code),
        ),
        columnOfValues(
          'copies',
          INTEGER,
          rows.map((r) => r.copies),
        ),
      ],
      { rowCount: rows.length },
    ),
    branch: heldBranch([
      ['A', 'North'],
      ['B', 'South'],
    ]),
  };
  const data = new ModelData(lending, (name) => tables[name]!, 0);
  await writeWarehouse(cluster.client, 'same', data);
  const query: Query = { ...byRegion, unmatched: 'apart', sort: [{ of: 'Copies', order: 'descending' }] };
  const answer = await open({ model: lending, schema: 'same' }, (on) => on.answer(query));
  expect(answer).toEqual(answerQuery(data, query));
});
