import { FormulaChecker } from '../formula/index.ts';
import type { Model, Table } from '../model/index.ts';
import { Dependents } from './index.ts';

const table = (
  name: string,
  role: Table['role'],
  columns: readonly string[],
  more: object[] = [],
): Table => ({
  name,
  role,
  key: [columns[0]!],
  columns: [
    ...columns.map((column) => ({ name: column, type: column === 'copies' ? 'integer' : 'text' })),
    ...(more as Table['columns']),
  ],
});
const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    table(
      'loan',
      'fact',
      ['no', 'branch', 'copies'],
      [{ name: 'pairs', type: 'integer', formula: 'copies / 2' }],
    ),
    table('branch', 'dimension', ['code', 'region']),
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['code'] },
    },
  ],
  hierarchies: [{ name: 'Place', table: 'branch', levels: [{ name: 'Region', column: 'region' }] }],
  measures: [
    { name: 'Copies', formula: 'sum(loan.copies)' },
    { name: 'Pairs', formula: 'sum(loan.pairs)' },
    { name: 'Share', formula: '"Copies" / "Copies" ignoring everything' },
    { name: 'Loans', formula: 'count(loan)', via: 'loan_branch' },
  ],
  trials: [{ name: 'By region', query: { measures: ['Share'], by: ['branch.region'] } }],
  knownAnswers: [{ name: 'Known', trial: 'By region', rows: [] }],
  perspectives: [{ name: 'Desk', tables: ['branch'], measures: ['Loans'] }],
};
const dependents = new Dependents(model, new FormulaChecker(model));

test('what depends on a measure is told through others, and what shows it', () => {
  expect(dependents.of({ kind: 'measure', name: 'copies' })).toEqual(['measure Share', 'trial By region']);
  expect(dependents.of({ kind: 'measure', name: 'Loans' })).toEqual(['perspective Desk']);
  expect(dependents.of({ kind: 'measure', name: 'Pairs' })).toEqual([]);
});

test('what depends on a column goes through derived columns; hierarchies and questions name it', () => {
  expect(dependents.of({ kind: 'column', name: 'loan.copies' })).toEqual([
    'measure Copies',
    'column loan.pairs',
    'measure Share',
    'measure Pairs',
    'trial By region',
  ]);
  expect(dependents.of({ kind: 'column', name: 'branch.region' })).toEqual([
    'hierarchy branch.Place',
    'trial By region',
  ]);
  expect(dependents.of({ kind: 'column', name: 'loan.branch' })).toEqual(['relationship loan_branch']);
});

test('a relationship, a hierarchy, a trial and a table have theirs', () => {
  expect(dependents.of({ kind: 'relationship', name: 'loan_branch' })).toEqual([
    'measure Loans',
    'perspective Desk',
  ]);
  expect(dependents.of({ kind: 'trial', name: 'By region' })).toEqual(['known answer Known']);
  expect(dependents.of({ kind: 'table', name: 'branch' })).toContain('perspective Desk');
  expect(dependents.of({ kind: 'table', name: 'loan' })).toContain('measure Loans');
});
