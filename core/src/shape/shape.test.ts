import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import { columnOf, columnOfValues, tableOf, valueAt } from '../columns/index.ts';
import type { Table } from '../model/index.ts';
import { DataError } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { decimal, INTEGER, TEXT } from '../values/index.ts';
import { derivedRows, emptyStep, readStep, runSteps, STEP_KINDS, stepText, tablesRead } from './index.ts';

const log = tableOf(
  'log',
  [
    columnOfValues('kind', TEXT, ['loan', 'back', 'loan', 'loan', null]),
    columnOfValues('branch', INTEGER, [1, 1, 2, 1, 2]),
    columnOfValues('fine', decimal(5, 2), [50, null, 125, 50, 10]),
  ],
  { lineOf: (row) => row + 2 },
);
const branch = tableOf('branch', [
  columnOfValues('id', INTEGER, [1, 3]),
  columnOfValues('name', TEXT, ['Ash', 'Oak']),
]);
const prices = tableOf('prices', [
  columnOfValues('branch', INTEGER, [1, 1]),
  columnOfValues('price', INTEGER, [5, 6]),
]);
const tables: Record<string, TableData> = { log, branch, prices };
const setting = { table: (name: string) => tables[name] ?? fail(name), today: 0 };
function fail(name: string): never {
  throw new DataError(`the model has no table "${name}"`);
}
const derived: Table = { name: 'made', role: 'fact', columns: [] };

function rowsAfter(...steps: object[]): Value[][] {
  const last = runSteps(derived, [{ from: 'log' }, ...steps] as Record<string, unknown>[], setting).at(-1)!;
  return Array.from({ length: last.rowCount }, (_, row) =>
    [...last.columns.keys()].map((name) => valueAt(columnOf(last, name), row)),
  );
}

test.each<[string, object[], Value[][]]>([
  ['filter keeps what is true', [{ filter: "kind = 'loan'" }, { pick: ['branch'] }], [[1], [2], [1]]],
  [
    'pick takes columns under new names',
    [{ pick: [{ column: 'fine', as: 'amount' }, 'kind'] }, { filter: 'amount > 1' }],
    [[125, 'loan']],
  ],
  [
    'derive adds a column',
    [{ derive: { name: 'twice', formula: 'fine * 2' } }, { pick: ['twice'] }],
    [[100], [null], [250], [100], [20]],
  ],
  [
    'distinct takes the first of rows that are alike',
    [{ distinct: true }, { pick: ['branch', 'fine'] }],
    [
      [1, 50],
      [1, null],
      [2, 125],
      [2, 10],
    ],
  ],
  [
    'aggregate makes one row for each combination',
    [
      {
        aggregate: {
          by: ['branch'],
          columns: {
            n: 'count(log)',
            fines: 'sum(fine)',
            kinds: 'count(distinct kind)',
            last: 'latest(kind by fine)',
          },
        },
      },
    ],
    [
      [1, 3, 100, 2, 'loan'],
      [2, 2, 135, 1, 'loan'],
    ],
  ],
  [
    'aggregate without columns to group by makes one row',
    [{ aggregate: { by: [], columns: { mean: 'avg(fine)' } } }],
    [[0.5875]],
  ],
  [
    'an inner join loses rows without a partner and multiplies those with two',
    [{ join: { table: 'prices', kind: 'inner', on: [['branch', 'branch']] } }, { pick: ['branch', 'price'] }],
    [
      [1, 5],
      [1, 6],
      [1, 5],
      [1, 6],
      [1, 5],
      [1, 6],
    ],
  ],
  [
    'a left join keeps them',
    [
      { aggregate: { by: ['branch'], columns: {} } },
      {
        join: {
          table: 'branch',
          kind: 'left',
          on: [['branch', 'id']],
          columns: [{ column: 'name', as: 'of' }],
        },
      },
    ],
    [
      [1, 'Ash'],
      [2, null],
    ],
  ],
  [
    'a full join keeps those of both sides',
    [
      { aggregate: { by: ['branch'], columns: {} } },
      { join: { table: 'branch', kind: 'full', on: [['branch', 'id']], columns: ['name'] } },
    ],
    [
      [1, 'Ash'],
      [2, null],
      [3, 'Oak'],
    ],
  ],
  [
    'union matches columns by name',
    [{ pick: ['branch'] }, { union: ['prices'] }, { sort: [{ of: 'branch', order: 'descending' }, 'price'] }],
    [
      [2, null],
      [2, null],
      [1, 5],
      [1, 6],
      [1, null],
      [1, null],
      [1, null],
    ],
  ],
  [
    'sort puts nulls last in either direction',
    [{ sort: [{ of: 'kind', order: 'descending' }, 'branch'] }, { pick: ['kind', 'branch'] }],
    [
      ['loan', 1],
      ['loan', 1],
      ['loan', 2],
      ['back', 1],
      [null, 2],
    ],
  ],
  [
    'number takes the place of a column of its name',
    [{ pick: ['branch'] }, { number: 'branch' }],
    [[1], [2], [3], [4], [5]],
  ],
  [
    'number makes a surrogate key',
    [{ pick: ['branch'] }, { number: 'key' }],
    [
      [1, 1],
      [2, 1],
      [3, 2],
      [4, 1],
      [5, 2],
    ],
  ],
])('%s', (_name, steps, expected) => {
  expect(rowsAfter(...steps)).toEqual(expected);
});

test.each<[object[], RegExp]>([
  [
    [{ filter: 'brnach = 1' }],
    /step 2 of made: the formula brnach = 1: no column "brnach": did you mean "branch"/,
  ],
  [[{ filter: 'branch + 1' }], /needs a condition/],
  [[{ fliter: 'true' }], /did you mean filter/],
  [[{ filter: 'true', pick: ['a'] }], /one verb is expected/],
  [[{ pick: [] }], /step 2 of made: pick/],
  [[{ pick: ['nothing'] }], /names the column "nothing", which is not there/],
  [[{ join: { table: 'branch', kind: 'outer', on: [['a', 'b']] } }], /join: kind/],
  [[{ aggregate: { by: [], columns: { x: 'fine + 1' } } }], /is no plain aggregate/],
  [[{ union: ['branch'] }, { union: ['gone'] }], /step 3 of made: the model has no table "gone"/],
])('a wrong step says where and what: %j', (steps, message) => {
  expect(() => rowsAfter(...steps)).toThrow(message);
  expect(() => rowsAfter(...steps)).toThrow(DataError);
});

test('every state can be had, and lines of the file stay with their rows', () => {
  const states = runSteps(derived, [{ from: 'log' }, { filter: 'branch = 2' }, { distinct: true }], setting);
  expect(states.map((s) => s.rowCount)).toEqual([5, 2, 2]);
  expect([states[1]!.lineOf!(0), states[1]!.lineOf!(1)]).toEqual([4, 6]);
});

test('the last state is brought to what the model declares', () => {
  const table: Table = {
    name: 'made',
    role: 'fact',
    columns: [
      { name: 'Fine', type: 'integer' },
      { name: 'late', type: 'boolean', formula: 'true' },
    ],
  };
  const made = derivedRows(table, [{ from: 'log' }], setting);
  expect([...made.columns.values()].map((c) => c.name)).toEqual(['Fine']);
  expect([0, 1, 2].map((row) => valueAt(columnOf(made, 'fine'), row))).toEqual([1, null, 1]);
  expect(() =>
    derivedRows({ ...table, columns: [{ name: 'gone', type: 'text' }] }, [{ from: 'log' }], setting),
  ).toThrow(/give no column "gone"/);
  expect(() => derivedRows(table, [{ filter: 'true' }], setting)).toThrow(/begin with/);
});

test('a left join keeps at least each row, an inner join what matches, and totals follow', () => {
  const keys = fc.array(fc.option(fc.integer({ min: 0, max: 4 })), { maxLength: 15 });
  fc.assert(
    fc.property(keys, keys, (a, b) => {
      const [left, right] = [
        tableOf('a', [columnOfValues('k', INTEGER, a)]),
        tableOf('b', [
          columnOfValues('k', INTEGER, b),
          columnOfValues(
            'v',
            INTEGER,
            b.map((_, i) => i),
          ),
        ]),
      ];
      const joined = (kind: string) =>
        runSteps(derived, [{ from: 'a' }, { join: { table: 'b', kind, on: [['k', 'k']], columns: ['v'] } }], {
          table: (name) => (name === 'a' ? left : right),
          today: 0,
        }).at(-1)!.rowCount;
      const pairs = a.reduce<number>((n, x) => n + (x === null ? 0 : b.filter((y) => y === x).length), 0);
      const lone = a.filter((x) => x === null || !b.includes(x)).length;
      const others = b.filter((y) => y === null || !a.includes(y)).length;
      expect([joined('inner'), joined('left'), joined('full')]).toEqual([
        pairs,
        pairs + lone,
        pairs + lone + others,
      ]);
    }),
  );
});

test('every verb is listed once', () => {
  expect(new Set(STEP_KINDS.map((k) => k.verb)).size).toBe(STEP_KINDS.length);
  expect(STEP_KINDS.length).toBeGreaterThan(10);
});

describe('every kind of step', () => {
  const columns = [
    { name: 'branch', type: 'text' },
    { name: 'copies', type: 'integer' },
  ];

  test.each(STEP_KINDS.map((k) => [k.verb]))('%s can be started, read and said', (verb) => {
    const step = emptyStep(verb, columns);
    const read = readStep(step)!;
    // What has no columns or tables yet is not refused before somebody has chosen them, but for what cannot
    // be without.
    if (['lookup', 'union'].includes(verb)) {
      expect([read, stepText(step)]).toEqual([undefined, 'not complete yet']);
      return;
    }
    expect(read.kind.verb).toBe(verb);
    expect(stepText(step)).not.toMatch(/^$|complete/);
  });

  test('a step of two verbs, of none, or with what its verb does not take is not read', () => {
    for (const step of [{}, { filter: 'true', sort: ['a'] }, { fliter: 'true' }, { join: { table: 'x' } }])
      expect(readStep(step)).toBeUndefined();
  });

  test('a step that is switched off says what it would do, and reads no table', () => {
    const join = { join: { table: 'price', kind: 'left', on: [['a', 'a']] } };
    expect(stepText({ off: join })).toBe(stepText(join));
    expect([tablesRead([{ from: 'loan' }, { off: join }]), tablesRead([{ from: 'loan' }, join])]).toEqual([
      ['loan'],
      ['loan', 'price'],
    ]);
  });
});
