import type { QueryState } from '@crease/contract';
import type { Model, Query } from '@crease/core/model';
import { drilledDown, itemBelow, questionBelow, rowsBelow } from './drill.ts';
import type { Below, Line } from './lines.ts';
import { keyOfRow, tableLines } from './lines.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [],
  relationships: [],
  hierarchies: [
    {
      name: 'Geography',
      table: 'branch',
      levels: [
        { name: 'Region', column: 'district.region' },
        { name: 'Branch', column: 'name' },
      ],
    },
    { name: 'Report', table: 'staff', parent: 'boss' },
  ],
};
const region = { hierarchy: 'branch.Geography', level: 'Region' };
const branch = { hierarchy: 'branch.Geography', level: 'Branch' };
const answer = (by: number, rows: QueryState['rows'], more: Partial<QueryState> = {}): QueryState => ({
  columns: [
    ...Array.from({ length: by }, (_, i) => ({ name: `c${i}`, type: 'text', kind: 'by' as const })),
    { name: 'Loans', type: 'integer', kind: 'measure' as const },
  ],
  rows,
  unreached: [],
  elapsedMs: 1,
  ...more,
});
const text = (line: Line): unknown =>
  line.kind === 'row'
    ? [line.depth, ...line.row.members, (line.of?.answer ?? undefined)?.rows[line.at]?.at(-1)]
    : line.kind === 'subtotal'
      ? ['subtotal', ...line.members, ...line.values]
      : line.text;

test('what lies below a level, a column of a level, and a depth', () => {
  expect(itemBelow(region, model)).toEqual(branch);
  expect(itemBelow('district.region', model)).toEqual(branch);
  expect(itemBelow('branch.name', model)).toBeUndefined();
  expect(itemBelow({ hierarchy: 'staff.Report', depth: 2 }, model)).toEqual({ hierarchy: 'staff.Report', depth: 3 }); // oxfmt-ignore
  expect(itemBelow({ name: 'x', formula: '1', of: 'branch' }, model)).toBeUndefined();
});

test('the question below a row keeps its conditions on rows, and narrows to its members', () => {
  const query: Query = {
    measures: ['Loans'],
    by: [region],
    filters: [{ where: 'x' }, { having: '"Loans" > 1' }, { top: 3, of: 'Loans' }],
    sort: [{ of: 'Loans' }],
    limit: 3,
    asOf: '2026-01-01',
  };
  const row = { items: [region], members: ['North'], named: ['North'] };
  expect(questionBelow(query, row, branch, model)).toEqual({
    measures: ['Loans'],
    by: [region, branch],
    filters: [{ where: 'x' }, { column: 'district.region', in: ['North'] }],
    unmatched: 'apart',
    asOf: '2026-01-01',
  });
});

test('a member of a depth, or on the spot, is found among the rows instead', () => {
  const items = [
    { hierarchy: 'staff.Report', depth: 1 },
    { name: 'late', formula: 'x', of: 'loan' },
  ];
  const row = { items, members: ['Ada', true], named: ['Ada', true] };
  expect(questionBelow({ measures: ['Loans'] }, row, 'branch.name', model).filters).toEqual([]);
  const below = answer(3, [
    ['Ada', true, 'Ash', 1],
    ['Ada', false, 'Ash', 2],
    ['Bo', true, 'Elm', 3],
    ['Ada', true, 'Elm', 4],
  ]);
  expect(rowsBelow(below, row)).toEqual([0, 3]);
});

test('down from a member goes to the level below it alone, or to the depth beside it', () => {
  const query: Query = { measures: ['Loans'], by: [region, { hierarchy: 'staff.Report', depth: 1 }] };
  expect(drilledDown(query, ['North', 'Ada', 5], model)).toMatchObject({
    at: 1,
    query: { by: [...query.by!, { hierarchy: 'staff.Report', depth: 2 }] },
  });
  // Where the last has no member, the one before it.
  expect(drilledDown(query, ['North', null, 5], model)).toMatchObject({
    at: 0,
    item: branch,
    query: { by: [branch, query.by![1]], filters: [{ column: 'district.region', in: ['North'] }] },
  });
  expect(drilledDown(query, [null, null, 5], model)).toBeUndefined();
  expect(
    drilledDown({ measures: ['Loans'], by: [region, branch] }, ['North', 'Ash', 5], model),
  ).toBeUndefined();
});

test('of two members with one label only the rows of the opened one are below it', () => {
  const rows: QueryState['rows'] = [
    ['Ash', 'x', 1],
    ['Ash', 'y', 2],
  ];
  const below = answer(2, rows, {
    keys: [
      [[7], null],
      [[8], null],
    ] as never,
  });
  const row = { items: ['branch.name'], members: ['Ash'], named: [{ key: [8] }] };
  expect(rowsBelow(below, row)).toEqual([1]);
});

test('opened rows have theirs below them, waiting and failed ones say so', () => {
  const query: Query = { measures: ['Loans'], by: [region] };
  const whole = answer(1, [['North', 5], ['South', 3], ['West', 1]]); // oxfmt-ignore
  const row = (member: string) => ({ items: [region], members: [member], named: [member] });
  const below = (more: Partial<Below>): Below => ({ item: branch, query, ...more });
  const opened = new Map([
    [keyOfRow(row('North')), below({ answer: answer(2, [['North', 'Ash', 2], ['North', 'Elm', 3]]) })],
    [keyOfRow(row('South')), below({})],
    [keyOfRow(row('West')), below({ fault: 'no way' })],
  ]); // oxfmt-ignore
  expect(tableLines(whole, query, opened).map(text)).toEqual([
    [0, 'North', undefined],
    [1, 'North', 'Ash', 2],
    [1, 'North', 'Elm', 3],
    [0, 'South', undefined],
    'Working …',
    [0, 'West', undefined],
    'no way',
  ]);
});

test('rows of a group stand together above its subtotal, groups in the order of their first rows', () => {
  const query: Query = { measures: ['Loans'], by: ['a', 'b', 'c'], subtotals: true };
  const whole = answer(
    3,
    [
      ['q', 'x', '1', 9],
      ['p', 'x', '1', 8],
      ['q', 'y', '1', 7],
      ['q', 'x', '2', 6],
      [null, 'x', '1', 5],
    ],
    {
      subtotals: [
        { by: 1, across: 0, rows: [['p', 8], ['q', 22], [null, 5]] },
        { by: 2, across: 0, rows: [['p', 'x', 8], ['q', 'x', 15], ['q', 'y', 7], [null, 'x', 5]] },
      ],
    },
  ); // oxfmt-ignore
  expect(tableLines(whole, query, new Map()).map((l) => (l.kind === 'row' ? l.at : text(l)))).toEqual([
    0,
    3,
    ['subtotal', 'q', 'x', 15],
    2,
    ['subtotal', 'q', 'y', 7],
    ['subtotal', 'q', 22],
    1,
    ['subtotal', 'p', 'x', 8],
    ['subtotal', 'p', 8],
    4,
    ['subtotal', null, 'x', 5],
    ['subtotal', null, 5],
  ]);
});
