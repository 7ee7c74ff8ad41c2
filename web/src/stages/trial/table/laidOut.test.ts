import { laidOut, totalsBy } from './laidOut.ts';

test('long rows are laid out: a row for each tuple of by, a column for each of across, and where each stands', () => {
  const rows = [
    ['Ash', 10, 1],
    ['Ash', 9, 2],
    ['Elm', null, 3],
    ['Elm', 9, 4],
    [{ others: true } as const, 10, 5],
  ];
  const { rows: made, columns } = laidOut({ rows }, 1, 1);
  expect(columns.map((c) => c.members)).toEqual([[9], [10], [null]]);
  expect(made).toMatchObject([
    { members: ['Ash'], places: [1, 0, undefined] },
    { members: ['Elm'], places: [3, undefined, 2] },
    { members: [{ others: true }], places: [undefined, 4, undefined] },
  ]);
});

test('without by there is one row, and days and texts stand in their order', () => {
  const rows = [
    ['2026-02-01', 'b', 1],
    ['2026-01-31', 'c', 2],
    ['2026-02-01', 'a', 3],
  ];
  const { rows: made, columns } = laidOut({ rows }, 0, 2);
  expect(columns.map((c) => c.members.join(' '))).toEqual(['2026-01-31 c', '2026-02-01 a', '2026-02-01 b']);
  expect(made).toEqual([{ members: [], named: [], places: [1, 2, 0] }]);
  expect(laidOut({ rows: [] }, 1, 1)).toEqual({ rows: [], columns: [] });
});

test('totals of rows and columns are the answer’s own subtotals', () => {
  const answer = {
    totals: [9],
    subtotals: [
      {
        by: 0,
        across: 1,
        rows: [
          [2026, 5],
          [null, 4],
        ],
      },
      { by: 1, across: 0, rows: [['Ash', 9]] },
    ],
  };
  const of = totalsBy(answer, 1, 1);
  expect([of(['Ash'], undefined, 0), of(undefined, [null], 0), of(undefined, [2025], 0)]).toEqual([
    9,
    4,
    null,
  ]);
  expect(totalsBy({ totals: [9] }, 0, 1)([], undefined, 0)).toBe(9);
});

test('two members of one label are two rows, each with its own total', () => {
  const rows = [
    ['Elm', 2025, 1],
    ['Elm', 2025, 2],
    ['Elm', 2026, 3],
  ];
  const keys = [
    [['B1'], null],
    [['B3'], null],
    [['B3'], null],
  ];
  const { rows: made } = laidOut({ rows, keys }, 1, 1);
  expect(made).toEqual([
    { members: ['Elm'], named: [{ key: ['B1'] }], places: [0, undefined] },
    { members: ['Elm'], named: [{ key: ['B3'] }], places: [1, 2] },
  ]);
  const subtotals = [
    {
      by: 1,
      across: 0,
      rows: [
        ['Elm', 1],
        ['Elm', 5],
      ],
      keys: [[['B1']], [['B3']]],
    },
  ];
  const of = totalsBy({ subtotals }, 1, 1);
  expect(made.map((row) => of(row.named, undefined, 0))).toEqual([1, 5]);
});
