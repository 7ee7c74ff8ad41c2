import type { QueryState } from '@crease/contract';
import type { Query } from '@crease/core/model';
import type { AcrossLine } from './acrossLines.ts';
import { acrossLines } from './acrossLines.ts';
import { laidOut } from './laidOut.ts';
import type { Below } from './lines.ts';
import { keyOfRow } from './lines.ts';

const answer = (
  rows: QueryState['rows'],
  members: number,
  subtotals: QueryState['subtotals'],
): QueryState => ({
  columns: [
    ...Array.from({ length: members }, (_, i) => ({ name: `c${i}`, type: 'text', kind: 'by' as const })),
    { name: 'Loans', type: 'integer', kind: 'measure' as const },
  ],
  rows,
  subtotals,
  unreached: [],
  elapsedMs: 1,
});
const region = { hierarchy: 'branch.Geography', level: 'Region' };
const branch = { hierarchy: 'branch.Geography', level: 'Branch' };
const query: Query = { measures: ['Loans'], by: [region], across: ['calendar.year'] };
const whole = answer(
  [
    ['Coast', 2025, 5],
    ['Coast', 2026, 7],
    ['Hills', 2026, 1],
  ],
  2,
  [{ by: 1, across: 0, rows: [['Coast', 12], ['Hills', 1]] }], // oxfmt-ignore
);
const coast = { items: [region], members: ['Coast'], named: ['Coast'] };
const asked: Query = { ...query, by: [region, branch] };
const lines = (opened: [typeof coast, Below][]): unknown[] =>
  acrossLines(whole, query, laidOut(whole, 1, 1), new Map(opened.map(([row, b]) => [keyOfRow(row), b]))).map(
    (line: AcrossLine) =>
      line.kind === 'note'
        ? line.text
        : [
            line.depth,
            ...line.row.members,
            ...line.places.map((at) => (at === undefined ? '-' : line.answer.rows[at]!.at(-1))),
            ...line.totals,
          ],
  );

test('rows below an opened one stand under the columns of the whole answer, with their own totals', () => {
  const below = answer(
    [
      ['Coast', 'Ferry', 2026, 7],
      ['Coast', 'Quay', 2025, 5],
    ],
    3,
    [{ by: 2, across: 0, rows: [['Coast', 'Ferry', 7], ['Coast', 'Quay', 5]] }], // oxfmt-ignore
  );
  expect(lines([])).toEqual([
    [0, 'Coast', 5, 7, 12],
    [0, 'Hills', '-', 1, 1],
  ]);
  expect(lines([[coast, { item: branch, query: asked, answer: below }]])).toEqual([
    [0, 'Coast', 5, 7, 12],
    [1, 'Coast', 'Ferry', '-', 7, 7],
    [1, 'Coast', 'Quay', 5, '-', 5],
    [0, 'Hills', '-', 1, 1],
  ]);
});

test('rows of another member are not listed below; what is on its way, at fault or empty is said', () => {
  // A member on the spot cannot be a condition: the answer has the others too.
  const others = answer([['Hills', 'Tarn', 2026, 1]], 3, []);
  expect(lines([[coast, { item: branch, query: asked, answer: others }]])[1]).toBe('No rows below it.');
  expect(lines([[coast, { item: branch, query: asked }]])[1]).toBe('Working …');
  expect(lines([[coast, { item: branch, query: asked, fault: 'No such level.' }]])[1]).toBe('No such level.');
});
