import fc from 'fast-check';
import { judgeClaim, listClaims } from '../claims/index.ts';
import { columnValues, tableOf, valueAt } from '../columns/index.ts';
import type { Model, Table } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { addMonths, civilFromDays, DATE, formatDate, formatType, textReader } from '../values/index.ts';
import type { PeriodShape, Unit } from './index.ts';
import {
  CALENDAR_COLUMNS,
  generateCalendar,
  nextUnitStart,
  periodDays,
  unitStart,
  usualHierarchies,
} from './index.ts';

const day = (text: string) => textReader(DATE)(text) as number;
const range = (from: string, to: string) =>
  Array.from({ length: day(to) - day(from) + 1 }, (_, i) => day(from) + i);
const calendar = range('2023-01-01', '2027-12-31');

/** First and last day of a period, as text. */
function ends(period: PeriodShape, from: string, to = from, firstMonth = 7): string {
  const belongs = periodDays(period, range(from, to), calendar, firstMonth);
  const days = calendar.filter(belongs);
  return days.length === 0 ? 'none' : `${formatDate(days[0]!)} ${formatDate(days.at(-1)!)}`;
}

describe('periods', () => {
  test.each<[PeriodShape, string, string, string]>([
    [{ kind: 'to date', unit: 'year' }, '2026-03-18', '2026-03-18', '2026-01-01 2026-03-18'],
    [{ kind: 'to date', unit: 'fiscal year' }, '2026-03-18', '2026-03-18', '2025-07-01 2026-03-18'],
    [{ kind: 'to date', unit: 'fiscal quarter' }, '2026-03-18', '2026-03-18', '2026-01-01 2026-03-18'],
    [{ kind: 'to date', unit: 'week' }, '2026-03-18', '2026-03-18', '2026-03-16 2026-03-18'],
    [{ kind: 'to date', unit: 'all' }, '2026-03-18', '2026-03-18', '2023-01-01 2026-03-18'],
    [{ kind: 'whole', unit: 'quarter' }, '2026-02-01', '2026-02-10', '2026-01-01 2026-03-31'],
    [{ kind: 'whole', unit: 'week' }, '2026-01-01', '2026-01-01', '2025-12-29 2026-01-04'],
    [{ kind: 'previous', unit: 'month' }, '2026-03-01', '2026-05-31', '2026-02-01 2026-02-28'],
    [{ kind: 'previous', unit: 'fiscal year' }, '2026-03-18', '2026-03-18', '2024-07-01 2025-06-30'],
    [{ kind: 'next', unit: 'month' }, '2026-03-01', '2026-05-31', '2026-06-01 2026-06-30'],
    [{ kind: 'next', unit: 'day' }, '2026-02-28', '2026-02-28', '2026-03-01 2026-03-01'],
    [{ kind: 'same', count: 1, unit: 'year' }, '2024-02-29', '2024-02-29', '2023-02-28 2023-02-28'],
    [{ kind: 'same', count: 1, unit: 'month' }, '2026-02-01', '2026-02-28', '2026-01-01 2026-01-31'],
    [{ kind: 'same', count: 2, unit: 'quarter' }, '2026-03-10', '2026-03-31', '2025-09-10 2025-09-30'],
    [{ kind: 'same', count: 1, unit: 'week' }, '2026-03-18', '2026-03-20', '2026-03-11 2026-03-13'],
    [{ kind: 'last', count: 2, unit: 'month' }, '2026-03-31', '2026-03-31', '2026-02-01 2026-03-31'],
    [{ kind: 'last', count: 2, unit: 'month' }, '2026-03-18', '2026-03-18', '2026-01-19 2026-03-18'],
    [{ kind: 'last', count: 12, unit: 'month' }, '2026-02-28', '2026-02-28', '2025-03-01 2026-02-28'],
    [{ kind: 'last', count: 3, unit: 'day' }, '2026-03-18', '2026-03-18', '2026-03-16 2026-03-18'],
    [{ kind: 'last', count: 1, unit: 'year' }, '2024-02-29', '2024-02-29', '2023-03-01 2024-02-29'],
  ])('%j of %s to %s is %s', (period, from, to, expected) => {
    expect(ends(period, from, to)).toBe(expected);
  });

  test('days with a hole are moved one by one; without one they stay without', () => {
    const [a, b] = [range('2026-03-01', '2026-03-02'), range('2026-03-30', '2026-03-31')];
    const moved = periodDays({ kind: 'same', count: 1, unit: 'month' }, [...a, ...b], calendar, 1);
    expect(calendar.filter(moved).map(formatDate)).toEqual(['2026-02-01', '2026-02-02', '2026-02-28']);
    const whole = periodDays(
      { kind: 'same', count: 1, unit: 'month' },
      range('2026-03-01', '2026-03-31'),
      calendar,
      1,
    );
    expect(calendar.filter(whole)).toHaveLength(28);
  });

  const units: Unit[] = ['day', 'week', 'month', 'quarter', 'year', 'fiscal quarter', 'fiscal year'];

  test('units cut the days into stretches that follow each other', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -20000, max: 40000 }),
        fc.constantFrom(...units),
        fc.integer({ min: 1, max: 12 }),
        (d, unit, first) => {
          const [start, next] = [unitStart(d, unit, first), nextUnitStart(d, unit, first)];
          expect(start).toBeLessThanOrEqual(d);
          expect(next).toBeGreaterThan(d);
          expect(unitStart(next, unit, first)).toBe(next);
          expect(unitStart(next - 1, unit, first)).toBe(start);
          if (unit === 'fiscal year') expect(civilFromDays(start)).toMatchObject({ month: first, day: 1 });
        },
      ),
    );
  });

  test('previous and next are neighbours of whole; to date ends where it starts from', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: day('2024-01-01'), max: day('2026-12-31') }),
        fc.constantFrom(...units),
        (d, unit) => {
          const of = (period: PeriodShape) => calendar.filter(periodDays(period, [d], calendar, 7));
          const [before, whole, after] = [
            of({ kind: 'previous', unit }),
            of({ kind: 'whole', unit }),
            of({ kind: 'next', unit }),
          ];
          expect(whole).toContain(d);
          expect(before.at(-1)).toBe(whole[0]! - 1);
          expect(after[0]).toBe(whole.at(-1)! + 1);
          const toDate = of({ kind: 'to date', unit });
          expect([toDate[0], toDate.at(-1)]).toEqual([whole[0], d]);
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('a generated calendar', () => {
  const columns = generateCalendar(day('2025-06-28'), day('2026-01-05'), Object.keys(CALENDAR_COLUMNS), {
    firstMonth: 7,
    namedBy: 'end',
  });
  const at = (name: string, text: string) =>
    valueAt(
      columns.find((c) => c.name === name)!,
      day(text) - day('2025-06-28'),
    );

  test('has a row for each day and all its columns', () => {
    expect(columns).toHaveLength(Object.keys(CALENDAR_COLUMNS).length);
    expect(columns[0]!.rowCount).toBe(192);
    expect(columns.every((c) => c.nulls === 0)).toBe(true);
  });

  test.each<[string, string, unknown]>([
    ['year', '2025-06-30', 2025],
    ['quarter', '2025-06-30', 2],
    ['month_name', '2025-07-01', 'July'],
    ['day_of_week', '2025-06-30', 1],
    ['day_name', '2026-01-01', 'Thursday'],
    ['iso_year', '2025-12-29', 2026],
    ['iso_week', '2025-12-29', 1],
    ['year_quarter', '2025-12-31', '2025-Q4'],
    ['year_month', '2025-07-15', '2025-07'],
    ['fiscal_year', '2025-06-30', 2025],
    ['fiscal_year', '2025-07-01', 2026],
    ['fiscal_quarter', '2025-07-01', 1],
    ['fiscal_period', '2025-06-30', 12],
    ['fiscal_year_first', '2026-01-05', day('2025-07-01')],
    ['fiscal_year_last', '2026-01-05', day('2026-06-30')],
    ['month_last', '2025-11-03', day('2025-11-30')],
    ['quarter_first', '2025-11-03', day('2025-10-01')],
    ['year_last', '2025-11-03', day('2025-12-31')],
  ])('%s on %s is %j', (name, text, value) => {
    expect(at(name, text)).toBe(value);
  });

  test('a fiscal year may be named by the year in which it starts; one that starts in January is the calendar year', () => {
    const named = (firstMonth: number, namedBy: 'start' | 'end') =>
      columnValues(
        generateCalendar(day('2025-08-01'), day('2025-08-01'), ['fiscal_year'], { firstMonth, namedBy })[0]!,
      )[1];
    expect([named(7, 'start'), named(7, 'end'), named(1, 'end'), named(9, 'end')]).toEqual([
      2025, 2026, 2025, 2025,
    ]);
  });

  test('unknown columns are left out', () => {
    expect(generateCalendar(0, 3, ['day', 'moon']).map((c) => c.name)).toEqual(['day']);
  });
});

test('months are added without leaving the month', () => {
  fc.assert(
    fc.property(fc.integer({ min: -30000, max: 60000 }), fc.integer({ min: -60, max: 60 }), (d, months) => {
      const [before, after] = [civilFromDays(d), civilFromDays(addMonths(d, months))];
      expect(after.year * 12 + after.month).toBe(before.year * 12 + before.month + months);
      expect(after.day).toBeLessThanOrEqual(before.day);
    }),
  );
});

test.each([
  ['all columns', Object.keys(CALENDAR_COLUMNS)],
  [
    'numbers only',
    [
      'day',
      'year',
      'quarter',
      'month',
      'fiscal_year',
      'fiscal_quarter',
      'fiscal_period',
      'iso_year',
      'iso_week',
    ],
  ],
  ['names of months', ['day', 'year', 'month', 'month_name', 'fiscal_year']],
  ['no years', ['day', 'month_name', 'iso_week']],
] as const)(
  'the usual hierarchies of a calendar with %s: each period lies in one of the level above',
  (_what, names) => {
    const fiscalYear = { firstMonth: 7, namedBy: 'end' } as const;
    const table: Table = {
      name: 'calendar',
      role: 'dimension',
      key: ['day'],
      columns: names.map((name) => ({ name, type: formatType(CALENDAR_COLUMNS[name]!.type) })),
    };
    const rows = tableOf(
      'calendar',
      generateCalendar(day('2023-01-01'), day('2026-12-31'), names, fiscalYear),
    );
    const stacks = [true, false].map((numbered) => usualHierarchies(table, 'day', numbered));
    for (const hierarchies of stacks) {
      const model: Model = {
        crease: 1,
        name: 'm',
        tables: [table],
        hierarchies,
        calendars: [{ table: 'calendar', day: 'day', fiscalYear }],
      };
      const data = new ModelData(model, () => rows, 0);
      const claims = listClaims(model).filter((c) => c.kind.startsWith('level-'));
      // A week may lie in two months, but not in two of its own years.
      expect(claims.filter((c) => judgeClaim(c, data).verdict !== 'holds').map((c) => c.id)).toEqual([]);
    }
    const expected = {
      'all columns': ['Years', 'Fiscal years', 'Weeks'],
      'numbers only': ['Years', 'Fiscal years', 'Weeks'],
      'names of months': ['Years', 'Fiscal years'],
      'no years': [],
    };
    expect(stacks[0]!.map((h) => h.name)).toEqual(expected[_what]);
  },
);
