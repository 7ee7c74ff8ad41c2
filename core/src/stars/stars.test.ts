import type { TableData } from '../columns/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import { applyEdit } from '../edit/index.ts';
import { FormulaChecker } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { answerQuery, ModelData } from '../query/index.ts';
import { INTEGER, TEXT } from '../values/index.ts';
import {
  adviseStars,
  briefs,
  dependentsOf,
  factToFact,
  factToFactText,
  questionState,
  reachedFrom,
  recognised,
  wayTo,
  withoutTable,
} from './index.ts';
import { tableLoader } from '../sources/index.ts';
import { fileOf } from '../model/index.ts';

const column = (name: string, type = 'integer', rest: object = {}) => ({ name, type, ...rest });
const relate = (name: string, from: string, to: string, rest: object = {}) => {
  const [a, b] = [from.split('.'), to.split('.')];
  return { name, from: { table: a[0]!, columns: [a[1]!] }, to: { table: b[0]!, columns: [b[1]!] }, ...rest };
};
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      title: 'Loans',
      source: { file: 'loan.csv' },
      columns: [
        column('branch_id'),
        column('title_id'),
        column('lent'),
        column('back'),
        column('fine', 'integer', { use: 'quantity' }),
        column('receipt', 'text'),
        column('kind', 'text'),
        column('paid', 'text'),
      ],
    },
    {
      name: 'budget',
      role: 'fact',
      columns: [column('quarter'), column('amount', 'integer', { use: 'quantity' })],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['id'],
      label: 'name',
      source: { file: 'branch.csv' },
      columns: [column('id'), column('name', 'text'), column('district')],
    },
    {
      name: 'district',
      role: 'dimension',
      key: ['id'],
      columns: [column('id'), column('name', 'text'), column('region', 'text')],
    },
    {
      name: 'calendar',
      role: 'dimension',
      key: ['day'],
      columns: [column('day'), column('month'), column('quarter')],
    },
    { name: 'title', role: 'dimension', key: ['id'], columns: [column('id')] },
    { name: 'wrote', role: 'bridge', columns: [column('title_id'), column('author_id')] },
    { name: 'author', role: 'dimension', key: ['id'], columns: [column('id')] },
    { name: 'shelf', role: 'dimension', key: ['id'], columns: [column('id')] },
  ],
  relationships: [
    relate('loan_branch', 'loan.branch_id', 'branch.id'),
    relate('branch_district', 'branch.district', 'district.id'),
    relate('lent_on', 'loan.lent', 'calendar.day', { role: 'Lent on' }),
    relate('back_on', 'loan.back', 'calendar.day', { role: 'Back on', default: false }),
    relate('loan_title', 'loan.title_id', 'title.id'),
    relate('wrote_title', 'wrote.title_id', 'title.id'),
    relate('wrote_author', 'wrote.author_id', 'author.id'),
    relate('budget_quarter', 'budget.quarter', 'calendar.quarter', { cardinality: 'many-to-level' }),
  ],
  hierarchies: [
    {
      name: 'Place',
      table: 'branch',
      levels: [
        { name: 'Region', column: 'district.region' },
        { name: 'Branch', column: 'name' },
      ],
    },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Late loans', formula: "count(loan) where loan.kind = 'late'" },
    { name: 'Budgeted', formula: 'sum(budget.amount)' },
    { name: 'Broken', formula: 'sum(nothing.at_all)' },
    { name: 'Given back', formula: 'count(loan) via back_on' },
    { name: 'To date', formula: 'count(loan) over (year to date)' },
  ],
};

test('each cell of the matrix says how the dimension reaches the fact, or why not', () => {
  const kinds = (fact: string, table: string) => wayTo(model, fact, table).kind;
  expect(['branch', 'district', 'author', 'shelf', 'loan'].map((t) => kinds('loan', t))).toEqual([
    'direct',
    'outrigger',
    'bridge',
    'none',
    'own',
  ]);
  expect(wayTo(model, 'loan', 'district').hops.map((h) => h.relationship)).toEqual([
    'loan_branch',
    'branch_district',
  ]);
  expect(wayTo(model, 'budget', 'calendar')).toMatchObject({ kind: 'direct', level: ['quarter'] });
  expect(wayTo(model, 'loan', 'shelf').says[0]).toBe('shelf has no relationship at all');
  expect(wayTo(model, 'branch', 'loan').says[0]).toMatch(/filters pass only against it/);
  const sleeping = {
    ...model,
    relationships: model.relationships!.map((r) => (r.name === 'lent_on' ? { ...r, default: false } : r)),
  };
  expect(wayTo(sleeping, 'loan', 'calendar').asleep).toEqual(['lent_on', 'back_on']);
  const twice = { ...model, relationships: model.relationships!.map((r) => ({ ...r, default: true })) };
  expect(wayTo(twice, 'loan', 'calendar').ways!.map((w) => w.map((h) => h.relationship))).toEqual([
    ['lent_on'],
    ['back_on'],
  ]);
});

test('what filters on a table reach comes with the relationships of the way', () => {
  const { ways, relationships } = reachedFrom(model, 'district');
  expect([...ways].map(([name, way]) => [name, way.kind])).toEqual([
    ['loan', 'outrigger'],
    ['budget', 'none'],
    ['branch', 'direct'],
  ]);
  expect([...relationships].sort()).toEqual(['branch_district', 'loan_branch']);
});

test('a question is answered, or what it lacks is said', () => {
  const checker = new FormulaChecker(model);
  const state = (by: string[], measures: string[]) =>
    questionState({ model, checker }, { ask: '?', by, measures });
  expect(state(['branch.Place.Region', 'calendar.month'], ['Loans'])).toMatchObject({
    answers: true,
    query: { by: [{ hierarchy: 'branch.Place', level: 'Region' }, 'calendar.month'], measures: ['Loans'] },
  });
  expect(state(['district.name'], ['Budgeted']).missing[0]).toMatch(
    /^district.name does not reach Budgeted: no relationship leads from budget/,
  );
  expect(state(['weather.kind', 'branch.size'], ['Fines']).missing).toEqual([
    'there is no dimension weather',
    'branch has no column or level size',
    'there is no measure "Fines"',
  ]);
  expect(state([], ['Broken']).missing[0]).toMatch(/Broken.*nothing/s);
  expect(state(['branch.name'], []).answers).toBe(false);
});

test('a quantity without a measure can be asked once it has one, of the name that was asked for', () => {
  const designed: Model = {
    crease: 1,
    name: 'd',
    tables: [
      {
        name: 'loan',
        role: 'fact',
        columns: [
          { name: 'branch_code', type: 'text' },
          { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        ],
      },
      { name: 'branch', role: 'dimension', key: ['code'], columns: [{ name: 'code', type: 'text' }] },
    ],
    relationships: [
      {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch_code'] },
        to: { table: 'branch', columns: ['code'] },
      },
    ],
  };
  const asked = recognised(designed, 'What fine by branch code?');
  expect(asked.measures).toEqual(['fine']);
  const judged = (of: Model) =>
    questionState(
      { model: of, checker: new FormulaChecker(of) },
      { ask: '?', by: ['branch.code'], measures: ['fine'] },
    );
  const state = judged(designed);
  expect(state.missing).toEqual(['it can be asked once loan.fine has a measure']);
  expect(state.offered).toMatchObject([{ name: 'fine', formula: 'sum(loan.fine)' }]);
  expect(judged({ ...designed, measures: [...state.offered!] }).answers).toBe(true);
  // A measure that is there and broken is no reason for another.
  expect(
    judged({ ...designed, measures: [{ name: 'fine', formula: 'sum(loan.gone)' }] }).offered,
  ).toBeUndefined();
});

test('names of the model are recognised in the words of a question, the longer one of two', () => {
  expect(recognised(model, 'How many late loans per region and month?')).toEqual({
    by: ['branch.Place.Region', 'calendar.month'],
    measures: ['Late loans'],
  });
  expect(recognised(model, 'Loans by branch')).toMatchObject({
    by: ['branch.Place.Branch'],
    measures: ['Loans'],
  });
  expect(recognised(model, 'What is the weather?')).toEqual({ by: [], measures: [] });
});

const n = 120;
const rows: Record<string, TableData> = {
  loan: tableOf('loan', [
    ...['branch_id', 'title_id', 'lent', 'back', 'fine'].map((name) =>
      columnOfValues(
        name,
        INTEGER,
        Array.from({ length: n }, (_, i) => i % 4),
      ),
    ),
    columnOfValues(
      'receipt',
      TEXT,
      Array.from({ length: n }, (_, i) => `R${i}`),
    ),
    columnOfValues(
      'kind',
      TEXT,
      Array.from({ length: n }, (_, i) => (i % 3 ? 'late' : 'plain')),
    ),
    columnOfValues(
      'paid',
      TEXT,
      Array.from({ length: n }, (_, i) => (i % 2 ? 'yes' : 'no')),
    ),
  ]),
  branch: tableOf('branch', [
    columnOfValues('id', INTEGER, [0, 1, 2, 3]),
    columnOfValues('name', TEXT, ['A', 'B', 'C', 'D']),
    columnOfValues('district', INTEGER, [1, 1, 2, 9]),
  ]),
  district: tableOf('district', [
    columnOfValues('id', INTEGER, [1, 2]),
    columnOfValues('name', TEXT, ['East', 'West']),
    columnOfValues('region', TEXT, ['Coast', 'Valley']),
  ]),
};
const dataOf = (of: Model) =>
  new ModelData(
    of,
    tableLoader(
      of,
      0,
      (t) =>
        rows[fileOf(t)?.file.replace('.csv', '') ?? t.name] ??
        tableOf(
          t.name,
          t.columns.map((c) => columnOfValues(c.name, c.type === 'text' ? TEXT : INTEGER, [])),
        ),
    ),
    0,
  );

test('dimensions are told apart as shared, in roles and snowflaked; flags of a fact may be one dimension', () => {
  const { dimensions, loose } = adviseStars(dataOf(model));
  const of = (name: string) => dimensions.find((d) => d.table === name)!;
  expect(of('calendar').facts).toEqual(['loan', 'budget']);
  expect(of('calendar').roles).toEqual([
    {
      fact: 'loan',
      relationships: [
        { name: 'lent_on', role: 'Lent on', default: true },
        { name: 'back_on', role: 'Back on', default: false },
      ],
    },
  ]);
  expect(of('shelf').facts).toEqual([]);
  expect(loose).toEqual([
    {
      fact: 'loan',
      degenerate: [{ column: 'receipt', distinct: 120 }],
      junk: [
        { column: 'kind', distinct: 2 },
        { column: 'paid', distinct: 2 },
      ],
      combinations: 4,
    },
  ]);
  const [outrigger] = of('branch').outriggers;
  expect(outrigger).toMatchObject({ table: 'district', columns: ['name', 'region'], facts: ['loan'] });
  // Flattened, the columns are the dimension's own, and answers are the same.
  const flat = applyEdit(model, outrigger!.edit!);
  const answer = (of: Model, by: string) => answerQuery(dataOf(of), { by: [by], measures: ['Loans'] }).rows;
  expect(answer(flat, 'branch.region')).toEqual(answer(model, 'district.region'));
  expect(flat.tables.find((t) => t.name === 'branch')!.columns.map((c) => c.name)).toEqual([
    'id',
    'name',
    'district',
    'district_name',
    'region',
  ]);
});

test('below the level at which a fact meets the calendar a question is not answered, which only the rows can tell', () => {
  const day = Array.from({ length: 360 }, (_, i) => i);
  const calendar = tableOf('calendar', [
    columnOfValues('day', INTEGER, day),
    columnOfValues(
      'month',
      INTEGER,
      day.map((d) => Math.floor(d / 30)),
    ),
    columnOfValues(
      'quarter',
      INTEGER,
      day.map((d) => Math.floor(d / 90)),
    ),
  ]);
  const questions = [
    { ask: 'by quarter', by: ['calendar.quarter'], measures: ['Budgeted'] },
    { ask: 'by month', by: ['calendar.month'], measures: ['Budgeted'] },
  ];
  const asking = {
    ...model,
    tables: model.tables.map((t) => (t.name === 'budget' ? { ...t, questions } : t)),
  };
  const states = briefs(
    new ModelData(asking, (name) => (name === 'calendar' ? calendar : dataOf(asking).table(name)), 0),
  ).budget!;
  expect(states.map((s) => [s.question.ask, s.answers, s.missing])).toEqual([
    ['by quarter', true, []],
    ['by month', false, ['calendar.month does not reach Budgeted: they meet at quarter, and it is finer']],
  ]);
});

test('what rests on a table is told by what formulas mean', () => {
  const checker = new FormulaChecker({
    ...model,
    calendars: [{ table: 'calendar', day: 'day' }],
    perspectives: [{ name: 'Desk', tables: ['calendar'], measures: [] }],
  });
  const on = (table: string) => dependentsOf(checker, table).map((h) => `${h.kind} ${h.name}`);
  expect(on('calendar')).toEqual([
    'relationship lent_on',
    'relationship back_on',
    'relationship budget_quarter',
    'measure To date',
    'perspective Desk',
  ]);
  // A formula in error is read for its names.
  expect(on('nothing')).toEqual(['measure Broken']);
  expect(on('district')).toEqual(['relationship branch_district', 'hierarchy branch.Place']);
});

test('a table goes with what is nothing without it; measures stay and say that it is missing', () => {
  const full: Model = {
    ...model,
    measures: [
      { name: 'Loans', formula: 'count(loan)' },
      { name: 'Late', formula: '"Loans" where calendar.month = 2' },
    ],
    hierarchies: [
      { name: 'Years', table: 'calendar', levels: [{ name: 'Month', column: 'month' }] },
      { name: 'Places', table: 'branch', levels: [{ name: 'Branch', column: 'name' }] },
    ],
    calendars: [{ table: 'calendar', day: 'day' }],
    perspectives: [
      {
        name: 'All',
        tables: ['branch', 'Calendar'],
        columns: ['calendar.month', 'title.id'],
        hierarchies: ['calendar.Years'],
        measures: ['Loans'],
      },
    ],
    diagrams: [{ name: 'Loans', tables: [{ table: 'loan' }, { table: 'calendar' }] }],
  };
  const without = applyEdit(full, withoutTable(full, 'calendar'));
  expect(without.tables.map((t) => t.name)).not.toContain('calendar');
  expect((without.relationships ?? []).filter((r) => r.to.table === 'calendar')).toEqual([]);
  expect([without.calendars, without.hierarchies!.map((h) => h.name), without.diagrams![0]!.tables]).toEqual([
    [],
    ['Places'],
    [{ table: 'loan' }],
  ]);
  expect(without.perspectives).toEqual([
    { name: 'All', tables: ['branch'], columns: ['title.id'], hierarchies: [], measures: ['Loans'] },
  ]);
  const checker = new FormulaChecker(without);
  expect(['Loans', 'Late'].map((name) => checker.measure(name)!.faults.length)).toEqual([0, 1]);
  // What nothing hangs on goes alone.
  expect(withoutTable(full, 'shelf')).toEqual([{ do: 'remove-tables', name: 'shelf' }]);
});

test('a relationship between facts says what can be asked over it, and what to look up', () => {
  const heads: Model = {
    crease: 1,
    name: 'm',
    tables: [
      { name: 'visit', role: 'fact', key: ['id'], columns: [] },
      { name: 'loan', role: 'fact', columns: [] },
      { name: 'branch', role: 'dimension', columns: [] },
      { name: 'title', role: 'dimension', columns: [] },
    ],
    relationships: [
      {
        name: 'loan_visit',
        from: { table: 'loan', columns: ['visit'] },
        to: { table: 'Visit', columns: ['id'] },
      },
      {
        name: 'loan_title',
        from: { table: 'loan', columns: ['t'] },
        to: { table: 'title', columns: ['id'] },
      },
      {
        name: 'visit_branch',
        from: { table: 'visit', columns: ['b'] },
        to: { table: 'branch', columns: ['id'] },
      },
    ],
  };
  const [found, ...others] = factToFact(heads);
  expect(others).toEqual([]);
  expect([found!.relationship.name, found!.through]).toEqual(['loan_visit', ['branch']]);
  expect(factToFactText(found!)).toContain('look up the references into loan');
  const also = {
    name: 'b',
    from: { table: 'loan', columns: ['b'] },
    to: { table: 'Branch', columns: ['id'] },
  };
  const [star] = factToFact({ ...heads, relationships: [...heads.relationships!, also] });
  expect(star!.through).toEqual([]);
  expect(factToFact({ ...heads, relationships: heads.relationships!.slice(1) })).toEqual([]);
});
