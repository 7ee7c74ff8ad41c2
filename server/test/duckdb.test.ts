import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { columnOfValues, tableOf } from '@crease/core/columns';
import type { Model } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { TEXT } from '@crease/core/values';
import { DuckdbReader } from '../src/databases/duckdb.ts';
import { duckdbEngine } from '../src/warehouse/engines/duckdb.ts';
import type { OpenOrder } from '../src/warehouse/warehouse.ts';
import type { ModelOnWarehouse } from '../src/warehouse/warehouse.ts';
import { onDuckdb, writeDuckdb } from './duckdbFile.ts';
import { answersAsColumnsDo, found, openOn, plain } from './engineSuite.ts';

let folder: string;
let files = 0;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-duckdb-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const newFile = () => join(folder, `${++files}.duckdb`);

const open = <T>(
  file: string,
  order: Partial<OpenOrder> & { model: Model },
  work: (on: ModelOnWarehouse) => Promise<T>,
): Promise<T> => openOn(duckdbEngine({ file }), order, work);

describe('questions and claims', () => {
  answersAsColumnsDo(async (data) => {
    const file = newFile();
    await writeDuckdb(file, data);
    return duckdbEngine({ file });
  });
});

const lending: Model = readModel(
  JSON.stringify({
    ...{ crease: 1, name: 'lending' },
    tables: [
      {
        ...{ name: 'loan', role: 'fact' },
        columns: [
          { name: 'branch_code', type: 'text' },
          { name: 'lent_on', type: 'date' },
          { name: 'copies', type: 'integer' },
          { name: 'fine', type: 'decimal(9,2)' },
        ],
      },
      {
        ...{ name: 'branch', role: 'dimension', key: ['branch_code'] },
        columns: [
          { name: 'branch_code', type: 'text' },
          { name: 'region', type: 'text' },
        ],
      },
    ],
    relationships: [
      {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch_code'] },
        to: { table: 'branch', columns: ['branch_code'] },
      },
    ],
    measures: [
      { name: 'Copies', formula: 'sum(loan.copies)' },
      { name: 'Fines', formula: 'sum(loan.fine)' },
    ],
  }),
);

const LOANS = `select * from (values ('A', '2026-01-02', '1', '0.50'), ('B', '2026-02-30', '2', '1.255'),
  ('A', '2026-02-01', 'two', null), ('C', null, '4', '2')) v (branch_code, lent_on, copies, fine)`;

test('values that do not fit their type are null there, too, and are listed', async () => {
  const file = newFile();
  await onDuckdb(file, [
    `create table loan as ${LOANS}`,
    `create table branch (branch_code varchar primary key, region varchar)`,
    `insert into branch values ('A', 'North'), ('B', 'South')`,
  ]);
  await open(file, { model: lending }, async (on) => {
    const claims = await on.judge('1970-01-01');
    const sample = (id: string) => found(claims, id).evidence.sample?.map(({ values }) => values);
    expect(sample('type-holds:loan.copies')).toEqual([{ copies: 'two' }]);
    expect(sample('type-holds:loan.lent_on')).toEqual([{ lent_on: '2026-02-30' }]);
    expect(sample('type-holds:loan.fine')).toEqual([{ fine: '1.255' }]);
    expect(plain(found(claims, 'reference-complete:loan_branch'))).toMatchObject({
      verdict: 'broken',
      against: 1,
    });
    const { rows } = await on.answer({ by: ['branch.region'], measures: ['Copies', 'Fines'] });
    expect(rows).toEqual([
      ['North', 1, '0.50'],
      ['South', 2, null],
      [null, 4, '2.00'],
    ]);
    const behind = await on.rowsBehind({
      query: { by: ['branch.region'], measures: ['Copies'] },
      cells: [{ measure: 'Copies', by: ['North'], across: [] }],
    });
    expect(behind.aggregates[0]).toMatchObject({ sum: '1', of: '1', more: 0 });
  });
});

test('small tables that are held here travel along', async () => {
  const file = newFile();
  await onDuckdb(file, [`create table loan as ${LOANS}`]);
  const branch = tableOf('branch', [
    columnOfValues('branch_code', TEXT, ['A', 'B', 'C']),
    columnOfValues('region', TEXT, ['North', 'South', 'It\'s "far"']),
  ]);
  await open(file, { model: lending, held: () => branch }, async (on) => {
    const { rows } = await on.answer({ by: ['branch.region'], measures: ['Copies'] });
    expect(rows).toEqual([
      ['It\'s "far"', 4],
      ['North', 1],
      ['South', 2],
    ]);
  });
});

test('a folder of Parquet files is a database: a file or a folder of files is a table', async () => {
  const lake = join(folder, 'lake');
  mkdirSync(join(lake, 'loan', 'year=2026'), { recursive: true });
  writeFileSync(join(folder, 'secret.csv'), 'a\n1\n');
  const copy = (rows: string, to: string) => `copy (${rows}) to '${join(lake, to)}'`;
  const rows = (from: string) =>
    `select branch_code, lent_on, cast(copies as int) as copies from (${from}) where copies <> 'two'`;
  await onDuckdb(newFile(), [
    copy(rows(LOANS), 'loan/year=2026/first.parquet'),
    copy(rows(LOANS), 'loan/second.parquet'),
    copy(`select 'A' as branch_code, 'North' as region`, 'branch.parquet'),
  ]);
  const reader = new DuckdbReader({ file: lake });
  expect((await reader.tables()).map(({ table, kind, rows }) => [table, kind, rows])).toEqual([
    ['branch', 'table', 1],
    ['loan', 'table', 6],
  ]);
  await open(lake, { model: lending }, async (on) => {
    expect(on.places.get('loan')!.rows).toBe(6);
    expect(on.missing).toEqual(['loan.fine']);
    const { rows: answered } = await on.answer({ by: ['branch.region'], measures: ['Copies'] });
    expect(answered).toEqual([
      ['North', 2],
      [null, 12],
    ]);
  });
  // Nothing else of this machine is read through it, and nothing is written.
  await reader.within(async (connection) => {
    for (const sql of [
      `select * from read_csv('${join(folder, 'secret.csv')}')`,
      `copy branch to '${join(lake, 'more.parquet')}'`,
      `set enable_external_access = true`,
    ])
      await expect(connection.run(sql)).rejects.toThrow(/Permission|disabled|locked|Cannot/i);
  });
});

test('a Parquet file that cannot be read takes no other away; a file and a folder of one name are one table', async () => {
  const lake = join(folder, 'lake');
  mkdirSync(join(lake, 'loan'), { recursive: true });
  writeFileSync(join(lake, 'damaged.parquet'), 'PAR1 and no more');
  await onDuckdb(newFile(), [
    `copy (select 1 as copies) to '${lake}/loan.parquet'`,
    `copy (select 2 as copies) to '${lake}/loan/more.parquet'`,
  ]);
  const reader = new DuckdbReader({ file: lake });
  expect((await reader.tables()).map((t) => [t.table, t.rows, t.readable])).toEqual([
    ['damaged', null, false],
    ['loan', 2, true],
  ]);
  await expect(reader.about({ schema: 'main', table: 'damaged' })).rejects.toThrow(
    /main.damaged cannot be read: /,
  );
});

test('a statement that takes too long is ended; so is one that nobody waits for any more', async () => {
  const file = newFile();
  const slow =
    'select count(*) from range(100000000) a, range(100000) b where hash(a.range + b.range) % 7 = 3';
  await onDuckdb(file, ['create table loan (copies int)', `create view slow as ${slow}`]);
  const engine = duckdbEngine({ file });
  await engine.within(async (session) => {
    await session.endAfter(200);
    await expect(session.texts('select * from slow', [])).rejects.toMatchObject({
      reason: { code: 'limit' },
    });
    // The session goes on.
    expect(await session.texts('select count(*) from loan', [])).toEqual([['0']]);
  });
  const controller = new AbortController();
  setTimeout(() => controller.abort(), 200);
  let after: Promise<unknown> | undefined;
  const work = engine.within(async (session) => {
    // Whoever goes on after a statement that was ended is ended as well.
    await session.texts('select * from slow', []).catch(() => undefined);
    await (after = session.texts('select 1', []));
  }, controller.signal);
  await expect(work).rejects.toThrow('cancelled');
  await expect(after).rejects.toThrow('cancelled');
});

test('several ask at once, and one that ends leaves the others their answers', async () => {
  const file = newFile();
  await onDuckdb(file, ['create table loan as select range as copies from range(2000000)']);
  const sum = () =>
    duckdbEngine({ file }).within(async (session) => {
      const first = await session.texts('select sum(copies), count(distinct hash(copies)) from loan', []);
      return [...first, ...(await session.texts('select count(*) from loan', []))];
    });
  const quick = () => duckdbEngine({ file }).within((session) => session.texts('select 1', []));
  const [a, , b] = await Promise.all([sum(), quick(), sum(), quick()]);
  expect(a).toEqual([['1999999000000', '2000000'], ['2000000']]);
  expect(b).toEqual(a);
});

test('what is no database, and what is not there, is said', async () => {
  const file = join(folder, 'list.csv');
  writeFileSync(file, 'a\n1\n');
  await expect(new DuckdbReader({ file }).tables()).rejects.toThrow(/list\.csv cannot be read/);
  await expect(new DuckdbReader({ file: join(folder, 'gone.duckdb') }).test()).rejects.toThrow(
    'there is no file or folder',
  );
  await expect(new DuckdbReader({ file: folder }).tables()).rejects.toThrow('holds no Parquet files');
});
