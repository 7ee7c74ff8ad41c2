import { FormulaChecker } from '@crease/core/formula';
import type { Model, Table } from '@crease/core/model';
import {
  columnExample,
  conditionExample,
  grainExample,
  measureExample,
  questionExample,
} from './examples.ts';

const fact: Table = {
  name: 'loan line',
  role: 'fact',
  key: ['loan', 'line'],
  columns: [
    { name: 'loan', type: 'integer' },
    { name: 'line', type: 'integer' },
  ],
};
const dimension: Table = {
  name: 'branch',
  role: 'dimension',
  columns: [
    { name: 'secret', type: 'text', hidden: true },
    { name: 'full name', type: 'text' },
    { name: 'town', type: 'text' },
  ],
};
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [dimension, fact],
  relationships: [
    {
      name: 'r',
      from: { table: 'loan line', columns: ['line'] },
      to: { table: 'branch', columns: ['town'] },
    },
  ],
};

test('examples of formulas are sound on the model that they are of', () => {
  const checker = new FormulaChecker(model);
  expect(measureExample(model)).toBe('count("loan line")');
  expect(checker.measureFormula(measureExample(model), 'x').faults).toEqual([]);
  for (const table of [fact, dimension])
    expect(checker.rowFormula(table, columnExample(table)).faults).toEqual([]);
  expect([columnExample(fact), columnExample(dimension)]).toEqual([
    'loan + line',
    `"full name" || ' ' || town`,
  ]);
});

test('a condition names a text that people see', () => {
  expect(conditionExample(model)).toBe(`branch."full name" = '…'`);
  expect(conditionExample({ ...model, tables: [fact] })).toBe('"loan line".loan is not null');
});

test('questions and grains name what is there', () => {
  expect(questionExample(model, fact)).toBe('How many rows of loan line per branch?');
  expect(questionExample({ ...model, relationships: [] }, fact)).toBe('How many rows of loan line?');
  expect([grainExample(fact), grainExample(dimension)]).toEqual([
    'one row per loan and line',
    'one row per …',
  ]);
});

test('an empty model has examples all the same', () => {
  const empty = { ...model, tables: [], relationships: [] };
  expect([measureExample(empty), conditionExample(empty)]).toEqual(['count(table)', 'table.column = 1']);
  expect(columnExample({ ...fact, columns: [] })).toBe('');
});
