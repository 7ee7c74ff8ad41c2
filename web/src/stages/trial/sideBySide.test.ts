import type { QueryState } from '@crease/contract';
import { differenceOf, sideBySide } from './sideBySide.ts';

const answer = (
  measures: string[],
  rows: QueryState['rows'],
  more: Partial<QueryState> = {},
): QueryState => ({
  columns: [
    { name: 'branch.name', type: 'text', kind: 'by' },
    ...measures.map((name) => ({ name, type: 'integer', kind: 'measure' as const })),
  ],
  rows,
  unreached: [],
  elapsedMs: 1,
  ...more,
});

test('rows of two answers stand beside each other by their members, whatever their order', () => {
  const found = sideBySide(
    answer(
      ['Loans', 'Fines'],
      [
        ['Ash', 1, 5],
        ['Elm', 2, 6],
        ['Oak', 3, 7],
      ],
    ),
    answer(
      ['Loans'],
      [
        ['Oak', 3],
        ['Fir', 9],
        ['Ash', 4],
      ],
    ),
  )!;
  expect(found.measures).toEqual([
    { name: 'Loans', type: 'integer', left: 1, right: 1 },
    { name: 'Fines', type: 'integer', left: 2, right: undefined },
  ]);
  expect(found.rows.map((r) => [r.members[0], r.left, r.right, r.differs])).toEqual([
    ['Ash', 0, 2, true],
    ['Elm', 1, undefined, true],
    ['Oak', 2, 0, false],
    ['Fir', undefined, 1, true],
  ]);
});

test('members of equal labels are told apart by their keys; other attributes are not compared', () => {
  const keys = [[['B1']], [['B2']]];
  const found = sideBySide(
    answer(
      ['Loans'],
      [
        ['Ash', 1],
        ['Ash', 2],
      ],
      { keys },
    ),
    answer(
      ['Loans'],
      [
        ['Ash', 2],
        ['Ash', 1],
      ],
      { keys: [[['B2']], [['B1']]] },
    ),
  )!;
  expect(found.rows.map((r) => [r.left, r.right, r.differs])).toEqual([
    [0, 1, false],
    [1, 0, false],
  ]);
  const other: QueryState = {
    ...answer([], []),
    columns: [{ name: 'title.name', type: 'text', kind: 'by' }],
  };
  expect(sideBySide(answer(['Loans'], []), other)).toBeUndefined();
});

test.each<[Parameters<typeof differenceOf>, ReturnType<typeof differenceOf>]>([
  [[10, 15, 'integer'], { difference: 5, share: 0.5 }],
  [['2.50', '1.25', 'decimal(9,2)'], { difference: -1.25, share: -0.5 }],
  [[0, 3, 'integer'], { difference: 3, share: undefined }],
  [[-4, -2, 'integer'], { difference: 2, share: 0.5 }],
  [[null, 3, 'integer'], undefined],
  [['a', 'b', 'text'], undefined],
])('the difference of %j', (values, expected) => {
  expect(differenceOf(...values)).toEqual(expected);
});
