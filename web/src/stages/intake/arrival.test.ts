import type { RecipeState } from '@crease/contract';
import { previewFile } from '@crease/core/reading';
import type { Table } from '@crease/core/model';
import type { Arrival } from './arrival.ts';
import { arrivingColumns, byRecipe, namingFault, orderOf, typedAsBefore, useOf } from './arrival.ts';

const preview = previewFile(
  new TextEncoder().encode(
    'Branch Code;visitors;opened on\nA1;12;01.02.2026\nB2;7;03.02.2026\nA1;7;04.02.2026\n',
  ),
  true,
);
const arrival = (change: Partial<Arrival> = {}): Arrival => ({
  key: 'k',
  file: { name: 'visit.csv', size: 1 },
  name: 'visit',
  state: 'ready',
  progress: 1,
  cancel: new AbortController(),
  upload: { id: 'u', name: 'visit.csv', bytes: 1 },
  preview,
  columns: arrivingColumns(preview, [], undefined),
  misfits: 'null',
  mode: 'replace',
  ...change,
});

test('columns of a newer file are matched by name, then by likeness, and what is only alike says so', () => {
  const table: Table = {
    name: 'visit',
    role: 'fact',
    columns: [
      { name: 'branch', type: 'text', sourceName: 'branch_code' },
      { name: 'people', type: 'integer', sourceName: 'visitors' },
      { name: 'many', type: 'boolean', formula: 'people > 9' },
      { name: 'noted', type: 'text' },
    ],
  };
  const found = arrivingColumns(preview, [], table);
  expect(found.map((c) => [c.fileName, c.name, c.alike ?? false])).toEqual([
    ['Branch Code', 'branch', true],
    ['visitors', 'people', false],
    ['opened on', 'opened on', false],
  ]);
  // Those that the model has keep its types, whatever the newer file looks like.
  expect(typedAsBefore(table, preview).map((c) => [c.type, c.known])).toEqual([
    ['text', true],
    ['integer', true],
    ['date', false],
  ]);
});

test('a name that somebody gave is kept over a new preview, and names that clash are told', () => {
  const [first, ...rest] = arrivingColumns(preview, [], undefined);
  const named = { ...first!, name: 'visitors', named: true };
  const again = arrivingColumns(preview, [named, ...rest], undefined);
  expect(again.map((c) => c.name)).toEqual(['visitors', 'visitors', 'opened on']);
  expect(namingFault(again)).toBe('two included columns are named visitors');
  expect(namingFault(again.map((c, i) => ({ ...c, taken: i > 0 })))).toBeUndefined();
  expect(namingFault([{ ...first!, name: ' ' }])).toBe('an included column has no name');
});

test('a recipe says all of a load but the file', () => {
  const recipe: RecipeState = {
    name: 'weekly',
    table: 'visit_fact',
    dialect: { delimiter: ';', quote: '"', header: true, encoding: 'utf-8', newline: '\n' },
    nulls: ['', 'n/a'],
    columns: [
      { name: 'people', fileName: 'visitors', type: 'decimal(9,2)', decimalComma: true },
      { name: 'day', fileName: 'opened on', type: 'date', pattern: 'dd.MM.yyyy' },
    ],
    misfits: 'leave out',
    mode: 'update',
  };
  const made = byRecipe(arrival(), recipe);
  expect(made).toMatchObject({
    name: 'visit_fact',
    recipe: 'weekly',
    mode: 'update',
    misfits: 'leave out',
    nulls: ['', 'n/a'],
  });
  expect(made.columns.map((c) => [c.fileName, c.name, c.taken])).toEqual([
    ['Branch Code', 'Branch Code', false],
    ['visitors', 'people', true],
    ['opened on', 'day', true],
  ]);
  const order = orderOf(made);
  expect(order.columns.map((c) => [c.name, c.fileName, c.type, c.pattern, c.decimalComma])).toEqual([
    ['people', 'visitors', 'decimal(9,2)', undefined, true],
    ['day', 'opened on', 'date', 'dd.MM.yyyy', undefined],
  ]);
});

test('an order carries the use that is proposed, or that somebody said; a part belongs to rows that are replaced only', () => {
  const a = arrival({ part: 'May' });
  expect(orderOf(a).columns.map((c) => [c.use, c.aggregate])).toEqual([
    ['reference', undefined],
    ['quantity', 'sum'],
    ['attribute', undefined],
  ]);
  expect([orderOf(a).part, orderOf({ ...a, mode: 'add' }).part]).toEqual(['May', undefined]);
  const said = { ...a.columns[1]!, use: 'attribute' as const };
  expect(useOf(said, preview.columns[1]!, preview.rows)).toEqual({ use: 'attribute', reason: 'as you say' });
});
