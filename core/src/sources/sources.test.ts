import type * as z from 'zod';
import type { Model, Table } from '../model/index.ts';
import { tableSchema } from '../model/index.ts';
import { columnValues } from '../columns/index.ts';
import { SOURCE_KINDS, sourceKind, sourceName, tableLoader } from './index.ts';

test('every source of the schema has a kind, told by its required field, and no kind is left over', () => {
  const options = tableSchema.shape.source.unwrap().options as readonly z.ZodObject[];
  const fields = options.map((option) =>
    Object.entries(option.shape)
      .filter(([, field]) => !(field as z.ZodType).safeParse(undefined).success)
      .map(([name]) => name),
  );
  expect(fields.map((required) => SOURCE_KINDS.filter((k) => required.includes(k.field)).length)).toEqual(
    fields.map(() => 1),
  );
  expect(SOURCE_KINDS).toHaveLength(options.length);
});

const table = (name: string, source: NonNullable<Table['source']>, ...columns: string[]): Table => ({
  name,
  role: 'dimension',
  source,
  columns: columns.map((column) => ({ name: column, type: column === 'day' ? 'date' : 'integer' })),
});

test.each<[NonNullable<Table['source']>, string | undefined, boolean]>([
  [{ file: 'loan.csv' }, 'loan.csv', true],
  [{ connection: 'desk', schema: 'lending', table: 'loan' }, 'desk: lending.loan', true],
  [{ connection: 'desk', table: 'loan' }, 'desk: loan', true],
  [{ calendar: { from: '2026-01-01', to: '2026-01-03' } }, 'a generated calendar', false],
  [{ members: [{ id: 1 }] }, 'typed by hand', true],
  [{ steps: [{ from: 'loan' }] }, undefined, true],
])('%j is named by its place', (source, place, takesSteps) => {
  expect(sourceName(table('t', source))).toBe(place);
  expect(sourceKind(source).takesSteps).toBe(takesSteps);
});

test('what needs no file is worked out, what comes from elsewhere is asked for', () => {
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [
      table('days', { calendar: { from: '2026-01-01', to: '2026-01-03' } }, 'day', 'year'),
      table('fund', { members: [{ id: 4 }, {}] }, 'id'),
      table('more', { steps: [{ from: 'fund' }, { filter: 'id is not null' }] }, 'id'),
      table('filed', { file: 'filed.csv' }, 'id'),
    ],
  };
  const asked: string[] = [];
  const load = tableLoader(model, 0, ({ name }) => {
    asked.push(name);
    throw new Error('not here');
  });
  const rows = (name: string) =>
    [...load(name).columns.values()].map((c) => Array.from(c.codes, (code) => columnValues(c)[code]));
  expect(rows('days')).toEqual([
    [20454, 20455, 20456],
    [2026, 2026, 2026],
  ]);
  expect(rows('fund')).toEqual([[4, null]]);
  expect(rows('more')).toEqual([[4]]);
  expect(() => load('filed')).toThrow('not here');
  expect(asked).toEqual(['filed']);
});
