import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Query } from '../model/index.ts';
import { parseType, textReader, DATE, compareValues } from '../values/index.ts';
import type { Value } from '../values/index.ts';
import type { Executor } from './index.ts';
import { answerQuery, browseMembers, levelFacts, ModelData, QueryError } from './index.ts';
import { cases } from '../../../tools/cases.ts';

type Rows = Record<string, Value[]>;
const day = (text: string) => textReader(DATE)(text) as number;

/** Model data over columns given as values. */
function dataOf(
  model: Model,
  rows: Record<string, Rows>,
  today = '2026-06-30',
  executor?: Executor,
): ModelData {
  const tables = new Map<string, TableData>();
  for (const table of model.tables) {
    const columns = table.columns
      .filter((c) => c.formula === undefined)
      .map((c) => columnOfValues(c.name, parseType(c.type)!, rows[table.name]![c.name]!));
    tables.set(table.name, tableOf(table.name, columns));
  }
  return new ModelData(model, (name) => tables.get(name)!, day(today), executor);
}

const worked: Model = {
  crease: 1,
  name: 'worked',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'branch_id', type: 'integer' },
        { name: 'day', type: 'date' },
        { name: 'copies', type: 'integer' },
      ],
    },
    {
      name: 'stock',
      role: 'fact',
      snapshot: 'day',
      columns: [
        { name: 'branch_id', type: 'integer' },
        { name: 'day', type: 'date' },
        { name: 'copies', type: 'integer' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['branch_id'],
      columns: [
        { name: 'branch_id', type: 'integer' },
        { name: 'name', type: 'text' },
        { name: 'region', type: 'text' },
      ],
    },
    {
      name: 'calendar',
      role: 'dimension',
      key: ['day'],
      columns: [
        { name: 'day', type: 'date' },
        { name: 'month', type: 'text' },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['branch_id'] },
    },
    {
      name: 'stock_branch',
      from: { table: 'stock', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['branch_id'] },
    },
    {
      name: 'loan_day',
      from: { table: 'loan', columns: ['day'] },
      to: { table: 'calendar', columns: ['day'] },
    },
    {
      name: 'stock_day',
      from: { table: 'stock', columns: ['day'] },
      to: { table: 'calendar', columns: ['day'] },
    },
  ],
  calendars: [{ table: 'calendar', day: 'day' }],
  hierarchies: [
    {
      name: 'Geography',
      table: 'branch',
      levels: [
        { name: 'Region', column: 'region' },
        { name: 'Branch', column: 'name' },
      ],
    },
  ],
  measures: [
    { name: 'Copies lent', formula: 'sum(loan.copies)' },
    { name: 'Share', formula: '"Copies lent" / ("Copies lent" ignoring branch)' },
    { name: 'In stock', formula: 'sum(stock.copies) at last stock.day' },
    { name: 'In stock per branch', formula: 'sum(stock.copies) at last stock.day per stock.branch_id' },
    { name: 'Broken', formula: 'sum(loan.copis)' },
  ],
};
const workedRows = {
  loan: {
    branch_id: [1, 1, 2, 9],
    day: ['2026-01-05', '2026-02-09', '2026-02-09', '2026-02-09'].map(day),
    copies: [3, 2, 4, 1],
  },
  stock: {
    branch_id: [1, 1, 2],
    day: ['2026-01-31', '2026-02-28', '2026-01-31'].map(day),
    copies: [10, 12, 20],
  },
  branch: { branch_id: [1, 2], name: ['Ash', 'Elm'], region: ['North', 'South'] },
  calendar: {
    day: Array.from({ length: 59 }, (_, i) => day('2026-01-01') + i),
    month: Array.from({ length: 59 }, (_, i) => (i < 31 ? '2026-01' : '2026-02')),
  },
};

test('the worked example of the formula language', () => {
  const answer = answerQuery(dataOf(worked, workedRows), {
    by: ['branch.region'],
    measures: ['Copies lent', 'Share', 'In stock', 'In stock per branch'],
    totals: true,
  });
  expect(answer.rows).toEqual([
    ['North', 5, 0.5, 12, 12],
    ['South', 4, 0.4, 20, 20],
    [null, 1, 0.1, null, null],
  ]);
  expect(answer.totals).toEqual([10, 1, 12, 32]);
});

test('a broken measure is named with its place; the others go on', () => {
  const data = dataOf(worked, workedRows);
  expect(() => answerQuery(data, { measures: ['Broken'] })).toThrow(
    /measure "Broken", line 1, column 5: no column "loan.copis"/,
  );
  expect(answerQuery(data, { measures: ['Copies lent'] }).rows).toEqual([[10]]);
});

test.each<[Query, RegExp]>([
  [
    { by: ['branch.regoin'], measures: [] },
    /there is no column "branch.regoin": did you mean "branch.region"/,
  ],
  [{ measures: ['Copies'] }, /there is no measure "Copies"/],
  [{ measures: ['Copies lent'], filters: [{ column: 'branch.branch_id', in: ['x'] }] }, /"x" is no integer/],
  [{ measures: ['Copies lent'], filters: [{ period: 'whole moon' }] }, /is no period/],
  [{ by: ['branch.name'], measures: ['Copies lent'], sort: [{ of: 'nothing' }] }, /sort names "nothing"/],
  [
    { by: [{ hierarchy: 'branch.Geography', level: 'Reigon' }], measures: [] },
    /has no level "Reigon": did you mean "Region"/,
  ],
])('a wrong question says what is wrong: %j', (query, message) => {
  const ask = () => answerQuery(dataOf(worked, workedRows), query);
  expect(ask).toThrow(message);
  expect(ask).toThrow(QueryError);
});

test('members are browsed level by level', () => {
  const data = dataOf(worked, workedRows);
  const top = browseMembers(data, 'branch.Geography', []);
  expect(top).toMatchObject({
    level: 'Region',
    members: [
      { label: 'North', children: 1 },
      { label: 'South', children: 1 },
    ],
  });
  expect(browseMembers(data, 'branch.Geography', [top.members[1]!.key]).members).toMatchObject([
    { label: 'Elm', children: 0 },
  ]);
  expect(levelFacts(data, 'branch.Geography').levels).toEqual([
    { name: 'Region', members: 2, nulls: 0, torn: 0 },
    { name: 'Branch', members: 2, nulls: 0, torn: 0, average: 1, most: { members: 1, of: 'North' } },
  ]);
});

// ---------- against a naive evaluation, row by row ----------

const star: Model = {
  crease: 1,
  name: 'star',
  tables: [
    {
      name: 'f',
      role: 'fact',
      columns: [
        { name: 'a', type: 'integer' },
        { name: 'b', type: 'integer' },
        { name: 'q', type: 'decimal(9,2)' },
      ],
    },
    {
      name: 'g',
      role: 'fact',
      columns: [
        { name: 'a', type: 'integer' },
        { name: 'n', type: 'integer' },
      ],
    },
    {
      name: 'd',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'x', type: 'text' },
        { name: 'o', type: 'integer' },
      ],
    },
    {
      name: 'e',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'y', type: 'text' },
      ],
    },
    {
      name: 'o',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'z', type: 'text' },
      ],
    },
  ],
  relationships: [
    { name: 'fd', from: { table: 'f', columns: ['a'] }, to: { table: 'd', columns: ['id'] } },
    { name: 'fe', from: { table: 'f', columns: ['b'] }, to: { table: 'e', columns: ['id'] } },
    { name: 'gd', from: { table: 'g', columns: ['a'] }, to: { table: 'd', columns: ['id'] } },
    { name: 'do', from: { table: 'd', columns: ['o'] }, to: { table: 'o', columns: ['id'] } },
  ],
  measures: [
    { name: 'Sum', formula: 'sum(f.q)' },
    { name: 'Rows', formula: 'count(f)' },
    { name: 'Large', formula: 'count(f) filter (where f.q > 2.5)' },
    { name: 'Distinct', formula: 'count(distinct f.b)' },
    { name: 'Other', formula: 'sum(g.n)' },
    { name: 'Of x', formula: '"Rows" where d.x = \'p\'' },
    { name: 'Whole', formula: '"Rows" ignoring d' },
  ],
};

const key = fc.option(fc.integer({ min: 1, max: 5 }), { freq: 6 });
const letter = fc.option(fc.constantFrom('p', 'q', 'r'), { freq: 6 });
const rows = fc.record({
  f: fc.array(fc.record({ a: key, b: key, q: fc.option(fc.integer({ min: -500, max: 900 }), { freq: 6 }) }), {
    maxLength: 30,
  }),
  g: fc.array(fc.record({ a: key, n: fc.option(fc.integer({ min: 0, max: 9 }), { freq: 6 }) }), {
    maxLength: 20,
  }),
  d: fc.uniqueArray(fc.record({ id: fc.integer({ min: 1, max: 5 }), x: letter, o: key }), {
    maxLength: 5,
    selector: (r) => r.id,
  }),
  e: fc.uniqueArray(fc.record({ id: fc.integer({ min: 1, max: 5 }), y: letter }), {
    maxLength: 5,
    selector: (r) => r.id,
  }),
  o: fc.uniqueArray(fc.record({ id: fc.integer({ min: 1, max: 5 }), z: letter }), {
    maxLength: 5,
    selector: (r) => r.id,
  }),
});

type Row = Record<string, Value>;
const columnar = (list: readonly Row[], names: readonly string[]): Rows =>
  Object.fromEntries(names.map((name) => [name, list.map((r) => r[name]!)]));

test('answers are those of a naive evaluation row by row', () => {
  const attributes = fc.subarray(['d.x', 'e.y', 'o.z'], { maxLength: 2 });
  const filters = fc.constantFrom<Query['filters']>(
    [],
    [{ column: 'o.z', in: ['p', null] }],
    [{ where: "d.x <> 'q'" }],
    [{ column: 'd.x', in: ['p', 'r'] }, { where: 'o.z is null' }],
  );
  fc.assert(
    fc.property(rows, attributes, filters, (all, by, asked) => {
      const stars = {
        f: columnar(all.f, ['a', 'b', 'q']),
        g: columnar(all.g, ['a', 'n']),
        d: columnar(all.d, ['id', 'x', 'o']),
        e: columnar(all.e, ['id', 'y']),
        o: columnar(all.o, ['id', 'z']),
      };
      const query = { by, measures: star.measures!.map((m) => m.name), filters: asked ?? [], totals: true };
      const answer = answerQuery(dataOf(star, stars, undefined, 'plain'), query);
      expect(answerQuery(dataOf(star, stars, undefined, 'compiled'), query)).toEqual(answer);
      const d = (r: Row) => all.d.find((x) => x.id === r.a) ?? { x: null, o: null };
      const flat = (r: Row): Row => ({
        'd.x': d(r).x,
        'e.y': all.e.find((x) => x.id === r.b)?.y ?? null,
        'o.z': all.o.find((x) => x.id === d(r).o)?.z ?? null,
      });
      const keeps: ((r: Row) => boolean)[] = (asked ?? []).map((f) => {
        if ('column' in f) return (r: Row) => f.in.includes(flat(r)[f.column] as string | null);
        return 'where' in f && f.where.startsWith('d.x')
          ? (r: Row) => flat(r)['d.x'] !== null && flat(r)['d.x'] !== 'q'
          : (r: Row) => flat(r)['o.z'] === null;
      });
      const onD = (f: NonNullable<Query['filters']>[number]) =>
        'column' in f ? /^[do]\./.test(f.column) : true;
      const inContext = (list: readonly Row[], members: Row, dropD = false) =>
        list.filter(
          (r) =>
            keeps.every((k, i) => (dropD && onD(asked![i]!)) || k(r)) &&
            by.every((c) => (dropD && c !== 'e.y') || flat(r)[c] === members[c]),
        );
      const gApplies = !by.includes('e.y');
      const money = (cents: number) => (cents / 100).toFixed(2);
      const cell = (members: Row) => {
        const [f, g] = [inContext(all.f, members), inContext(all.g, members)];
        const filled = f.filter((r) => r.q !== null);
        return [
          filled.length ? money(filled.reduce((s, r) => s + (r.q as number), 0)) : null,
          f.length,
          f.filter((r) => r.q !== null && (r.q as number) > 250).length,
          new Set(f.map((r) => r.b).filter((b) => b !== null)).size,
          gApplies && g.some((r) => r.n !== null)
            ? g.reduce((s, r) => s + ((r.n as number | null) ?? 0), 0)
            : null,
          f.filter((r) => flat(r)['d.x'] === 'p').length,
          inContext(all.f, members, true).length,
        ];
      };
      const listed = new Map<string, Row>();
      const list = (source: readonly Row[]) =>
        source
          .filter((r) => keeps.every((k) => k(r)))
          .forEach((r) => listed.set(JSON.stringify(by.map((c) => flat(r)[c])), flat(r)));
      list(all.f);
      if (gApplies) list(all.g);
      const expected =
        by.length === 0 ? [cell({})] : [...listed.values()].map((m) => [...by.map((c) => m[c]!), ...cell(m)]);
      expected.sort((x, y) => by.map((_, i) => compareValues(x[i]!, y[i]!)).find((o) => o !== 0) ?? 0);
      expect(answer.rows).toEqual(expected);
      const total = { ...answer.totals };
      const gAll = all.g.filter((r) => keeps.every((k) => k(r)) && r.n !== null);
      expect(total[1]).toBe(all.f.filter((r) => keeps.every((k) => k(r))).length);
      expect(total[4]).toBe(gAll.length ? gAll.reduce((s, r) => s + (r.n as number), 0) : null);
      expect(answer.unreached).toEqual(gApplies ? [] : [['Other', 'e.y']]);
    }),
    { numRuns: cases(250), seed: 42 },
  );
});
