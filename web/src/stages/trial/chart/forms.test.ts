import type { QueryState } from '@crease/contract';
import { chartData } from './chartData.ts';
import { formOf, keptView, openedView, readView, unfit, writeView } from './forms.ts';
import { extent } from './options.ts';
import { pointsData } from './pointsData.ts';

const answer = (by: [string, string][], measures: string[], rows: QueryState['rows']): QueryState => ({
  columns: [
    ...by.map(([name, type]) => ({ name, type, kind: 'by' as const })),
    ...measures.map((name) => ({ name, type: 'integer', kind: 'measure' as const })),
  ],
  rows,
  unreached: [],
  elapsedMs: 1,
});
const none = { form: undefined, right: [], sameScale: false };

test('a line is proposed over time and bars otherwise; a form that does not fit is not drawn', () => {
  const months = answer([['calendar.year_month', 'text']], ['Loans'], [['2026-01', 1], ['2026-02', 2]]); // oxfmt-ignore
  const names = answer([['branch.name', 'text']], ['Loans'], [['Ash', 1]]);
  expect(formOf(none, months, chartData(months, 1))).toBe('line');
  expect(formOf(none, names, chartData(names, 1))).toBe('bars');
  for (const form of ['scatter', 'bubble', 'stacked', 'multiples'] as const) {
    expect(unfit(form, names, chartData(names, 1))).toMatch(/^needs/);
    expect(formOf({ ...none, form }, names, chartData(names, 1))).toBe('bars');
  }
  const negative = answer([['a', 'text'], ['b', 'text']], ['M'], [['x', 'p', 1], ['x', 'q', -1]]); // oxfmt-ignore
  expect(unfit('stacked', negative, chartData(negative, 2))).toBe('has negative values, which do not stack');
});

test('a month without a row is a gap in the line', () => {
  const months = answer([['calendar.year_month', 'text']], ['Loans'], [['2025-11', 1], ['2025-12', 2], ['2026-03', 3]]); // oxfmt-ignore
  expect(chartData(months, 1).series[0]!.points.map((p) => p.y)).toEqual([1, 2, null, 3]);
});

test('two measures place a point and a third is its area; a null has no place', () => {
  const rows: QueryState['rows'] = [
    ['Ash', 1, 10, 4],
    ['Elm', 2, 20, 1],
    ['Oak', 3, null, 9],
    ['Yew', 4, 40, 16],
  ];
  const { points, leftOut, measures } = pointsData(answer([['branch.name', 'text']], ['A', 'B', 'C'], rows), 1, true); // oxfmt-ignore
  expect([measures, leftOut]).toEqual([['A', 'B', 'C'], 1]);
  expect(points.map((p) => [p.at, p.x, p.y, p.row, p.column])).toEqual([
    ['Ash', 1, 10, 0, 2],
    ['Elm', 2, 20, 1, 2],
    ['Yew', 4, 40, 3, 2],
  ]);
  const [ash, elm, yew] = points.map((p) => p.r - 3) as [number, number, number];
  expect([ash / yew, elm / yew].map((n) => Math.round(n * 1000))).toEqual([500, 250]);
});

test('a view survives the address and a kept trial', () => {
  const view = { form: 'multiples' as const, right: ['Loans', 'Fine, per loan'], sameScale: true };
  const params = new URLSearchParams('q=1&form=line&right=Old');
  writeView(params, view);
  expect(readView(params)).toEqual(view);
  expect(params.get('q')).toBe('1');
  expect(openedView(keptView(view))).toEqual(view);
  expect(keptView(none)).toEqual({});
  expect(readView(new URLSearchParams('form=pie'))).toEqual(none);
});

test('the extent of series holds zero', () => {
  const drawn = chartData(answer([['a', 'text']], ['M'], [['x', 5], ['y', 9]]), 1); // oxfmt-ignore
  expect(extent(drawn.series)).toEqual({ min: 0, max: 9 });
});
