import type { Model, Table } from '@crease/core/model';
import { profileModel } from '@crease/core/storage';
import { postgresqlEngine } from '../src/warehouse/engines/postgresql.ts';
import { profileOn } from '../src/warehouse/profileOn.ts';
import { ModelOnWarehouse } from '../src/warehouse/warehouse.ts';
import type { Cluster } from './postgresql.ts';
import { startPostgresql } from './postgresql.ts';

let cluster: Cluster;
beforeAll(async () => {
  cluster = await startPostgresql();
});
afterAll(() => cluster.stop());

const TYPES: Record<string, string> = {
  id: 'integer',
  receipt: 'text',
  branch_code: 'text',
  lent_on: 'date',
  back_on: 'date',
  fine: 'decimal(8,2)',
  waived: 'boolean',
  weight: 'double',
  shelf: 'integer',
  note: 'text',
  always: 'text',
  copies: 'integer',
};
const ROWS = 40_000;

test('what a table would weigh is worked out within a tenth from a sample and counts', async () => {
  await cluster.client.query(`select setseed(0.5);
    create table branch as select 'B' || lpad(i::text, 3, '0') as code, 'Branch ' || i as name from generate_series(1, 40) i;
    create table loan as select i as id, 'R' || lpad((i / 3)::text, 9, '0') as receipt, 'B' || lpad((1 + floor(random() * 40))::int::text, 3, '0') as branch_code,
      date '2020-01-01' + i / 150 as lent_on, date '2020-01-01' + i / 150 + (random() * 28)::int as back_on,
      case when random() < 0.1 then round((random() * 20)::numeric, 2) end as fine, random() < 0.02 as waived, random() as weight,
      (random() * random() * 900)::int as shelf, md5((i % 5000)::text) as note, 'same'::text as always, 1 + (i % 4) as copies
    from generate_series(1, ${ROWS}) i;
    analyze`);
  const loan: Table = {
    name: 'loan',
    role: 'fact',
    key: ['id'],
    columns: Object.entries(TYPES).map(([name, type]) => ({ name, type })),
  };
  const branch: Table = {
    name: 'branch',
    role: 'dimension',
    key: ['code'],
    columns: [
      { name: 'code', type: 'text' },
      { name: 'name', type: 'text' },
    ],
  };
  const relationship = {
    name: 'loan_branch',
    from: { table: 'loan', columns: ['branch_code'] },
    to: { table: 'branch', columns: ['code'] },
  };
  const model: Model = { crease: 1, name: 'weighed', tables: [loan, branch], relationships: [relationship] };
  const nothing = () => {
    throw new TypeError('nothing is held here');
  };
  const order = { model, connection: 'w', held: nothing, today: 0, timeoutMs: 60_000 };
  const engine = postgresqlEngine(cluster.place);
  await engine.within(async (session) => {
    const on = await ModelOnWarehouse.open(engine, session, order);
    const { profile, sampled } = await profileOn(on, 12_000);
    expect(sampled.map((s) => s.table)).toEqual(['loan']);
    expect(sampled[0]!.rows).toBeLessThan(18_000);
    const whole = await on.look.firstRowsOf('loan', on.storedColumns(loan), ROWS);
    const branches = await on.look.firstRowsOf('branch', on.storedColumns(branch), ROWS);
    const held = profileModel(
      on.dataWith(
        new Map([
          ['loan', whole],
          ['branch', branches],
        ]),
      ),
    );
    const [estimated, real] = [profile, held].map((p) => p.tables.find((t) => t.name === 'loan')!);
    expect(estimated!.rows).toBe(ROWS);
    const off = real!.columns.map((c, i) => {
      const guess = estimated!.columns[i]!;
      expect([c.name, guess.distinct, guess.nulls]).toEqual([c.name, c.distinct, c.nulls]);
      return { name: c.name, off: Math.abs(guess.totalBytes - c.totalBytes) / Math.max(1, c.totalBytes) };
    });
    // A column may take other encodings in a sample: one of twelve is let off.
    expect(off.filter((o) => o.off > 0.1).length).toBeLessThanOrEqual(1);
    expect(Math.abs(estimated!.totalBytes - real!.totalBytes) / real!.totalBytes).toBeLessThan(0.1);
    // What is small is encoded as it is.
    expect(profile.tables.find((t) => t.name === 'branch')).toEqual({
      ...held.tables.find((t) => t.name === 'branch')!,
      share: expect.any(Number) as number,
      columns: expect.any(Array) as never,
    });
  });
});
