import { columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import type { AskedCell, Model, Query } from '../model/index.ts';
import { answerQuery, ModelData, QueryError } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { parseType } from '../values/index.ts';
import { rowsBehind } from './index.ts';

const column = (name: string, type: string, values: readonly Value[]) =>
  columnOfValues(name, parseType(type)!, [...values]);
const BRANCHES = ['N', 'S', 'N', 'S', 'N', null, 'X', 'S'];
const FINES = [100, 250, null, 50, 300, 75, 25, 0];
const rows = new Map<string, TableData>([
  [
    'loan',
    tableOf(
      'loan',
      [
        column('no', 'integer', [1, 2, 3, 4, 5, 6, 7, 8]),
        column('branch', 'text', BRANCHES),
        column('fine', 'decimal(9,2)', FINES),
        column('card', 'integer', [7, 7, 8, 9, 7, 8, 9, 9]),
      ],
      { rowCount: 8, lineOf: (row) => row + 2 },
    ),
  ],
  [
    'branch',
    tableOf('branch', [
      column('code', 'text', ['N', 'S', 'W']),
      column('name', 'text', ['North', 'South', 'West']),
    ]),
  ],
]);
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'no', type: 'integer' },
        { name: 'branch', type: 'text', hidden: true },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        { name: 'card', type: 'integer' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      columns: [
        { name: 'code', type: 'text' },
        { name: 'name', type: 'text' },
      ],
    },
  ],
  relationships: [
    { name: 'lb', from: { table: 'loan', columns: ['branch'] }, to: { table: 'branch', columns: ['code'] } },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Dear', formula: 'count(loan) filter (where loan.fine > 1)' },
    { name: 'Cards', formula: 'count(distinct loan.card)' },
    { name: 'Mean', formula: '"Fines" / "Loans"' },
    { name: 'Part', formula: '"Loans" / ("Loans" ignoring branch)' },
    { name: 'Top', formula: 'max(sum(loan.fine) per branch.name)' },
  ],
  detailListings: [
    {
      name: 'Lines',
      table: 'loan',
      where: 'loan.fine > 0.5',
      columns: ['no', { column: 'branch.name', title: 'Branch' }],
      sort: [{ of: 'loan.fine', order: 'descending' }],
      limit: 2,
    },
  ],
};
const data = new ModelData(model, (name) => rows.get(name.toLowerCase())!, 0);
const query: Query = { by: ['branch.name'], measures: ['Loans', 'Fines', 'Mean'] };
const behind = (cell: AskedCell | AskedCell[], more: object = {}) =>
  rowsBehind(data, { query, cells: [cell].flat(), ...more }).aggregates;
const numbers = (listed: { rows: readonly (readonly unknown[])[] }) => listed.rows.map((row) => row[0]);

test('the rows behind a cell add up to it', () => {
  const [loans] = behind({ measure: 'Loans', by: ['North'] });
  expect(loans).toMatchObject({
    text: 'count(loan)',
    table: 'loan',
    sum: '3',
    of: '3',
    more: 0,
    hiddenByListing: 0,
  });
  expect(loans!.columns.map((c) => c.name)).toEqual(['loan.no', 'loan.fine', 'loan.card']);
  expect([numbers(loans!), loans!.lines]).toEqual([
    [1, 3, 5],
    [2, 4, 6],
  ]);
  expect(behind({ measure: 'Fines', by: ['North'] })[0]).toMatchObject({ sum: '4.00', of: '4.00' });
});

test('of a ratio each aggregate stands apart, in its own context', () => {
  expect(behind({ measure: 'Mean', by: ['South'] }).map((a) => [a.text, a.sum, numbers(a)])).toEqual([
    ['sum(loan.fine)', '3.00', [2, 4, 8]],
    ['count(loan)', '3', [2, 4, 8]],
  ]);
  const [part, whole] = behind({ measure: 'Part', by: ['South'] });
  expect([part!.sum, whole!.sum]).toEqual(['3', '8']);
});

test('a filter of the aggregate holds for its rows; rows without a member, totals and several cells', () => {
  expect(numbers(behind({ measure: 'Dear' })[0]!)).toEqual([2, 5]);
  expect(numbers(behind({ measure: 'Loans', by: [null] })[0]!)).toEqual([6, 7]);
  expect(behind({ measure: 'Fines' })[0]).toMatchObject({ sum: '8.00', of: '8.00' });
  const two = behind([
    { measure: 'Loans', by: ['North'] },
    { measure: 'Loans', by: ['South'] },
  ]);
  expect([two[0]!.sum, two[0]!.of, numbers(two[0]!)]).toEqual(['6', '6', [1, 3, 5, 2, 4, 8]]);
});

test('where an aggregate is no sum, what the rows stand for is said', () => {
  const [cards] = behind({ measure: 'Cards', by: ['South'] });
  expect([cards!.sum, cards!.of, cards!.standsFor]).toEqual([
    null,
    '2',
    'count(distinct loan.card) is no sum over these rows, but how many different values they have',
  ]);
  const [top] = behind({ measure: 'Top' });
  expect([top!.sum, top!.of, numbers(top!).length]).toEqual([null, null, 8]);
  expect(top!.standsFor).toContain('each combination');
});

test('a listing has its columns, headings, order, limit and condition; what it hides is counted', () => {
  const [lines] = behind({ measure: 'Fines' }, { listing: 'lines' });
  expect(lines).toMatchObject({ more: 2, hiddenByListing: 4, sum: '8.00' });
  expect(lines!.columns).toEqual([
    { name: 'loan.no', type: 'integer' },
    { name: 'branch.name', title: 'Branch', type: 'text' },
  ]);
  expect(lines!.rows).toEqual([
    [5, 'North'],
    [2, 'South'],
  ]);
  const asked = behind({ measure: 'Loans' }, { columns: ['branch.name', 'loan.no'], limit: 1 });
  expect([asked[0]!.rows, asked[0]!.more]).toEqual([[['North', 1]], 7]);
});

test.each<[AskedCell, object, string]>([
  [{ measure: 'Loans', by: ['West'] }, {}, 'no row ["West"]'],
  [{ measure: 'Lones' }, {}, 'no measure "Lones"'],
  [{ measure: 'Loans' }, { listing: 'Rows' }, 'no listing "Rows": it has Lines'],
  [{ measure: 'Loans' }, { columns: ['loan.nr'] }, 'no column "loan.nr"'],
])('%j %j is refused', (cell, more, message) => {
  expect(() => behind(cell, more)).toThrow(QueryError);
  expect(() => behind(cell, more)).toThrow(message);
});

test('rows behind a subtotal of a question laid out across, and behind all others', () => {
  const wide: Query = { by: ['loan.card'], across: ['branch.name'], measures: ['Loans'] };
  const of = (cell: AskedCell, q = wide) => rowsBehind(data, { query: q, cells: [cell] }).aggregates[0]!;
  expect(of({ measure: 'Loans', by: [7], across: ['North'] }).sum).toBe('2');
  expect(of({ measure: 'Loans', by: [7] }).sum).toBe('3');
  expect(of({ measure: 'Loans', across: ['South'] }).sum).toBe('3');
  const top: Query = {
    by: ['loan.card'],
    measures: ['Loans'],
    filters: [{ top: 1, of: 'Fines', others: true }],
  };
  const answer = answerQuery(data, top);
  expect(answer.rows.at(-1)).toEqual([{ others: true }, 5]);
  expect(numbers(of({ measure: 'Loans', by: [{ others: true }] }, top))).toEqual([3, 4, 6, 7, 8]);
});

test('cells of the answer before are found anew where the question is another one, or the rows are', () => {
  const asked: Query = { by: ['branch.name'], measures: ['Loans'] };
  const listed = (of: ModelData, more: Partial<Query>, by: AskedCell['by']) => {
    const whole = { ...asked, ...more };
    answerQuery(of, asked);
    return rowsBehind(of, { query: whole, cells: [{ measure: 'Loans', by }] }).aggregates[0]!.rows.map(
      ([no]) => no,
    );
  };
  const others: Partial<Query>[] = [
    {},
    { sort: [{ of: 'Loans', order: 'descending' }], limit: 1 },
    { filters: [{ where: 'loan.fine > 0.6' }] },
    { filters: [{ having: '"Loans" > 2' }] },
    { filters: [{ top: 3, of: 'Loans' }] },
    { by: ['loan.card'] },
    { unmatched: 'apart' },
    { empty: 'show' },
  ];
  for (const more of others) {
    const afresh = new ModelData(model, (name) => rows.get(name.toLowerCase())!, 0);
    const by = more.by ? [8] : ['North'];
    const whole = { ...asked, ...more };
    expect(listed(data, more, by)).toEqual(
      rowsBehind(afresh, { query: whole, cells: [{ measure: 'Loans', by }] }).aggregates[0]!.rows.map(
        ([no]) => no,
      ),
    );
  }
  // A member without rows is listed where empty ones are asked for.
  const few: Query = { ...asked, measures: ['Dear'] };
  answerQuery(data, few);
  const shown = { ...few, empty: 'show' as const };
  expect(
    rowsBehind(data, { query: shown, cells: [{ measure: 'Dear', by: ['West'] }] }).aggregates[0]!.rows,
  ).toEqual([]);
  answerQuery(data, asked);
  const filtered = { ...asked, filters: [{ where: 'loan.fine > 100' }] };
  expect(() => rowsBehind(data, { query: filtered, cells: [{ measure: 'Loans', by: ['North'] }] })).toThrow(
    'the answer has no row ["North"]',
  );
});
