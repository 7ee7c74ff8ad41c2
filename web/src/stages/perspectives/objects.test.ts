import type { Model, Perspective } from '@crease/core/model';
import { shownNames } from '@crease/core/model';
import type { ObjectLine } from './objects.ts';
import { linesOfGrid, stateOf, ticked, usedUnseen } from './objects.ts';

const columns = (...names: string[]) => names.map((name) => ({ name, type: 'text' }));
const model: Model = {
  crease: 1,
  name: 'library',
  tables: [
    { name: 'branch', role: 'dimension', key: ['id'], columns: [...columns('id', 'name', 'region')] },
    {
      name: 'loan',
      role: 'fact',
      columns: [...columns('branch_id', 'fine'), { name: 'raw', type: 'text', hidden: true }],
    },
    { name: 'draft', role: 'staging', columns: columns('x') },
  ],
  hierarchies: [{ name: 'Places', table: 'branch', levels: [{ name: 'Region', column: 'region' }] }],
  measures: [
    { name: 'Loans', formula: 'count(loan)', folder: 'Lending' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
  ],
  detailListings: [{ name: 'Lines', table: 'loan', columns: ['fine'] }],
  trials: [{ name: 'By branch', query: { measures: ['Loans'] } }],
  perspectives: [
    { name: 'Desk', tables: ['branch', { table: 'loan', title: 'Lending' }], measures: ['Loans'] },
    { name: 'Board', tables: [], columns: ['branch.region'], measures: ['Fines'] },
  ],
};
const [desk, board] = model.perspectives as [Perspective, Perspective];
const lines = (search = '', onlyDifferent = false, ...turned: string[]): ObjectLine[] =>
  linesOfGrid(model, model.measures!, { search, onlyDifferent, turned: new Set(turned) });
const texts = (list: readonly ObjectLine[]) => list.map((l) => l.text);
const lineOf = (text: string) =>
  lines('', false, 'tables branch', 'tables loan').find((l) => l.text === text)!;

test('objects stand under headings; tables unfold into their columns, headings fold', () => {
  expect(texts(lines())).toEqual([
    'Dimensions',
    'branch',
    'Facts and bridges',
    'loan',
    'Hierarchies',
    'branch.Places',
    'Measures: Lending',
    'Loans',
    'Measures',
    'Fines',
    'Listings',
    'Lines',
    'Kept trials',
    'By branch',
  ]);
  expect(texts(lines('', false, 'tables branch')).slice(1, 5)).toEqual([
    'branch',
    'branch.id',
    'branch.name',
    'branch.region',
  ]);
  expect(texts(lines('', false, 'Dimensions')).slice(0, 2)).toEqual(['Dimensions', 'Facts and bridges']);
});

test('a search finds columns in folded tables, and differences are what audiences see otherwise', () => {
  expect(texts(lines('region'))).toEqual(['Dimensions', 'branch', 'branch.region']);
  const different = texts(lines('', true));
  expect(different).toContain('Loans');
  expect(different).not.toContain('Lines');
});

test('what is shown is told of objects, columns of whole tables, and of some of many', () => {
  expect(['branch', 'branch.name', 'loan', 'Fines'].map((text) => stateOf(desk, lineOf(text)))).toEqual([
    'shown',
    'by table',
    'shown',
    'none',
  ]);
  expect(['branch', 'branch.region', 'branch.name'].map((text) => stateOf(board, lineOf(text)))).toEqual([
    'some',
    'shown',
    'none',
  ]);
  expect(
    stateOf(
      desk,
      lines().find((l) => l.text === 'Dimensions')!,
    ),
  ).toBe('shown');
});

test('a column that is taken out of a whole table leaves its others; a table that is shown takes its columns in', () => {
  const without = ticked(desk, lineOf('loan.fine'), false, model);
  expect(shownNames(without, 'tables')).toEqual(['branch']);
  expect(shownNames(without, 'columns')).toEqual(['loan.branch_id']);
  const whole = ticked(board, lineOf('branch'), true, model);
  expect([shownNames(whole, 'tables'), shownNames(whole, 'columns')]).toEqual([['branch'], []]);
  const heading = lines().find((l) => l.text === 'Measures: Lending')!;
  expect(shownNames(ticked(board, heading, true, model), 'measures')).toEqual(['Fines', 'Loans']);
  // A title of its own stays with what is still shown.
  expect(ticked(desk, lineOf('branch'), false, model).tables).toEqual([{ table: 'loan', title: 'Lending' }]);
});

test('what shown measures use and the audience does not see is found through measures', () => {
  const uses = [
    { name: 'Fines', type: 'double', measures: ['Base'], columns: ['branch.region'] },
    { name: 'Base', type: 'double', measures: ['Fines'], columns: ['loan.fine'] },
  ];
  expect(usedUnseen(board, uses)).toEqual([{ column: 'loan.fine', measures: ['Fines'] }]);
  expect(usedUnseen({ ...desk, measures: ['Fines'] }, uses)).toEqual([]);
});
