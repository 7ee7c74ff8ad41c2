import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import { DATE, decimal, INTEGER, TEXT } from '../values/index.ts';
import { declaredAfter, joinRemedies, originsOf, rowsAfter, stateKeeper, traceSteps } from './index.ts';
import { lineageOf } from '../sources/index.ts';

const rows: Record<string, TableData> = {
  visit: tableOf('visit', [
    columnOfValues('branch', TEXT, ['A', 'A', 'B', 'C', null]),
    columnOfValues('day', DATE, [1, 2, 1, 3, 3]),
    columnOfValues('visitors', INTEGER, [10, 20, 30, 40, 50]),
  ]),
  budget: tableOf('budget', [
    columnOfValues('branch', TEXT, ['A', 'B', 'D']),
    columnOfValues('amount', decimal(9, 2), [10000, 20050, 999]),
  ]),
  price: tableOf('price', [
    columnOfValues('branch', TEXT, ['A', 'A', 'B', 'B']),
    columnOfValues('fee', INTEGER, [5, 5, 7, 8]),
    columnOfValues('town', TEXT, ['Ash', 'Ash', 'Elm', 'Elm']),
  ]),
};
const made: Table = { name: 'made', role: 'fact', columns: [] };
const model: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'visit',
      role: 'staging',
      source: { file: 'visit.csv' },
      columns: [
        { name: 'branch', type: 'text' },
        { name: 'day', type: 'date' },
        { name: 'visitors', type: 'integer', use: 'quantity' },
      ],
    },
    {
      name: 'budget',
      role: 'fact',
      source: { file: 'budget.csv' },
      columns: [
        { name: 'branch', type: 'text' },
        { name: 'amount', type: 'decimal(9,2)', use: 'quantity' },
        // Derived by a formula: a join does not bring it, and so cannot repeat it.
        { name: 'double', type: 'decimal(9,2)', use: 'quantity', formula: 'amount * 2' },
      ],
    },
    {
      name: 'price',
      role: 'staging',
      columns: [
        { name: 'branch', type: 'text' },
        { name: 'fee', type: 'integer', use: 'quantity' },
        { name: 'town', type: 'text' },
      ],
    },
  ],
};
const setting = {
  table: (name: string): TableData => {
    const found = rows[name];
    if (!found) throw new DataError(`the model has no table "${name}"`);
    return found;
  },
  today: 0,
};
const trace = (...steps: object[]) => traceSteps(model, made, steps as Record<string, unknown>[], setting);
const joinTo = (table: string, kind: string, more: object = {}) => ({
  join: { table, kind, on: [['branch', 'branch']], ...more },
});

test('after each step stand its rows, its columns and the totals of its quantities', () => {
  const { states, fault } = trace(
    { from: 'visit' },
    { filter: "branch <> 'C'" },
    { pick: ['branch', { column: 'visitors', as: 'heads' }] },
    { aggregate: { by: ['branch'], columns: { heads: 'sum(heads)', days: 'count(visit)' } } },
  );
  expect(fault).toBeUndefined();
  expect(states.map((s) => [s.place, s.verb, s.rows, s.totals])).toEqual([
    [1, 'from', 5, [{ column: 'visitors', total: 150 }]],
    [2, 'filter', 3, [{ column: 'visitors', total: 60 }]],
    [3, 'pick', 3, [{ column: 'heads', total: 60 }]],
    [
      4,
      'aggregate',
      2,
      [
        { column: 'heads', total: 60 },
        { column: 'days', total: 3 },
      ],
    ],
  ]);
  expect(states.at(-1)!.columns).toEqual([
    { name: 'branch', type: 'text' },
    { name: 'heads', type: 'integer' },
    { name: 'days', type: 'integer' },
  ]);
});

test('a step that cannot be run ends the list with its fault; a step that is switched off changes nothing', () => {
  const { states, fault } = trace(
    { from: 'visit' },
    { off: { filter: 'nonsense(' } },
    { filter: 'nonsense > 1' },
    { distinct: true },
  );
  expect(states.map((s) => s.rows)).toEqual([5, 5]);
  expect(fault).toEqual({
    place: 3,
    message: expect.stringMatching(/step 3 of made: .*no column "nonsense"/) as string,
  });
});

test('a join that multiplies rows says which keys do it, and a staging table with one row per key is offered', () => {
  const steps = [{ from: 'visit' }, joinTo('price', 'left', { columns: ['fee'] })];
  const { states } = trace(...steps);
  const { join, rows: after } = states[1]!;
  expect([after, join!.keeps, join!.ownLone, join!.theirLone]).toEqual([
    8,
    { inner: 6, left: 8, full: 8 },
    2,
    0,
  ]);
  const [multiplies, repeats] = join!.findings;
  expect(multiplies).toEqual({
    kind: 'multiplies',
    rows: 3,
    keys: 2,
    sample: [
      { key: ['A'], own: 2, theirs: 2 },
      { key: ['B'], own: 1, theirs: 2 },
    ],
  });
  expect(repeats).toMatchObject({ kind: 'repeats', rows: 2, quantities: ['fee'] });
  const remedies = joinRemedies(model, rows.visit!, steps, 2, join!.findings, setting);
  // Taking rows once is no way out here: B has two fees.
  expect(remedies.map((r) => [r.id, r.rows])).toEqual([
    ['aggregate-theirs', 5],
    ['aggregate-own', 6],
  ]);
  const { tables, steps: mended } = remedies[0]!;
  expect(tables[0]).toMatchObject({
    name: 'price_per_branch',
    role: 'staging',
    source: { steps: [{ from: 'price' }, { aggregate: { by: ['branch'], columns: { fee: 'sum(fee)' } } }] },
  });
  const withStaging = {
    ...setting,
    table: (name: string) => (name === 'price_per_branch' ? derived() : setting.table(name)),
  };
  const derived = () =>
    rowsAfter(made, (tables[0]!.source as { steps: Record<string, unknown>[] }).steps, 2, setting);
  expect(traceSteps(model, made, mended, withStaging).states.at(-1)!.rows).toBe(5);
});

test('where rows of the other side are alike, they are taken once', () => {
  const steps = [
    { from: 'visit' },
    { filter: "branch = 'A'" },
    joinTo('price', 'inner', { columns: ['town'] }),
  ];
  const { join } = trace(...steps).states[2]!;
  const input = rowsAfter(made, steps, 2, setting);
  expect(joinRemedies(model, input, steps, 3, join!.findings, setting).map((r) => [r.id, r.rows])).toEqual([
    ['distinct-theirs', 2],
    ['aggregate-theirs', 2],
  ]);
});

test('an inner join that loses rows says whose, and offers to keep them', () => {
  const steps = [{ from: 'visit' }, joinTo('budget', 'inner')];
  const { join, totals } = trace(...steps).states[1]!;
  // Null keys are lost too, though no value of theirs can be shown.
  expect(join!.findings[0]).toEqual({
    kind: 'loses',
    rows: 2,
    keys: 1,
    sample: [{ key: ['C'], own: 1, theirs: 0 }],
  });
  expect(join!.findings[1]).toMatchObject({ kind: 'repeats', rows: 1, quantities: ['amount'] });
  expect(totals).toEqual([
    { column: 'visitors', total: 60 },
    { column: 'amount', total: '400.50' },
  ]);
  const [keep] = joinRemedies(model, rows.visit!, steps, 2, join!.findings, setting);
  expect([keep!.id, keep!.rows, trace(...keep!.steps).states[1]!.rows]).toEqual(['keep-rows', 5, 5]);
});

test('findings count what the rows show, for any keys', () => {
  const keys = fc.array(fc.option(fc.integer({ min: 0, max: 5 })), { maxLength: 25 });
  fc.assert(
    fc.property(keys, keys, (a, b) => {
      const tables: Record<string, TableData> = {
        a: tableOf('a', [columnOfValues('k', INTEGER, a)]),
        b: tableOf('b', [columnOfValues('k', INTEGER, b)]),
      };
      const steps = [{ from: 'a' }, { join: { table: 'b', kind: 'inner', on: [['k', 'k']], columns: [] } }];
      const { join } = traceSteps(model, made, steps, { table: (name) => tables[name]!, today: 0 })
        .states[1]!;
      const partners = a.map((x) => (x === null ? 0 : b.filter((y) => y === x).length));
      const found = (kind: string) => join!.findings.find((f) => f.kind === kind)?.rows ?? 0;
      expect(found('multiplies')).toBe(partners.reduce<number>((n, p) => n + Math.max(0, p - 1), 0));
      expect(found('loses')).toBe(partners.filter((p) => p === 0).length);
      expect(join!.keeps.full).toBe(join!.keeps.left + join!.theirLone);
    }),
  );
});

test('states that are kept are not run again', () => {
  const asked: string[] = [];
  const counting = { ...setting, table: (name: string) => (asked.push(name), setting.table(name)) };
  const kept = stateKeeper();
  const steps = [{ from: 'visit' }, { filter: 'visitors > 10' }];
  traceSteps(model, made, steps, counting, kept);
  traceSteps(model, made, [...steps, { distinct: true }], counting, kept);
  expect(asked).toEqual(['visit']);
});

test('what the last state gives is declared: columns that stay keep their use, those that are gone leave the key', () => {
  const table: Table = {
    name: 'made',
    role: 'fact',
    key: ['branch', 'day'],
    label: 'day',
    columns: [
      { name: 'branch', type: 'text', use: 'reference', hidden: true },
      { name: 'day', type: 'date', use: 'key' },
      { name: 'large', type: 'boolean', formula: 'heads > 20' },
    ],
  };
  const steps = [{ from: 'visit' }, { aggregate: { by: ['branch'], columns: { heads: 'sum(visitors)' } } }];
  const { table: next, added, removed } = declaredAfter(table, trace(...steps).states.at(-1)!);
  expect([added, removed, next.key, next.label]).toEqual([['heads'], ['day'], ['branch'], undefined]);
  expect(next.columns).toEqual([
    table.columns[0],
    { name: 'heads', type: 'integer', use: 'quantity' },
    table.columns[2],
  ]);
});

describe('lineage', () => {
  const per: Table = {
    name: 'per_branch',
    role: 'fact',
    source: {
      steps: [
        { from: 'visit' },
        { derive: { name: 'large', formula: 'visitors > 20' } },
        {
          aggregate: {
            by: ['branch'],
            columns: { heads: 'sum(visitors)', best: 'max(large)', days: 'count(visit)' },
          },
        },
        {
          join: {
            table: 'budget',
            kind: 'left',
            on: [['branch', 'branch']],
            columns: [{ column: 'amount', as: 'money' }],
          },
        },
        { off: { union: ['price'] } },
        { pick: ['branch', { column: 'heads', as: 'people' }, 'best', 'money', 'days'] },
      ],
    },
    columns: [
      { name: 'branch', type: 'text' },
      { name: 'visits', type: 'integer', sourceName: 'people' },
      { name: 'best', type: 'boolean' },
      { name: 'money', type: 'decimal(9,2)' },
      { name: 'days', type: 'integer' },
      { name: 'each', type: 'double', formula: 'money / visits' },
    ],
  };
  const whole: Model = { ...model, tables: [...model.tables, per] };

  test('tables hang on their sources and on what their steps read', () => {
    const { nodes, edges } = lineageOf(whole);
    expect(nodes.map((n) => [n.id, n.depth])).toEqual([
      ['table:visit', 1],
      ['source:visit.csv', 0],
      ['table:budget', 1],
      ['source:budget.csv', 0],
      ['table:price', 1],
      ['table:per_branch', 2],
    ]);
    expect(edges.filter((e) => e.to === 'table:per_branch').map((e) => e.from)).toEqual([
      'table:visit',
      'table:budget',
    ]);
  });

  test.each([
    ['branch', [['visit.branch', 'as it is']]],
    ['visits', [['visit.visitors', 'sum(visitors)']]],
    ['best', [['visit.visitors', 'visitors > 20']]],
    ['money', [['budget.amount', 'join']]],
    ['days', [['visit', 'count(visit)']]],
    [
      'each',
      [
        ['per_branch.money', 'formula'],
        ['per_branch.visits', 'formula'],
      ],
    ],
  ])('%s is traced to the columns that it comes from', (column, expected) => {
    expect(
      originsOf(whole, 'per_branch', column).map((o) => [
        o.column === undefined ? o.table : `${o.table}.${o.column}`,
        o.by,
      ]),
    ).toEqual(expected);
  });
});
