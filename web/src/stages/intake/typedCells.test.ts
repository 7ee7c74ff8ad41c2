import type { Cells } from './typedCells.ts';
import { BLANK, typesWithout, withCell, withColumn, withoutColumn, withoutRow, withPasted, withRow } from './typedCells.ts'; // oxfmt-ignore

const cells: Cells = [
  ['code', 'name'],
  ['A', 'Ash'],
  ['B', 'Elm'],
];

test('cells, rows and columns are changed, added and taken out; the names and one row stay', () => {
  expect(withCell(cells, 2, 1, 'Oak')[2]).toEqual(['B', 'Oak']);
  expect(withRow(cells).at(-1)).toEqual(['', '']);
  expect(withColumn(cells)[0]).toEqual(['code', 'name', '']);
  expect(withoutRow(cells, 1)).toEqual([cells[0], cells[2]]);
  expect(withoutRow(withoutRow(cells, 1), 1)).toEqual([cells[0], cells[2]]);
  expect(withoutColumn(cells, 0)).toEqual([['name'], ['Ash'], ['Elm']]);
});

test('a block is pasted from a cell on: over what is there, and beyond the grid', () => {
  const pasted = [['x', 'y'], ['z']];
  expect(withPasted(cells, pasted, 2, 1)).toEqual([
    ['code', 'name', ''],
    ['A', 'Ash', ''],
    ['B', 'x', 'y'],
    ['', 'z', ''],
  ]);
  // A later row may be wider than the first.
  expect(withPasted(BLANK, [['a'], ['b', 'c', 'd']], 0, 0)[1]).toEqual(['b', 'c', 'd']);
});

test('what was said of the columns behind one that is taken out moves up with them', () => {
  const said = new Map([[0, 'text'], [1, 'integer'], [2, 'date']]); // oxfmt-ignore
  expect([...typesWithout(said, 1)]).toEqual([
    [0, 'text'],
    [1, 'date'],
  ]);
});
