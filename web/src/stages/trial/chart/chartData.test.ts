import type { QueryState } from '@crease/contract';
import { chartData } from './chartData.ts';

type Rows = QueryState['rows'];
const answer = (
  columns: [string, string][],
  rows: Rows,
  unreached: QueryState['unreached'] = [],
): QueryState => ({
  columns: columns.map(([name, type]) => ({ name, type, kind: 'by' as const })),
  rows,
  unreached,
  elapsedMs: 1,
});
const loans: [string, string] = ['Loans', 'integer'];
const day = (text: string) => new Date(`${text}T00:00:00`).getTime();

test('two attributes give one series for each member of the last, each point at its own place', () => {
  const { series, labels, form } = chartData(
    answer(
      [['branch.region', 'text'], ['title.class', 'text'], loans],
      [
        ['North', 'Fiction', 1],
        ['North', 'Maps', 2],
        ['South', 'Maps', 3],
      ],
    ),
    2,
  );
  expect([form, labels]).toEqual(['bar', ['North', 'South']]);
  expect(series.map((s) => [s.label, s.points.map((p) => [p.at, p.x, p.y])])).toEqual([
    ['Fiction', [['North', 0, 1]]],
    ['Maps', [['North', 0, 2], ['South', 1, 3]]],
  ]); // oxfmt-ignore
});

test('days stand on a time axis in the order of time, and what is no time is told with its own values', () => {
  const { series, axis, unit, form, leftOut } = chartData(
    answer(
      [['calendar.day', 'date'], loans],
      [
        [null, 120],
        ['2026-03-01', 2],
        ['2026-01-31', 5],
      ],
    ),
    1,
  );
  expect([axis, unit, form]).toEqual(['time', 'day', 'line']);
  expect(series[0]!.points.map((p) => [p.x, p.value])).toEqual([
    [day('2026-01-31'), 5],
    [day('2026-02-01'), null],
    [day('2026-03-01'), 2],
  ]);
  expect(leftOut).toEqual([{ member: 'null', measure: 'Loans', type: 'integer', value: 120 }]);
});

test('a time in the last place is the axis, and the others are the series', () => {
  const { series, axis } = chartData(
    answer(
      [['branch.region', 'text'], ['calendar.year_month', 'text'], loans],
      [
        ['North', '2026-01', 1],
        ['South', '2026-01', 2],
        ['North', '2026-02', 3],
      ],
    ),
    2,
  );
  expect([axis, series.map((s) => [s.label, s.points.map((p) => p.y)])]).toEqual([
    'time',
    [
      ['North', [1, 3]],
      ['South', [2]],
    ],
  ]);
});

test.each([
  ['calendar.year', 'integer', [2024, 2025], 'year'],
  ['calendar.year_quarter', 'text', ['2026-Q1', '2026-Q4'], 'quarter'],
  ['loan.at', 'timestamp', ['2026-01-01T10:00:00', '2026-01-01T11:00:00.5'], 'second'],
])('%s is a time', (name, type, values, unit) => {
  expect(chartData(answer([[name, type], loans], values.map((v, i) => [v, i])), 1)).toMatchObject({ axis: 'time', unit }); // oxfmt-ignore
});

test('numbers and texts that only sometimes look like times are members', () => {
  expect(chartData(answer([['a.code', 'integer'], loans], [[2024, 1]]), 1).axis).toBe('members');
  expect(chartData(answer([['a.x', 'text'], loans], [['2026-01', 1], ['North', 2]]), 1).axis).toBe('members'); // oxfmt-ignore
});

test('every point is drawn, and measures that do not apply are not', () => {
  const rows = Array.from({ length: 500 }, (_, i) => [`m${i}`, i, i]);
  const drawn = chartData(
    answer([['a.x', 'text'], loans, ['Visitors', 'integer']], rows, [['Visitors', 'a.x']]),
    1,
  );
  expect(drawn.series.map((s) => [s.label, s.points.length])).toEqual([['Loans', 500]]);
});

test('several measures and members have a series each', () => {
  const drawn = chartData(
    answer([['a.x', 'text'], ['a.y', 'text'], loans, ['Fines', 'decimal(9,2)']], [['p', 'q', 1, '2.50'], ['p', { unmatched: true } as never, 3, null]]), // oxfmt-ignore
    2,
  );
  expect(drawn.series.map((s) => [s.label, s.points[0]!.y, s.points[0]!.value])).toEqual([
    ['q, Loans', 1, 1],
    ['q, Fines', 2.5, '2.50'],
    ['unmatched, Loans', 3, 3],
    ['unmatched, Fines', null, null],
  ]);
});
