import { columnOfValues, tableOf } from '../columns/index.ts';
import { AGGREGATE_DEFINITIONS, AGGREGATES, PERIODS, WORDS } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import type { Value } from '../values/index.ts';
import { DATE, parseType, textReader } from '../values/index.ts';
import { answerQuery, ModelData } from './index.ts';

const day = (text: string): number => textReader(DATE)(text) as number;
const today = day('2026-03-10');
const days = Array.from({ length: 730 }, (_, i) => day('2025-01-01') + i);

type Cells = Record<string, readonly Value[]>;

/**
 * The sample library that the examples of words and aggregates speak of: five loans at two of three branches,
 * and two counts of stock.
 */
const types: Record<string, Record<string, string>> = {
  loan: {
    branch_id: 'integer',
    day: 'date',
    back: 'date',
    copies: 'integer',
    fine: 'decimal(9,2)',
    late: 'boolean',
  },
  branch: { id: 'integer', name: 'text', region: 'text' },
  calendar: { day: 'date', year: 'integer' },
  stock: { branch_id: 'integer', day: 'date', copies: 'integer' },
};
const rows: Record<string, Cells> = {
  loan: {
    branch_id: [1, 1, 2, 1, 2],
    day: ['2026-01-05', '2026-02-03', '2026-02-20', '2026-03-02', '2025-03-02'].map(day),
    back: ['2026-01-20', '2026-02-10', '2026-03-01', '2026-03-09', '2026-01-02'].map(day),
    copies: [1, 2, 3, 2, 4],
    fine: [50, null, 125, null, 200],
    late: [true, false, true, false, true],
  },
  branch: { id: [1, 2, 3], name: ['Ash', 'Elm', 'Oak'], region: ['North', 'South', 'South'] },
  calendar: { day: days, year: days.map((d) => (d < day('2026-01-01') ? 2025 : 2026)) },
  stock: {
    branch_id: [1, 2, 1, 2],
    day: ['2026-02-01', '2026-02-01', '2026-03-01', '2026-03-01'].map(day),
    copies: [10, 20, 12, 18],
  },
};
const roles: Record<string, 'fact' | 'dimension'> = {
  loan: 'fact',
  branch: 'dimension',
  calendar: 'dimension',
  stock: 'fact',
};
const keys: Record<string, string[]> = { branch: ['id'], calendar: ['day'] };
const library = (formula: string): Model => ({
  crease: 1,
  name: 'library',
  asOf: '2026-03-10',
  tables: Object.entries(types).map(([name, columns]) => ({
    name,
    role: roles[name]!,
    ...(keys[name] ? { key: keys[name] } : {}),
    columns: Object.entries(columns).map(([column, type]) => ({ name: column, type })),
  })),
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['id'] },
    },
    {
      name: 'lent_on',
      from: { table: 'loan', columns: ['day'] },
      to: { table: 'calendar', columns: ['day'] },
    },
    {
      name: 'returned_on',
      from: { table: 'loan', columns: ['back'] },
      to: { table: 'calendar', columns: ['day'] },
      default: false,
    },
    {
      name: 'stock_branch',
      from: { table: 'stock', columns: ['branch_id'] },
      to: { table: 'branch', columns: ['id'] },
    },
    {
      name: 'stock_day',
      from: { table: 'stock', columns: ['day'] },
      to: { table: 'calendar', columns: ['day'] },
    },
  ],
  calendars: [{ table: 'calendar', day: 'day' }],
  measures: [
    { name: 'Loans', formula: 'count(loan)' },
    { name: 'Example', formula },
  ],
});

const valueOf = (formula: string): unknown => {
  const data = new ModelData(
    library(formula),
    (name) =>
      tableOf(
        name,
        Object.entries(rows[name]!).map(([column, values]) =>
          columnOfValues(column, parseType(types[name]![column]!)!, values),
        ),
      ),
    today,
  );
  return answerQuery(data, { measures: ['Example'] }).rows[0]![0];
};

test.each(AGGREGATE_DEFINITIONS.map((a) => [a.name, a.example] as const))(
  '%s does what its example says',
  (_name, { formula, gives }) => {
    expect(valueOf(formula)).toEqual(gives);
  },
);

test.each([...WORDS, ...PERIODS].map((w) => [w.word, w.example] as const))(
  '%s does what its example says',
  (_word, { formula, gives }) => {
    expect(valueOf(formula)).toEqual(gives);
  },
);

test('every aggregate has its file', () => {
  expect(AGGREGATE_DEFINITIONS.map((a) => a.name).sort()).toEqual([...AGGREGATES].sort());
});
