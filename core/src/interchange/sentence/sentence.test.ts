import type { Model, Query } from '../../model/index.ts';
import { clauseAt, readSentence, writeSentence } from './index.ts';

const column = (name: string, type = 'text', more = {}) => ({ name, type, ...more });
const model: Model = {
  crease: 1,
  name: 'lending',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [column('branch_id', 'integer'), column('fine', 'decimal(9,2)', { use: 'quantity' })],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['branch_id'],
      columns: [column('branch_id', 'integer'), column('name'), column('region', 'text', { title: 'Area' })],
    },
    {
      name: 'calendar',
      role: 'dimension',
      key: ['day'],
      columns: [column('day', 'date'), column('year', 'integer')],
    },
    { name: 'staff', role: 'dimension', columns: [column('id', 'integer'), column('boss', 'integer')] },
  ],
  hierarchies: [
    {
      name: 'Geography',
      table: 'branch',
      levels: [
        { name: 'Region', column: 'region' },
        { name: 'Branch', column: 'name' },
      ],
    },
    { name: 'Line of report', table: 'staff', key: 'id', parent: 'boss' },
  ],
  calendars: [{ table: 'calendar', day: 'day' }],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fine per loan', title: 'Mean fine', formula: 'sum(loan.fine) / "Loans"' },
    { name: 'Loans by hand', formula: 'count(loan)' },
  ],
  periodFamilies: [{ measure: 'Loans', periods: ['year to date'] }],
};
const read = (source: string, before?: Query) => readSentence(source, model, before);
const asked = (source: string): Query => {
  const { query, faults } = read(source);
  expect(faults).toEqual([]);
  return query;
};

test.each<[string, Query]>([
  ['show Loans', { measures: ['Loans'] }],
  ['Loans by branch.region', { measures: ['Loans'], by: ['branch.region'] }],
  [
    'show loans, Fine per loan by Area, branch.Geography.Branch across calendar.year',
    {
      measures: ['Loans', 'Fine per loan'],
      by: ['branch.region', { hierarchy: 'branch.Geography', level: 'Branch' }],
      across: ['calendar.year'],
    },
  ],
  ['show Mean fine by year', { measures: ['Fine per loan'], by: ['calendar.year'] }],
  [
    'show avg loan.fine, loan.fine, (count(loan) where loan.fine > 1) as Fined',
    {
      measures: [
        { column: 'loan.fine', aggregate: 'avg' },
        { column: 'loan.fine' },
        { name: 'Fined', formula: 'count(loan) where loan.fine > 1' },
      ],
    },
  ],
  [
    "show Loans by (fine > 5 or fine is null) of loan as heavy, staff.Line of report depth 2 where branch.region in ('North', null, no reference, unmatched)",
    {
      measures: ['Loans'],
      by: [
        { name: 'heavy', formula: 'fine > 5 or fine is null', of: 'loan' },
        { hierarchy: 'staff.Line of report', depth: 2 },
      ],
      filters: [{ column: 'branch.region', in: ['North', null, { null: true }, { unmatched: true }] }],
    },
  ],
  [
    'show Loans by branch.name where calendar.year = 2025 and last quarter and loan.fine between 1 and 5 and (branch.region = \'A\' or late) having "Loans" > 3 top 5 by Loans per branch.region smallest first and all others sorted by Loans descending, branch.name limit 20 as of 2026-06-30 with totals, empty members',
    {
      measures: ['Loans'],
      by: ['branch.name'],
      filters: [
        { column: 'calendar.year', in: [2025] },
        { period: 'previous quarter' },
        { where: 'loan.fine between 1 and 5' },
        { where: "branch.region = 'A' or late" },
        { having: '"Loans" > 3' },
        { top: 5, of: 'Loans', per: ['branch.region'], others: true, order: 'ascending' },
      ],
      sort: [{ of: 'Loans', order: 'descending' }, { of: 'branch.name' }],
      limit: 20,
      asOf: '2026-06-30',
      totals: true,
      empty: 'show',
    },
  ],
  [
    'show "Loans, year to date", "Loans by hand" where last 18 months in calendar and a or b and c',
    {
      measures: ['Loans, year to date', 'Loans by hand'],
      // `or` binds less than `and`: what is joined by it is one condition.
      filters: [{ where: 'last 18 months in calendar and a or b and c' }],
    },
  ],
  [
    'show Loans where case when loan.fine > 1 and loan.fine < 3 then true else false end and branch.name in ()',
    {
      measures: ['Loans'],
      filters: [
        { where: 'case when loan.fine > 1 and loan.fine < 3 then true else false end' },
        { column: 'branch.name', in: [] },
      ],
    },
  ],
])('reads %s', (source, query) => {
  expect(asked(source)).toEqual(query);
  expect(asked(writeSentence(query))).toEqual(query);
});

test.each([
  ['show', 0, 4, 'something has to follow show'],
  ['show Loanz', 5, 10, 'there is no measure or column Loanz: did you mean "Loans"?'],
  ['show Loans by', 11, 13, 'something has to follow by'],
  ['show Loans by branch.regoin', 14, 27, 'branch has no column regoin: did you mean branch.region?'],
  [
    'show Loans by branch_id',
    14,
    23,
    'there are several of the name branch_id: loan.branch_id, branch.branch_id',
  ],
  ['show Loans, by branch.name', 10, 11, 'something is missing beside this comma'],
  ['show Loans where and x', 17, 22, 'a condition is missing beside "and"'],
  ['show Loans by branch.Geography level Town', 14, 41, 'branch.Geography has no level Town: Region, Branch'],
  ['show Loans limit many', 5, 21, 'there is no measure or column Loans limit many'],
  ['show Loans limit 1.5', 17, 20, 'a limit is a whole number'],
  ['show Loans as of 2026-13-01', 0, 27, 'a day is written like'],
  ['show Loans with love', 5, 20, 'there is no measure or column Loans with love'],
  ["show Loans where name = 'x", 24, 26, "a text is not closed: a ' is missing"],
  ['show (count(loan))', 5, 18, 'a measure by a formula needs a name: (formula) as name'],
])('says what is wrong with %s', (source, start, end, message) => {
  const { faults } = read(source);
  expect(faults[0]).toMatchObject({ start, end, message: expect.stringContaining(message) as string });
});

test('what can be read stays while a part is unfinished', () => {
  expect(read('show Loans, Lo by branch.region, bra').query).toEqual({
    measures: ['Loans'],
    by: ['branch.region'],
  });
});

test('the format of a measure on the spot outlives an edit of its formula', () => {
  const before: Query = { measures: [{ name: 'Fined', formula: 'count(loan)', format: { decimals: 2 } }] };
  expect(read('show (count(loan) where loan.fine > 2) as Fined', before).query.measures).toEqual([
    { name: 'Fined', formula: 'count(loan) where loan.fine > 2', format: { decimals: 2 } },
  ]);
});

test('a place belongs to the clause before it', () => {
  const source = 'show Loans by branch.region where calendar.year = 2025 sorted by ';
  expect([0, 6, 14, 40, source.length].map((at) => clauseAt(source, at))).toEqual([
    undefined,
    'show',
    'by',
    'where',
    'sorted',
  ]);
});

test.each([
  '(a)',
  'a and b',
  "branch.region in ('North')",
  "branch.region = 'North'",
  'a -- why',
  'year to date',
  'x having y',
  'loan.fine = 3',
])('a formula that could be read as something else is written in parentheses: %s', (where) => {
  const query: Query = { measures: ['Loans'], filters: [{ where }] };
  expect(asked(writeSentence(query))).toEqual(query);
});

test('odd names come through', () => {
  const names = ['a "b"', 'top 5', 'Fine per loan', 'sum', "it's", 'Ä ö', '1st', 'x.y'];
  const odd: Model = { ...model, measures: names.map((name) => ({ name, formula: 'count(loan)' })) };
  const query: Query = { measures: names, sort: names.filter((n) => n !== 'x.y').map((of) => ({ of })) };
  expect(readSentence(writeSentence(query), odd)).toEqual({ query, faults: [] });
});
