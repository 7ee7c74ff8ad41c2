import { columnOfValues, tableOf } from '../columns/index.ts';
import type { Model, Query } from '../model/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';
import type { Value } from '../values/index.ts';
import type { TracedPart } from './index.ts';
import { answerQuery, ModelData, QueryError, traceCell } from './index.ts';

const day = (text: string) => textReader(DATE)(text) as number;
const DAYS = ['2026-01-01', '2026-01-02', '2026-02-01', '2026-02-02'];

/** Loans by branch and day, and budgets by branch alone. */
const model = (formulas: Readonly<Record<string, string>>): Model => ({
  crease: 1,
  name: 'traced',
  asOf: '2026-02-28',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'branch', type: 'text' },
        { name: 'day', type: 'date' },
        { name: 'copies', type: 'integer' },
      ],
    },
    {
      name: 'budget',
      role: 'fact',
      columns: [
        { name: 'branch', type: 'text' },
        { name: 'amount', type: 'integer' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      columns: [
        { name: 'code', type: 'text' },
        { name: 'town', type: 'text' },
      ],
    },
    {
      name: 'calendar',
      role: 'dimension',
      key: ['day'],
      columns: [
        { name: 'day', type: 'date' },
        { name: 'month', type: 'integer' },
      ],
    },
  ],
  relationships: [
    rel('loan_branch', 'loan', 'branch', 'branch', 'code'),
    rel('loan_day', 'loan', 'day', 'calendar', 'day'),
    rel('budget_branch', 'budget', 'branch', 'branch', 'code'),
  ],
  calendars: [{ table: 'calendar', day: 'day' }],
  measures: Object.entries(formulas).map(([name, formula]) => ({ name, formula })),
});
const rel = (name: string, from: string, column: string, to: string, key: string) => ({
  name,
  from: { table: from, columns: [column] },
  to: { table: to, columns: [key] },
});

const ROWS: Readonly<Record<string, Readonly<Record<string, Value[]>>>> = {
  loan: {
    branch: ['B1', 'B1', 'B2', 'B2', 'B1'],
    day: [0, 1, 2, 3, 3].map((i) => day(DAYS[i]!)),
    copies: [1, 2, 4, 8, 16],
  },
  budget: { branch: ['B1', 'B2'], amount: [100, 200] },
  branch: { code: ['B1', 'B2'], town: ['Ashford', 'Fernside'] },
  calendar: { day: DAYS.map(day), month: [1, 1, 2, 2] },
};

function dataOf(formulas: Readonly<Record<string, string>>): ModelData {
  const made = model(formulas);
  const table = (name: string) =>
    tableOf(
      name,
      made.tables
        .find((t) => t.name === name)!
        .columns.map((c) => columnOfValues(c.name, parseType(c.type)!, ROWS[name]![c.name]!)),
    );
  return new ModelData(made, table, day('2026-02-28'));
}

/** The trace of the one measure, in a cell. */
function traced(formula: string, query: Omit<Query, 'measures'>, members: (string | number)[]) {
  const data = dataOf({ M: formula });
  return traceCell(data, { ...query, measures: ['M'] }, { measure: 'M', members });
}

const leaves = (parts: readonly TracedPart[]): TracedPart[] =>
  parts.flatMap((part) => (part.parts ? leaves(part.parts) : [part]));

test('an aggregate tells its conditions, the way of each table, and the rows that are left', () => {
  const { value, parts } = traced(
    'sum(loan.copies)',
    { by: ['branch.town'], filters: [{ where: 'calendar.month = 2' }] },
    ['Ashford'],
  );
  expect(value).toBe(16);
  expect(parts).toEqual([
    {
      text: 'sum(loan.copies)',
      value: 16,
      type: 'integer',
      conditions: [{ text: 'branch.town = Ashford' }, { text: 'calendar.month = 2' }],
      days: [],
      tables: [
        { table: 'loan', path: [], rowsLeft: 5 },
        { table: 'branch', path: ['loan_branch'], rowsLeft: 3 },
        { table: 'calendar', path: ['loan_day'], rowsLeft: 1 },
      ],
    },
  ]);
});

test('what the formula drops is told with the words that drop it, and filters no more', () => {
  const { value, parts } = traced(
    'sum(loan.copies) / (sum(loan.copies) ignoring branch)',
    { by: ['branch.town'], filters: [{ where: 'calendar.month = 2' }] },
    ['Ashford'],
  );
  expect(value).toBeCloseTo(16 / 28);
  const [own, all] = leaves(parts);
  expect(own!.conditions.every((c) => c.droppedBy === undefined)).toBe(true);
  expect(all).toMatchObject({
    value: 28,
    conditions: [
      { text: 'branch.town = Ashford', droppedBy: 'ignoring branch' },
      { text: 'calendar.month = 2' },
    ],
    tables: [
      { table: 'loan', rowsLeft: 5 },
      { table: 'calendar', rowsLeft: 3 },
    ],
  });
});

test('`given` drops all but what it names', () => {
  const { parts } = traced(
    '(sum(loan.copies) given calendar)',
    { by: ['branch.town'], filters: [{ where: 'calendar.month = 1' }] },
    ['Ashford'],
  );
  expect(leaves(parts)[0]!.conditions).toEqual([
    { text: 'branch.town = Ashford', droppedBy: 'given calendar' },
    { text: 'calendar.month = 1' },
  ]);
});

test('a period names the days that it counted, in place of what was said of the calendar', () => {
  const { value, parts } = traced('sum(loan.copies) over (previous month)', { by: ['calendar.month'] }, [2]);
  expect(value).toBe(3);
  expect(leaves(parts)[0]).toMatchObject({
    value: 3,
    conditions: [
      { text: 'calendar.month = 2', droppedBy: 'over (previous month)' },
      { text: 'over (previous month)' },
    ],
    days: [{ from: '2026-01-01', to: '2026-01-02' }],
  });
});

test('a measure that does not apply names the condition that does not reach, a free one too', () => {
  const { value, parts } = traced(
    'sum(budget.amount)',
    { by: ['branch.town'], filters: [{ where: 'calendar.month = 2' }], empty: 'show' },
    ['Ashford'],
  );
  expect(value).toBeNull();
  expect(parts[0]).toMatchObject({ value: null, doesNotApplyBy: ['calendar.month'], tables: [] });
});

test('measures that a measure rests on are parts, with values of their own', () => {
  const data = dataOf({
    Copies: 'sum(loan.copies)',
    Late: '"Copies" where loan.copies > 2',
    M: '"Late" + "Copies"',
  });
  const { parts } = traceCell(
    data,
    { measures: ['M'], by: ['branch.town'] },
    { measure: 'M', members: ['Ashford'] },
  );
  expect(parts.map(({ text, value }) => [text, value])).toEqual([
    ['"Late"', 16],
    ['"Copies"', 19],
  ]);
  expect(leaves(parts)[0]!.conditions).toEqual([
    { text: 'branch.town = Ashford' },
    { text: 'loan.copies > 2' },
  ]);
});

test('a row that the answer does not have is refused', () => {
  expect(() => traced('count(loan)', { by: ['branch.town'] }, ['Nowhere'])).toThrow(QueryError);
});

test('the total is a cell without members', () => {
  const data = dataOf({ M: 'sum(loan.copies)' });
  expect(answerQuery(data, { measures: ['M'] }).rows).toEqual([[31]]);
  expect(traceCell(data, { measures: ['M'] }, { measure: 'M', members: [] }).value).toBe(31);
});

test('a formula is read step by step: each expression and each named step has its value in the cell', () => {
  const data = dataOf({
    Loans: 'count(loan)',
    Rate: 'with copies as (sum(loan.copies)), twice as (copies * 2) select (twice + 1) / "Loans" + copies',
  });
  const { value, parts, steps } = traceCell(
    data,
    { by: ['branch.town'], measures: ['Rate'] },
    { by: ['Ashford'], measure: 'Rate' },
  );
  // Ashford: three loans of 1, 2 and 16 copies.
  expect(parts.map(({ text, value: v }) => [text, v])).toEqual([
    ['twice', 38],
    ['"Loans"', 3],
    ['copies', 19],
  ]);
  expect(parts[0]!.parts!.map(({ text, value: v }) => [text, v])).toEqual([['copies', 19]]);
  expect(steps!.map(({ text, value: v }) => [text, v])).toEqual([
    ['twice + 1', 39],
    ['(twice + 1) / "Loans"', 13],
  ]);
  expect(value).toBe(32);
});

test('within a chain of words, and within a measure of the measure, there are steps too', () => {
  const data = dataOf({
    Mean: '(sum(loan.copies) + 1) / count(loan) * 2',
    M: '("Mean" - 1) where loan.copies > 1',
  });
  const { parts } = traceCell(data, { measures: ['M'] }, { measure: 'M', by: [] });
  const [chain] = parts;
  expect(chain!.steps).toBeUndefined();
  expect(chain!.parts![0]!.steps!.map((s) => s.text)).toEqual([
    'sum(loan.copies) + 1',
    '(sum(loan.copies) + 1) / count(loan)',
  ]);
});
