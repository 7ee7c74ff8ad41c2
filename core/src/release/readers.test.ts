import fc from 'fast-check';
import type { Model, Perspective } from '../model/index.ts';
import { withFamilies } from '../model/index.ts';
import { ReadersView } from './readers.ts';

const column = (name: string, more = {}) => ({ name, type: 'text', ...more });
const model: Model = {
  crease: 1,
  name: 'm',
  title: 'Libraries',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'salaries.csv' },
      columns: [
        column('branch'),
        column('fine', { type: 'integer', formula: 'wage * 2' }),
        column('wage', { type: 'integer' }),
        column('lent', { type: 'date' }),
        column('returned', { type: 'date' }),
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      title: 'Branches',
      key: ['branch'],
      columns: [column('branch'), column('town'), column('raw', { hidden: true })],
    },
    {
      name: 'day',
      role: 'dimension',
      key: ['day'],
      columns: [column('day', { type: 'date' }), column('year')],
    },
    { name: 'staff', role: 'dimension', columns: [column('id'), column('boss')] },
    { name: 'desk_log', role: 'staging', columns: [column('line')] },
  ],
  relationships: [
    {
      name: 'at',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['branch'] },
    },
    { name: 'lent_on', from: { table: 'loan', columns: ['lent'] }, to: { table: 'day', columns: ['day'] } },
    {
      name: 'returned_on',
      role: 'Returned',
      default: false,
      from: { table: 'loan', columns: ['returned'] },
      to: { table: 'day', columns: ['day'] },
    },
  ],
  hierarchies: [
    {
      name: 'Places',
      table: 'branch',
      levels: [
        { name: 'Town', column: 'town', key: 'raw' },
        { name: 'Branch', column: 'branch' },
      ],
    },
    { name: 'Years', table: 'day', levels: [{ name: 'Year', column: 'year' }] },
    { name: 'Report', table: 'staff', key: 'id', parent: 'boss' },
  ],
  calendars: [{ table: 'day', day: 'day' }],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)', goal: { measure: 'Wages' } },
    { name: 'Wages', formula: 'sum(loan.wage)', goal: { value: 3 } },
    { name: 'Fines by wage', formula: '"Fines" / "Wages"' },
  ],
  knownAnswers: [{ name: 'wages', query: { measures: ['Wages'] }, rows: [[1]] }],
  targets: [{ name: 'mart', kind: 'sqlite', file: 'mart.sqlite' }],
  detailListings: [
    { name: 'Lines', table: 'loan', columns: ['loan.fine', 'branch.town'], measures: ['Fines', 'Wages'] },
    { name: 'Pay', table: 'loan', columns: ['loan.wage'] },
  ],
};
const desk: Perspective = {
  name: 'Desk',
  tables: ['branch', { table: 'day', title: 'Days' }],
  columns: [{ column: 'loan.fine', title: 'Fee' }],
  hierarchies: ['branch.Places', 'day.Years', 'staff.Report'],
  measures: ['Loans', 'Fines', 'Fines by wage'],
  listings: ['Lines', 'Pay'],
};
const view = new ReadersView(model, desk);

test('readers get what their perspective shows, with roles as tables, and nothing of what it is made of', () => {
  const { tables, hierarchies, measures, detailListings } = view.model;
  expect(tables.map((t) => [t.name, t.title, t.columns.map((c) => c.name).join(' ')])).toEqual([
    ['loan', undefined, 'fine'],
    ['branch', 'Branches', 'branch town'],
    ['day', 'Days', 'day year'],
    ['Returned', 'Returned', 'day year'],
  ]);
  expect(tables[0]!.columns[0]).toEqual({ name: 'fine', type: 'integer', title: 'Fee' });
  expect(hierarchies!.map((h) => [`${h.table}.${h.name}`, h.levels])).toEqual([
    [
      'branch.Places',
      [
        { name: 'Town', column: 'town' },
        { name: 'Branch', column: 'branch' },
      ],
    ],
    ['day.Years', [{ name: 'Year', column: 'year' }]],
    ['Returned.Years', [{ name: 'Year', column: 'year' }]],
  ]);
  expect(measures).toEqual([
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Fines by wage', formula: '' },
  ]);
  expect(detailListings).toEqual([
    { name: 'Lines', table: 'loan', columns: ['loan.fine', 'branch.town'], measures: ['Fines'] },
  ]);
  const said = JSON.stringify(view.model).replaceAll('Fines by wage', '');
  expect(said).not.toMatch(/wage|raw|staff|boss|salaries|mart|desk_log|lent/i);
});

test('a kept trial is open, or closed where its conditions speak of what is not shown, or left out', () => {
  const trial = (name: string, query: object) => ({ name, query: { measures: ['Loans'], ...query } });
  const trials = [
    trial('open', { by: ['branch.town'] }),
    trial('condition', { by: ['branch.town'], filters: [{ where: 'loan.wage > 1' }] }),
    trial('on the spot', { measures: [{ name: 'x', formula: 'max(loan.wage)' }] }),
    trial('by what is not shown', { by: ['loan.wage'] }),
    trial('of what is not shown', { measures: ['Wages'], filters: [{ where: 'loan.fine > 1' }] }),
  ];
  const of = new ReadersView({ ...model, trials }, { ...desk, trials: trials.map((t) => t.name) });
  expect(of.model.trials!.map((t) => t.name)).toEqual(['open']);
  expect(of.closedTrials.map((t) => t.name)).toEqual(['condition', 'on the spot']);
});

test('measures of period families are there once, whether they are written out or not', () => {
  const of: Model = { ...model, periodFamilies: [{ measure: 'Loans', periods: ['year to date'] }] };
  for (const one of [of, withFamilies(of)]) {
    const { measures } = new ReadersView(one, undefined).model;
    expect(measures!.map((m) => m.name)).toEqual([
      'Loans',
      'Fines',
      'Wages',
      'Fines by wage',
      'Loans, year to date',
    ]);
  }
});

test('without a perspective all is shown that is not hidden', () => {
  const { model: all } = new ReadersView(model, undefined);
  expect(all.tables.map((t) => t.name)).toEqual(['loan', 'branch', 'day', 'staff', 'Returned']);
  expect(all.tables[1]!.columns.map((c) => c.name)).toEqual(['branch', 'town']);
  expect(all.measures!.map((m) => m.formula)).not.toContain('');
  expect(JSON.stringify(all)).not.toMatch(/salaries|desk_log|mart/);
});

test.each([
  ['a column', { by: ['branch.town', 'loan.fine'], measures: ['Loans'] }, []],
  [
    'a role and its level',
    { by: ['Returned.year', { hierarchy: 'Returned.Years', level: 'Year' }], measures: ['Loans'] },
    [],
  ],
  [
    'a level that is not there',
    { by: [{ hierarchy: 'branch.Places', level: 'Land' }], measures: [] },
    ['Land'],
  ],
  [
    'a depth of a tree that is not shown',
    { by: [{ hierarchy: 'staff.Report', depth: 1 }], measures: [] },
    ['staff.Report'],
  ],
  [
    'an aggregate of a hidden column',
    { measures: [{ column: 'loan.wage', aggregate: 'sum' as const }] },
    ['loan.wage'],
  ],
  ['a formula in quotes', { measures: [{ name: 'x', formula: 'max("loan"."wage")' }] }, ['loan.wage']],
  [
    'a column of its table alone',
    { by: [{ name: 'x', formula: 'wage + fine', of: 'loan' }], measures: [] },
    ['wage'],
  ],
  ['a hidden table', { by: [{ name: 'x', formula: '1', of: 'staff' }], measures: [] }, ['staff']],
  ['a measure by another name', { measures: [{ name: 'x', formula: '"wages"' }] }, ['wages']],
  [
    'conditions',
    {
      measures: ['Loans'],
      filters: [{ where: "loan.wage > 1 or branch.town = 'x'" }, { having: '"Wages" > 1' }],
    },
    ['loan.wage', 'Wages'],
  ],
  [
    'the first by a measure of its own',
    { measures: [{ name: 'x', formula: 'sum(loan.fine)' }], filters: [{ top: 1, of: 'x' }] },
    [],
  ],
  [
    'the first within',
    { measures: ['Loans'], filters: [{ top: 1, of: 'Wages', per: ['loan.wage'] }] },
    ['Wages', 'loan.wage'],
  ],
  ['a period', { measures: ['Loans'], filters: [{ period: 'last 2 years', calendar: 'staff' }] }, ['staff']],
  [
    'a day and a period',
    {
      measures: [
        { name: 'x', formula: 'sum(loan.fine) at last loan.lent' },
        { name: 'y', formula: '"Loans" over (year to date in staff)' },
      ],
    },
    ['loan.lent', 'staff'],
  ],
  [
    'what is ignored and given',
    { measures: [{ name: 'x', formula: '"Loans" ignoring staff given loan.wage' }] },
    ['staff', 'loan.wage'],
  ],
  ['named steps', { measures: [{ name: 'x', formula: 'with a = sum(loan.fine) select a * 2' }] }, []],
  [
    'a table that is looked up',
    { measures: [{ name: 'x', formula: 'sum(loan.fine per staff)' }] },
    ['staff'],
  ],
  ['a relationship', { measures: [{ name: 'x', formula: 'count(loan) via returned_on' }] }, ['returned_on']],
])('a question is held against what is shown: %s', (_, query, expected) => {
  expect(view.notShown(query)).toEqual(expected);
});

test('a message that speaks of what is not shown is put in other words, whatever its letters are', () => {
  expect(view.told('there is no fee')).toBe('there is no fee');
  const other = 'this cannot be answered from what is shown here';
  fc.assert(
    fc.property(
      fc.constantFrom('wage', 'staff', 'boss', 'raw', 'salary', 'desk_log', 'Wages', 'returned_on'),
      fc.constantFrom('"', ' ', '.', ':', ''),
      fc.boolean(),
      (name, around, isUpper) => {
        const text = `the column ${around}${isUpper ? name.toUpperCase() : name}${around} is broken`;
        expect(view.told(text)).toBe(name === 'salary' ? text : other);
      },
    ),
  );
  // A part of a longer word is none.
  expect(view.told('the wager is on')).toBe('the wager is on');
});
