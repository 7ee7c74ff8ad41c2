import { columnOfValues, tableOf } from '@crease/core/columns';
import { judgeModel } from '@crease/core/claims';
import type { Measure, Model, PeriodFamily } from '@crease/core/model';
import { readModel, withFamilies } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { answerQuery, ModelData, traceCell } from '@crease/core/query';
import { DATE, INTEGER, TEXT, textReader } from '@crease/core/values';
import { answerInSqlite } from '../src/sql.ts';

// Which date of the fact a measure goes by: loans that were lent, and brought back, in three months.

const day = (text: string): number => textReader(DATE)(text) as number;
const FIRST = day('2026-01-01');
const days = Array.from({ length: 90 }, (_, i) => FIRST + i);
const LENT = ['2026-01-05', '2026-01-20', '2026-02-03', '2026-02-20', '2026-03-02'].map(day);
const BACK = ['2026-01-20', '2026-02-10', '2026-03-01', '2026-03-09', null].map((t) =>
  t === null ? null : day(t),
);
const monthOf = (d: number): number => new Date(d * 86_400_000).getUTCMonth() + 1;

const world = (measures: Measure[], periodFamilies: PeriodFamily[] = []): ModelData => {
  const model: Model = readModel(
    JSON.stringify({
      crease: 1,
      name: 'library',
      asOf: '2026-02-15',
      tables: [
        {
          name: 'loan',
          role: 'fact',
          columns: [
            { name: 'lent', type: 'date' },
            { name: 'back', type: 'date' },
          ],
        },
        {
          name: 'calendar',
          role: 'dimension',
          key: ['day'],
          columns: [
            { name: 'day', type: 'date' },
            { name: 'month', type: 'integer' },
          ],
        },
        { name: 'kind', role: 'dimension', key: ['code'], columns: [{ name: 'code', type: 'text' }] },
      ],
      relationships: [
        {
          name: 'lent_on',
          from: { table: 'loan', columns: ['lent'] },
          to: { table: 'calendar', columns: ['day'] },
        },
        {
          name: 'returned_on',
          from: { table: 'loan', columns: ['back'] },
          to: { table: 'calendar', columns: ['day'] },
          default: false,
        },
      ],
      calendars: [{ table: 'calendar', day: 'day' }],
      measures,
      periodFamilies,
    }),
  );
  const rows = {
    loan: [columnOfValues('lent', DATE, LENT), columnOfValues('back', DATE, BACK)],
    calendar: [columnOfValues('day', DATE, days), columnOfValues('month', INTEGER, days.map(monthOf))],
    kind: [columnOfValues('code', TEXT, ['x'])],
  };
  return new ModelData(
    withFamilies(model),
    (name) => tableOf(name, rows[name as keyof typeof rows]),
    day('2026-02-15'),
  );
};

/** Values by month, alike on both evaluators. */
function byMonth(data: ModelData, measure: string): readonly (readonly AnswerMember[])[] {
  const query = { by: ['calendar.month'], measures: [measure], totals: true };
  const answer = answerQuery(data, query);
  expect(answerInSqlite(data, query)).toEqual(answer);
  return answer.rows;
}
const counted = (list: readonly (number | null)[]): (number | null)[][] => {
  const months = new Set(list.map((d) => (d === null ? null : monthOf(d))));
  return [...months]
    .sort((a, b) => (a ?? 99) - (b ?? 99))
    .map((m) => [m, list.filter((d) => (d === null ? null : monthOf(d)) === m).length]);
};

const loans: Measure = { name: 'Loans', formula: 'count(loan)' };
const returns: Measure = { name: 'Returns', formula: 'count(loan)', via: 'returned_on' };

test('a measure goes by the relationship that it names, beside one that goes by the default', () => {
  const data = world([loans, returns]);
  expect(byMonth(data, 'Loans')).toEqual(counted(LENT));
  const returned = byMonth(data, 'Returns');
  expect(returned.filter(([m]) => m !== null)).toEqual(counted(BACK).filter(([m]) => m !== null));
  const query = { by: ['calendar.month'], measures: ['Loans', 'Returns'] };
  expect(answerInSqlite(data, query)).toEqual(answerQuery(data, query));
});

test.each<[string, string, readonly (number | null)[]]>([
  ['a via in the formula of the measure wins', 'count(loan) via lent_on', LENT],
  ['a via around the measure wins', '"Returns" via lent_on', LENT],
  ['of two, the inner one', '("Returns" via lent_on) via returned_on', LENT],
  ['and so the other way round', '("Loans" via returned_on) via lent_on', BACK],
])('%s', (_name, formula, list) => {
  const own: Measure = { name: 'M', formula, ...(formula.startsWith('count') ? { via: 'returned_on' } : {}) };
  const found = byMonth(world([loans, returns, own]), 'M').filter(([m]) => m !== null);
  expect(found).toEqual(counted(list).filter(([m]) => m !== null));
});

test('a measure of measures goes by its own relationship as a whole', () => {
  const data = world([loans, returns, { name: 'Both', formula: '"Loans" + "Returns"', via: 'lent_on' }]);
  expect(byMonth(data, 'Both')).toEqual(counted(LENT).map(([m, n]) => [m, 2 * n!]));
});

test('periods of a measure count the days that it goes by', () => {
  const upTo = (list: readonly (number | null)[]) =>
    list.filter((d) => d !== null && d >= FIRST && d <= day('2026-02-15')).length;
  const data = world(
    [loans, returns],
    [
      { measure: 'Returns', periods: ['year to date'] },
      { measure: 'Loans', via: 'lent_on', periods: ['year to date'] },
      {
        measure: 'Loans',
        calendar: 'calendar',
        via: 'returned_on',
        periods: ['year to date', 'whole month'],
      },
    ],
  );
  const query = {
    measures: [
      'Returns, year to date',
      'Loans, year to date, lent on',
      'Loans, year to date, returned on',
      'Loans, whole month, returned on',
    ],
  };
  const { rows } = answerQuery(data, query);
  expect(rows).toEqual([[upTo(BACK), upTo(LENT), upTo(BACK), 1]]);
  expect(answerInSqlite(data, query).rows).toEqual(rows);
});

test('a measure over a period has a title of its own where its base has one', () => {
  const data = world(
    [{ ...loans, title: 'Copies lent' }],
    [{ measure: 'Loans', via: 'lent_on', periods: ['year to date'] }],
  );
  expect(data.model.measures!.map((m) => m.title)).toEqual([
    'Copies lent',
    'Copies lent, year to date, lent on',
  ]);
});

test('the reason of a cell counts by the same way', () => {
  const data = world([loans, returns]);
  const { parts, value } = traceCell(
    data,
    { by: ['calendar.month'], measures: ['Returns'] },
    { by: [2], measure: 'Returns' },
  );
  expect(value).toBe(1);
  expect(parts[0]!.tables.at(-1)).toEqual({ table: 'calendar', path: ['returned_on'], rowsLeft: 1 });
});

test.each<[string, Measure, RegExp]>([
  ['an unknown relationship', { ...returns, via: 'retuned_on' }, /did you mean "returned_on"/],
  [
    'one that no way leads over',
    { name: 'Kinds', formula: 'count(kind)', via: 'returned_on' },
    /no way from kind leads over it/,
  ],
  ['a goal that is no measure', { ...loans, goal: { measure: 'Planned' } }, /"Planned" is no measure/],
])('%s breaks the claim of the formula', (_name, measure, message) => {
  const data = world([measure]);
  const claim = judgeModel(data.model, data, '2026-02-15').find(
    (c) => c.id === `formula-valid:${measure.name}`,
  )!;
  expect(claim.verdict).toBe('broken');
  expect(claim.evidence?.notes?.join()).toMatch(message);
});
