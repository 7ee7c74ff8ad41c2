import { renameInFormula } from '../formula/index.ts';
import type { RenamedThing } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { readModel, writeModel } from '../model/index.ts';
import { applyEdit, EditError } from './index.ts';
import { tableLoader } from '../sources/index.ts';

describe('a formula follows a new name', () => {
  const cases: [source: string, thing: RenamedThing, to: string, expected: string, own?: string][] = [
    ['count(loan) -- all\n  / "Loans"', { table: 'loan' }, 'lending', 'count(lending) -- all\n  / "Loans"'],
    [
      'sum(LOAN.copies * title.price) from loan',
      { table: 'loan' },
      'Lent out',
      'sum("Lent out".copies * title.price) from "Lent out"',
    ],
    [
      'sum(loan.copies) filter (where title.copies > 1)',
      { table: 'loan', column: 'copies' },
      'items',
      'sum(loan.items) filter (where title.copies > 1)',
    ],
    [
      '"Loans" / ("Loans" ignoring (branch, title.class))',
      { table: 'title', column: 'class' },
      'kind',
      '"Loans" / ("Loans" ignoring (branch, title.kind))',
    ],
    [
      'Loans / "Late loans" via loan_due',
      { measure: 'loans' },
      'All loans',
      '"All loans" / "Late loans" via loan_due',
    ],
    ['"Loans" via loan_due', { relationship: 'loan_due' }, 'due', '"Loans" via due'],
    [
      'with loans as (count(loan)) select loans + "Late"',
      { measure: 'Loans' },
      'x',
      'with loans as (count(loan)) select loans + "Late"',
    ],
    [
      'sum(stock.n) at last stock.day per stock.branch_id',
      { table: 'stock' },
      'shelf',
      'sum(shelf.n) at last shelf.day per shelf.branch_id',
    ],
    ['M over (month to date in calendar)', { table: 'calendar' }, 'days', 'M over (month to date in days)'],
    [
      "case when class = 'class' then coalesce(price, 0) end",
      { table: 'title', column: 'class' },
      'kind',
      "case when kind = 'class' then coalesce(price, 0) end",
      'title',
    ],
    ['count(loan) + copies', { table: 'branch', column: 'loan' }, 'x', 'count(loan) + copies', 'title'],
    ['sum(loan.copies', { table: 'loan' }, 'x', 'sum(loan.copies'],
  ];
  test.each(cases.map(([source, thing, to, expected, own]) => ({ source, thing, to, expected, own })))(
    '$source',
    (c) => {
      expect(renameInFormula(c.source, c.thing, c.to, c.own)).toBe(c.expected);
    },
  );
});

const model: Model = readModel(
  JSON.stringify({
    crease: 1,
    name: 'm',
    tables: [
      {
        name: 'branch',
        role: 'dimension',
        key: ['id'],
        label: 'name',
        columns: [
          { name: 'id', type: 'integer' },
          { name: 'name', type: 'text' },
          { name: 'size', type: 'integer', formula: 'char_length(name)' },
        ],
      },
      { name: 'loan', role: 'fact', columns: [{ name: 'branch_id', type: 'integer' }] },
      {
        name: 'wide',
        role: 'dimension',
        source: { steps: [{ from: 'loan' }, { filter: 'branch_id > 1' }] },
        columns: [{ name: 'branch_id', type: 'integer' }],
      },
      {
        name: 'filed',
        role: 'dimension',
        source: { file: 'filed.csv' },
        columns: [{ name: 'a', type: 'text' }],
      },
    ],
    relationships: [
      {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch_id'] },
        to: { table: 'branch', columns: ['id'] },
      },
    ],
    hierarchies: [
      { name: 'Places', table: 'branch', levels: [{ name: 'Name', column: 'branch.name', key: 'id' }] },
    ],
    measures: [
      { name: 'Loans', formula: 'count(loan)' },
      { name: 'Share', table: 'loan', formula: '"Loans" / ("Loans" ignoring branch)' },
    ],
    perspectives: [
      {
        name: 'p',
        tables: ['branch', 'loan'],
        columns: ['branch.name'],
        hierarchies: ['branch.Places'],
        measures: ['Share'],
      },
    ],
    knownAnswers: [
      {
        name: 'k',
        query: {
          by: ['branch.name', { hierarchy: 'branch.Places', level: 'Name' }],
          measures: ['Loans'],
          filters: [{ where: 'branch.size > 2' }],
          sort: [{ of: 'Loans' }],
        },
        rows: [],
      },
    ],
    waivers: [
      { claim: 'label-unique:branch.name', reason: 'known' },
      { claim: 'type-holds:branch.name', reason: 'known' },
    ],
  }),
);

test('a table gets its new name wherever the model names it, and back again', () => {
  const renamed = applyEdit(model, [{ do: 'rename', of: { table: 'Branch' }, to: 'site' }]);
  expect(JSON.stringify(renamed)).not.toMatch(/branch(?!_id)(?!")/); // loan_branch keeps its name
  expect(renamed.waivers!.map((w) => w.claim)).toEqual([
    { kind: 'label-unique', table: 'site', column: 'name' },
    { kind: 'type-holds', table: 'site', column: 'name' },
  ]);
  expect(renamed.measures![1]!.formula).toBe('"Loans" / ("Loans" ignoring site)');
  expect(renamed.knownAnswers![0]!.query).toMatchObject({
    by: ['site.name', { hierarchy: 'site.Places' }],
    filters: [{ where: 'site.size > 2' }],
  });
  const back = applyEdit(renamed, [{ do: 'rename', of: { table: 'site' }, to: 'branch' }]);
  expect(writeModel({ ...back, waivers: model.waivers })).toBe(writeModel(model));
  expect(back.waivers!.map((w) => w.claim)).toEqual([
    { kind: 'label-unique', table: 'branch', column: 'name' },
    { kind: 'type-holds', table: 'branch', column: 'name' },
  ]);
});

test('a column follows through keys, relationships, hierarchies, row formulas and paths', () => {
  const renamed = applyEdit(model, [
    { do: 'rename', of: { table: 'branch', column: 'name' }, to: 'full name' },
    { do: 'rename', of: { table: 'branch', column: 'id' }, to: 'branch_no' },
  ]);
  const [branch] = renamed.tables;
  expect([branch!.key, branch!.label, branch!.columns[2]!.formula]).toEqual([
    ['branch_no'],
    'full name',
    'char_length("full name")',
  ]);
  expect(renamed.relationships![0]!.to.columns).toEqual(['branch_no']);
  expect(renamed.hierarchies![0]!.levels![0]).toMatchObject({ column: 'branch.full name', key: 'branch_no' });
  expect(renamed.perspectives![0]!.columns).toEqual(['branch.full name']);
});

test('a column of a file, a calendar or a list typed by hand keeps its values under a new name', () => {
  const tables: Model['tables'] = [
    {
      name: 'filed',
      role: 'dimension' as const,
      source: { file: 'filed.csv' },
      columns: [{ name: 'a', type: 'text' }],
    },
    {
      name: 'fund',
      role: 'dimension' as const,
      source: { members: [{ a: 'x', b: 1 }, { b: 2 }] },
      columns: [{ name: 'a', type: 'text' }],
    },
    {
      name: 'days',
      role: 'dimension' as const,
      source: { calendar: { from: '2026-01-01', to: '2026-01-02' } },
      columns: [{ name: 'year', type: 'integer' }],
    },
  ];
  const renamed = applyEdit({ crease: 1, name: 'm', tables }, [
    { do: 'rename', of: { table: 'filed', column: 'a' }, to: 'b' },
    { do: 'rename', of: { table: 'filed', column: 'b' }, to: 'c' },
    { do: 'rename', of: { table: 'fund', column: 'a' }, to: 'name' },
    { do: 'rename', of: { table: 'days', column: 'year' }, to: 'calendar year' },
  ]);
  expect(renamed.tables.map((t) => t.columns[0])).toEqual([
    { name: 'c', type: 'text', sourceName: 'a' },
    { name: 'name', type: 'text' },
    { name: 'calendar year', type: 'integer', sourceName: 'year' },
  ]);
  expect(renamed.tables[1]!.source).toEqual({ members: [{ name: 'x', b: 1 }, { b: 2 }] });
  const rows = tableLoader(renamed, 0, () => {
    throw new Error('no rows are stored');
  });
  expect([...rows('days').columns.keys()]).toEqual(['calendar year']);
});

test('a measure follows through the measures that use it and what asks for it', () => {
  const renamed = applyEdit(model, [{ do: 'rename', of: { measure: 'Loans' }, to: 'Lendings' }]);
  expect(renamed.measures!.map((m) => m.formula)).toEqual([
    'count(loan)',
    '"Lendings" / ("Lendings" ignoring branch)',
  ]);
  expect(renamed.knownAnswers![0]!.query).toMatchObject({
    measures: ['Lendings'],
    sort: [{ of: 'Lendings' }],
  });
});

test.each([
  [{ measure: 'Loans' }, 'share', /already used/],
  [{ measure: 'Lones' }, 'x', /no measure/],
  [{ table: 'branch' }, 'Loans', /already used/],
  [{ table: 'branch', column: 'nam' }, 'b', /no column/],
])('%j to %s is refused', (of, to, message) => {
  expect(() => applyEdit(model, [{ do: 'rename', of, to }])).toThrow(EditError);
  expect(() => applyEdit(model, [{ do: 'rename', of, to }])).toThrow(message);
});

test('measures over periods are named anew with their base and their role, wherever they are named', () => {
  const calendar = (name: string, isDefault: boolean) => ({
    name,
    from: { table: 'loan', columns: [name] },
    to: { table: 'calendar', columns: ['day'] },
    default: isDefault,
  });
  const day = (name: string) => ({ name, type: 'date' });
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [
      { name: 'loan', role: 'fact', columns: [day('lent_on'), day('back_on')] },
      { name: 'calendar', role: 'dimension', key: ['day'], columns: [day('day')] },
    ],
    relationships: [calendar('lent_on', true), calendar('back_on', false)],
    calendars: [{ table: 'calendar', day: 'day' }],
    measures: [
      { name: 'Loans', formula: 'count(loan)' },
      { name: 'Share', formula: '"Loans, year to date" / "Loans, year to date, back on"' },
    ],
    periodFamilies: [
      { measure: 'Loans', periods: ['year to date'] },
      { measure: 'Loans', via: 'back_on', periods: ['year to date'] },
    ],
    perspectives: [
      {
        name: 'P',
        tables: ['calendar'],
        measures: ['Loans, year to date', { measure: 'Loans', title: 'All' }],
      },
    ],
  };
  const lent = applyEdit(model, [{ do: 'rename', of: { measure: 'Loans' }, to: 'Lent' }]);
  expect(lent.measures![1]!.formula).toBe('"Lent, year to date" / "Lent, year to date, back on"');
  expect(lent.perspectives![0]!.measures).toEqual(['Lent, year to date', { measure: 'Lent', title: 'All' }]);
  const returned = applyEdit(lent, [{ do: 'rename', of: { relationship: 'back_on' }, to: 'returned_on' }]);
  expect(returned.measures![1]!.formula).toBe('"Lent, year to date" / "Lent, year to date, returned on"');
  expect(returned.periodFamilies![1]!.via).toBe('returned_on');
});
