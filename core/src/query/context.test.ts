import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Query } from '../model/index.ts';
import { withFamilies } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';
import { answerQuery, ModelData } from './index.ts';

const day = (text: string) => textReader(DATE)(text) as number;
const days = (from: string, count: number) => Array.from({ length: count }, (_, i) => day(from) + i);

/**
 * A small library: two facts at different grains, a bridge, a many-to-many, a tree, a role, two calendars'
 * worth of days.
 */
const model: Model = withFamilies({
  crease: 1,
  name: 'library',
  asOf: '2026-03-10',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: ['branch', 'title', 'staff', 'out', 'back', 'copies'].map((name) => ({
        name,
        type: ['out', 'back'].includes(name) ? 'date' : 'integer',
      })),
    },
    {
      name: 'budget',
      role: 'fact',
      columns: [
        { name: 'branch', type: 'integer' },
        { name: 'quarter', type: 'text' },
        { name: 'amount', type: 'decimal(9,2)' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['id'],
      label: 'name',
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'name', type: 'text' },
        { name: 'region', type: 'text' },
        { name: 'lent', type: 'integer', formula: 'count(loan)' },
      ],
    },
    {
      name: 'title',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'name', type: 'text' },
        { name: 'loud', type: 'text', formula: 'upper(name)' },
      ],
    },
    {
      name: 'author',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'name', type: 'text' },
        { name: 'country', type: 'text' },
      ],
    },
    {
      name: 'wrote',
      role: 'bridge',
      columns: [
        { name: 'title', type: 'integer' },
        { name: 'author', type: 'integer' },
      ],
    },
    {
      name: 'staff',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'name', type: 'text' },
        { name: 'boss', type: 'integer' },
      ],
    },
    {
      name: 'calendar',
      role: 'dimension',
      key: ['day'],
      columns: [
        { name: 'day', type: 'date' },
        { name: 'month', type: 'integer', formula: 'extract(month from day)' },
        { name: 'quarter', type: 'text' },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['id'] },
    },
    {
      name: 'loan_title',
      from: { table: 'loan', columns: ['title'] },
      to: { table: 'title', columns: ['id'] },
    },
    {
      name: 'loan_staff',
      from: { table: 'loan', columns: ['staff'] },
      to: { table: 'staff', columns: ['id'] },
    },
    { name: 'went', from: { table: 'loan', columns: ['out'] }, to: { table: 'calendar', columns: ['day'] } },
    {
      name: 'came',
      from: { table: 'loan', columns: ['back'] },
      to: { table: 'calendar', columns: ['day'] },
      default: false,
    },
    {
      name: 'wrote_title',
      from: { table: 'wrote', columns: ['title'] },
      to: { table: 'title', columns: ['id'] },
    },
    {
      name: 'wrote_author',
      from: { table: 'wrote', columns: ['author'] },
      to: { table: 'author', columns: ['id'] },
    },
    {
      name: 'budget_branch',
      from: { table: 'budget', columns: ['branch'] },
      to: { table: 'branch', columns: ['id'] },
    },
    {
      name: 'budget_quarter',
      from: { table: 'budget', columns: ['quarter'] },
      to: { table: 'calendar', columns: ['quarter'] },
      cardinality: 'many-to-level',
    },
  ],
  hierarchies: [{ name: 'Tree', table: 'staff', parent: 'boss', label: 'name' }],
  calendars: [{ table: 'calendar', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } }],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Copies', formula: 'sum(loan.copies)' },
    { name: 'Granted', formula: 'sum(budget.amount)' },
    { name: 'Granted everywhere', formula: 'sum(budget.amount)', unreached: 'repeat' },
    { name: 'Came back', formula: '"Loans" via came' },
    { name: 'Share', formula: '"Loans" / ("Loans" ignoring everything)' },
    { name: 'Of the branch', formula: '"Loans" given branch' },
    { name: 'Best month', formula: 'max("Loans" per calendar.month)' },
    { name: 'Twice', formula: "with n as (count(loan)) select n + (n where branch.region = 'N')" },
    { name: 'Lent of members', formula: 'sum(branch.lent)' },
  ],
  periodFamilies: [{ measure: 'Loans', periods: ['year to date', 'same period 1 month back'] }],
});

const rows: Record<string, Record<string, Value[]>> = {
  loan: {
    branch: [1, 1, 2, 2, 3, null],
    title: [10, 11, 10, 12, 11, 12],
    staff: [1, 2, 3, 4, 2, 9],
    out: ['2026-01-10', '2026-02-10', '2026-02-20', '2026-03-01', '2026-03-05', '2026-03-20'].map(day),
    back: [day('2026-02-01'), day('2026-03-01'), null, day('2026-03-09'), day('2026-03-06'), null],
    copies: [1, 2, 3, 4, 5, null],
  },
  budget: { branch: [1, 2, 2], quarter: ['2026-Q1', '2026-Q1', '2025-Q4'], amount: [10000, 20050, 5000] },
  branch: { id: [1, 2], name: ['Ash', 'Elm'], region: ['N', 'S'] },
  title: { id: [10, 11, 12], name: ['zoo', 'owl', 'fen'] },
  author: { id: [1, 2], name: ['Ada', 'Ben'], country: ['IE', 'FR'] },
  wrote: { title: [10, 10, 11], author: [1, 2, 2] },
  staff: { id: [1, 2, 3, 4], name: ['Top', 'Mid', 'Low', 'Low'], boss: [null, 1, 2, 2] },
  calendar: {
    day: days('2025-10-01', 182),
    quarter: days('2025-10-01', 182).map((d) => (d < day('2026-01-01') ? '2025-Q4' : '2026-Q1')),
  },
};

const tables = new Map<string, TableData>(
  model.tables.map((t) => [
    t.name,
    tableOf(
      t.name,
      t.columns
        .filter((c) => c.formula === undefined)
        .map((c) => columnOfValues(c.name, parseType(c.type)!, rows[t.name]![c.name]!)),
    ),
  ]),
);
/** The answer of both executors, which must be one. */
function ask(query: Query) {
  const [plain, compiled] = (['plain', 'compiled'] as const).map((executor) =>
    answerQuery(new ModelData(model, (name) => tables.get(name)!, day('2026-03-10'), executor), query),
  );
  expect(compiled).toEqual(plain);
  return plain!;
}

test.each<[string, Query, unknown[][]]>([
  [
    'a bridge: a row counts once in a member',
    { by: ['author.country'], measures: ['Loans'] },
    [
      ['FR', 4],
      ['IE', 2],
      [null, 2],
    ],
  ],
  [
    'a filter through the bridge',
    { measures: ['Loans'], filters: [{ column: 'author.name', in: ['Ada', 'Ben'] }] },
    [[4]],
  ],
  [
    'conditions through one bridge are judged on one row',
    {
      measures: ['Loans'],
      filters: [
        { column: 'author.name', in: ['Ada'] },
        { column: 'author.country', in: ['FR'] },
      ],
    },
    [[0]],
  ],
  [
    'the top of a tree, and one below',
    { by: [{ hierarchy: 'staff.Tree', depth: 2 }], measures: ['Loans'] },
    [
      ['Mid', 4],
      ['Top', 1],
      [null, 1],
    ],
  ],
  [
    'two people of one name at the third depth',
    { by: [{ hierarchy: 'staff.Tree', depth: 3 }], measures: ['Loans'] },
    [
      ['Low', 1],
      ['Low', 1],
      ['Mid', 2],
      ['Top', 1],
      [null, 1],
    ],
  ],
  [
    'by the day of return',
    { by: ['calendar.month'], measures: ['Loans', 'Came back'] },
    [
      [1, 1, 0],
      [2, 2, 1],
      [3, 3, 3],
      [null, 0, 2],
    ],
  ],
  [
    'a share of everything',
    { by: ['branch.region'], measures: ['Share'] },
    [
      ['N', 2 / 6],
      ['S', 2 / 6],
      [null, 2 / 6],
    ],
  ],
  [
    'given: the month does not count',
    {
      by: ['branch.name', 'calendar.month'],
      measures: ['Loans', 'Of the branch'],
      filters: [{ column: 'branch.name', in: ['Ash'] }],
    },
    [
      ['Ash', 1, 1, 2],
      ['Ash', 2, 1, 2],
    ],
  ],
  [
    'the best month of each branch',
    { by: ['branch.name'], measures: ['Best month'] },
    [
      ['Ash', 1],
      ['Elm', 1],
      [null, 2],
    ],
  ],
  [
    'a named step in two contexts',
    { by: ['branch.region'], measures: ['Twice'] },
    [
      ['N', 4],
      ['S', 2],
      [null, 2],
    ],
  ],
  ['a derived column that counts rows which refer to it', { measures: ['Lent of members'] }, [[4]]],
  [
    'a derived text as a member',
    { by: ['title.loud'], measures: ['Loans'] },
    [
      ['FEN', 2],
      ['OWL', 2],
      ['ZOO', 2],
    ],
  ],
  [
    'a period family, cut by as-of',
    {
      by: ['calendar.month'],
      measures: ['Loans, year to date', 'Loans, same period 1 month back'],
      filters: [{ column: 'calendar.month', in: [2, 3] }],
    },
    [
      [2, 3, 1],
      [3, 5, 1],
    ],
  ],
  ['a period filter', { measures: ['Loans'], filters: [{ period: 'month to date' }] }, [[2]]],
  [
    'sorted by a measure, cut after sorting',
    { by: ['branch.name'], measures: ['Copies'], sort: [{ of: 'Copies', order: 'descending' }], limit: 2 },
    [
      ['Elm', 7],
      [null, 5],
    ],
  ],
  [
    'empty members are shown',
    {
      by: ['author.name'],
      measures: ['Loans'],
      filters: [{ column: 'branch.name', in: ['Ash'] }],
      empty: 'show',
    },
    [
      ['Ada', 1],
      ['Ben', 2],
    ],
  ],
  [
    'the null member asked for',
    { measures: ['Loans'], filters: [{ column: 'branch.name', in: [null] }] },
    [[2]],
  ],
])('%s', (_name, query, expected) => {
  expect(ask(query).rows).toEqual(expected);
});

test('a coarser grain applies at its level and above, not below', () => {
  const quarterly = ask({ by: ['calendar.quarter'], measures: ['Granted', 'Loans'], totals: true });
  expect(quarterly).toMatchObject({
    rows: [
      ['2025-Q4', '50.00', 0],
      ['2026-Q1', '300.50', 6],
    ],
    totals: ['350.50', 6],
    unreached: [],
  });
  const monthly = ask({ by: ['calendar.month'], measures: ['Loans', 'Granted'], totals: true });
  expect(monthly.rows.every((row) => row[2] === null)).toBe(true);
  expect(monthly).toMatchObject({ totals: [6, '350.50'], unreached: [['Granted', 'calendar.month']] });
});

test('what does not reach is told, unless the measure says that it repeats', () => {
  const answer = ask({
    by: ['title.name'],
    measures: ['Loans', 'Granted', 'Granted everywhere'],
    filters: [{ column: 'branch.name', in: ['Elm'] }],
  });
  expect(answer.rows).toEqual([
    ['fen', 1, null, '250.50'],
    ['zoo', 1, null, '250.50'],
  ]);
  expect(answer.unreached).toEqual([['Granted', 'title.name']]);
});

test('a total is evaluated in its own context, never added up', () => {
  const answer = ask({ by: ['author.country'], measures: ['Loans', 'Best month', 'Share'], totals: true });
  expect(answer.rows.reduce((sum, row) => sum + Number(row[1]), 0)).toBe(8);
  expect(answer.totals).toEqual([6, 3, 1]);
});
