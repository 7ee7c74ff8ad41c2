import { columnOfValues, tableOf } from '../columns/index.ts';
import type { TableData } from '../columns/index.ts';
import type { Edit } from '../edit/index.ts';
import { applyEdit } from '../edit/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { parseType } from '../values/index.ts';
import { impactOf } from './impactOf.ts';

const column = (name: string, type: string, values: readonly (string | number | null)[]) =>
  columnOfValues(name, parseType(type)!, [...values]);
const rows = new Map<string, TableData>([
  [
    'loan',
    tableOf('loan', [
      column('branch', 'text', ['N', 'S', 'N']),
      column('copies', 'integer', [1, 2, 3]),
      column('fine', 'decimal(9,2)', [100, null, 250]),
    ]),
  ],
  [
    'branch',
    tableOf('branch', [column('code', 'text', ['N', 'S']), column('town', 'text', ['Pier', 'Mill'])]),
  ],
]);
const typed = (name: string, type: string) => ({ name, type });
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [typed('branch', 'text'), typed('copies', 'integer'), typed('fine', 'decimal(9,2)')],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      columns: [typed('code', 'text'), typed('town', 'text')],
    },
  ],
  relationships: [
    { name: 'lb', from: { table: 'loan', columns: ['branch'] }, to: { table: 'branch', columns: ['code'] } },
  ],
  measures: [
    { name: 'Copies', formula: 'sum(loan.copies)' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Fine per copy', formula: '"Fines" / "Copies"' },
    { name: 'Broken', formula: 'sum(loan.nothing)' },
  ],
  trials: [
    { name: 'Copies by town', query: { by: ['branch.town'], measures: ['Copies'] } },
    { name: 'All fines', query: { measures: ['Fines'] } },
    { name: 'Never', query: { measures: ['Nothing'] } },
  ],
  knownAnswers: [
    { name: 'of copies', query: { measures: ['Copies'] }, rows: [[6]] },
    { name: 'of the trial', trial: 'All fines', rows: [['3.50']] },
  ],
  detailListings: [
    { name: 'Lines', table: 'loan', columns: ['copies', 'branch.town'] },
    { name: 'Gone before', table: 'loan', columns: ['nothing'] },
  ],
};
const dataOf = (of: Model) => new ModelData(of, (name) => rows.get(name)!, 20_000);
const impact = (edit: Edit, now?: () => number) =>
  impactOf(dataOf(model), dataOf(applyEdit(model, edit)), now);
const measure = (name: string, formula: string): Edit => [
  { do: 'put-measures', name, value: { name, formula } },
];

test('a formula: its totals, those of what is made of it, and questions that show them, before and after', () => {
  expect(impact(measure('Copies', 'max(loan.copies)'))).toEqual({
    measures: [
      { name: 'Copies', before: 6, after: 3 },
      { name: 'Fine per copy', before: 3.5 / 6, after: 3.5 / 3 },
    ],
    questions: [
      {
        name: 'Copies by town',
        change: { rows: 2, differing: 1, first: { members: ['Pier'], before: [4], after: [3] } },
      },
      {
        name: 'known answer of copies',
        change: { rows: 1, differing: 1, first: { members: [], before: [6], after: [3] } },
      },
    ],
    listings: [],
    same: { measures: 0, questions: 2 },
    left: 0,
  });
});

test('a formula that says the same otherwise changes nothing', () => {
  expect(impact(measure('Copies', 'sum(loan.copies + 0)'))).toMatchObject({
    measures: [],
    questions: [],
    same: { measures: 2, questions: 4 },
  });
});

test('what is lost is told with its fault: a measure, what rests on it, a listing; a new name is no loss', () => {
  const lost = impact([{ do: 'remove-column', table: 'loan', column: 'fine' }]);
  expect(lost.measures.map((m) => [m.name, m.before, typeof m.fault])).toEqual([
    ['Fines', '3.50', 'string'],
    ['Fine per copy', 3.5 / 6, 'string'],
  ]);
  expect(lost.questions.map((q) => [q.name, typeof q.fault])).toEqual([['All fines', 'string']]);
  const way = impact([{ do: 'remove-tables', name: 'branch' }]);
  expect(way.listings).toEqual([{ name: 'Lines', fault: expect.stringContaining('branch.town') as string }]);
  expect(impact([{ do: 'remove-trials', name: 'All fines' }]).questions).toEqual([
    { name: 'All fines', fault: 'it is removed' },
  ]);
  const renamed = impact([
    { do: 'rename', of: { measure: 'Fines' }, to: 'Penalties' },
    { do: 'rename', of: { relationship: 'lb' }, to: 'at' },
  ]);
  expect([renamed.measures, renamed.questions, renamed.listings]).toEqual([[], [], []]);
});

test('a way that is taken away touches all measures; what takes too long is left and said', () => {
  const edit: Edit = [{ do: 'set-relationship', name: 'lb', change: { default: false } }];
  const found = impact(edit);
  expect(found.questions.map((q) => q.name)).toEqual(['Copies by town']);
  expect(found.same.measures).toBe(4);
  let clock = 0;
  const slow = impact(edit, () => (clock += 4_000));
  expect(slow.left).toBeGreaterThan(0);
});
