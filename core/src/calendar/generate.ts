import type { DataType, Value } from '../values/index.ts';
import {
  addMonths,
  civilFromDays,
  DATE,
  daysFromCivil,
  formatDate,
  INTEGER,
  isoWeek,
  isoWeekday,
  TEXT,
} from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { columnOfValues } from '../columns/index.ts';
import { nextUnitStart, unitStart } from './periods.ts';

export interface FiscalYear {
  /** 1 to 12 */
  readonly firstMonth: number;
  /** Whether a fiscal year is called by the year in which it starts or ends. */
  readonly namedBy: 'start' | 'end';
}

/** Names of the months in English, January first. */
export const MONTH_NAMES: readonly string[] = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

type Maker = (day: number, fiscal: FiscalYear) => Value;

const quarterOf = (day: number): number => Math.ceil(civilFromDays(day).month / 3);

/** A day's quarter as 2026-Q1. */
function quarterName(day: number): string {
  return `${civilFromDays(day).year}-Q${quarterOf(day)}`;
}

/** A day's ISO week as 2026-W05. */
function weekOf(day: number): string {
  const { year, week } = isoWeek(day);
  return `${year}-W${String(week).padStart(2, '0')}`;
}

/** Months since the fiscal year began, 0 to 11. */
const fiscalMonth = (day: number, { firstMonth }: FiscalYear): number =>
  (civilFromDays(day).month - firstMonth + 12) % 12;

function fiscalYear(day: number, fiscal: FiscalYear): number {
  const start = civilFromDays(unitStart(day, 'fiscal year', fiscal.firstMonth)).year;
  // A fiscal year that starts in January is the calendar year, whichever end names it.
  return fiscal.namedBy === 'end' && fiscal.firstMonth > 1 ? start + 1 : start;
}

/** Every column that a generated calendar can have. */
export const CALENDAR_COLUMNS: Readonly<Record<string, { type: DataType; make: Maker; says: string }>> = {
  day: { type: DATE, make: (day) => day, says: 'the day' },
  year: { type: INTEGER, make: (day) => civilFromDays(day).year, says: 'calendar year' },
  quarter: { type: INTEGER, make: quarterOf, says: 'quarter, 1 to 4' },
  month: { type: INTEGER, make: (day) => civilFromDays(day).month, says: 'month, 1 to 12' },
  month_name: {
    type: TEXT,
    make: (day) => MONTH_NAMES[civilFromDays(day).month - 1]!,
    says: 'name of the month',
  },
  day_of_month: { type: INTEGER, make: (day) => civilFromDays(day).day, says: 'day of the month' },
  day_of_week: { type: INTEGER, make: isoWeekday, says: 'day of the week, 1 Monday' },
  day_name: { type: TEXT, make: (day) => DAYS[isoWeekday(day) - 1]!, says: 'name of the day' },
  iso_year: { type: INTEGER, make: (day) => isoWeek(day).year, says: 'year of the ISO week' },
  iso_week: { type: INTEGER, make: (day) => isoWeek(day).week, says: 'week by ISO 8601' },
  year_quarter: { type: TEXT, make: quarterName, says: 'as 2026-Q1' },
  year_month: { type: TEXT, make: (day) => formatDate(day).slice(0, 7), says: 'as 2026-03' },
  month_short: {
    type: TEXT,
    make: (day) => MONTH_NAMES[civilFromDays(day).month - 1]!.slice(0, 3),
    says: 'short name of the month',
  },
  day_short: {
    type: TEXT,
    make: (day) => DAYS[isoWeekday(day) - 1]!.slice(0, 3),
    says: 'short name of the day',
  },
  year_week: { type: TEXT, make: weekOf, says: 'ISO week as 2026-W05' },
  week_first: {
    type: DATE,
    make: (day) => unitStart(day, 'week', 1),
    says: 'first day of the week, a Monday',
  },
  week_last: {
    type: DATE,
    make: (day) => unitStart(day, 'week', 1) + 6,
    says: 'last day of the week, a Sunday',
  },
  previous_week: { type: TEXT, make: (day) => weekOf(day - 7), says: 'the week before, as 2026-W04' },
  next_week: { type: TEXT, make: (day) => weekOf(day + 7), says: 'the week after' },
  previous_month: {
    type: TEXT,
    make: (day) => formatDate(unitStart(day, 'month', 1) - 1).slice(0, 7),
    says: 'the month before, as 2026-02',
  },
  next_month: {
    type: TEXT,
    make: (day) => formatDate(nextUnitStart(day, 'month', 1)).slice(0, 7),
    says: 'the month after',
  },
  previous_quarter: {
    type: TEXT,
    make: (day) => quarterName(unitStart(day, 'quarter', 1) - 1),
    says: 'the quarter before, as 2025-Q4',
  },
  next_quarter: {
    type: TEXT,
    make: (day) => quarterName(nextUnitStart(day, 'quarter', 1)),
    says: 'the quarter after',
  },
  previous_year: { type: INTEGER, make: (day) => civilFromDays(day).year - 1, says: 'the year before' },
  next_year: { type: INTEGER, make: (day) => civilFromDays(day).year + 1, says: 'the year after' },
  fiscal_year: { type: INTEGER, make: fiscalYear, says: 'fiscal year' },
  fiscal_year_quarter: {
    type: TEXT,
    make: (day, fiscal) => `${fiscalYear(day, fiscal)}-Q${Math.floor(fiscalMonth(day, fiscal) / 3) + 1}`,
    says: 'fiscal quarter with its year, as 2026-Q1',
  },
  fiscal_year_period: {
    type: TEXT,
    make: (day, fiscal) =>
      `${fiscalYear(day, fiscal)}-P${String(fiscalMonth(day, fiscal) + 1).padStart(2, '0')}`,
    says: 'fiscal period with its year, as 2026-P01',
  },
  fiscal_quarter: {
    type: INTEGER,
    make: (day, fiscal) => Math.floor(fiscalMonth(day, fiscal) / 3) + 1,
    says: 'quarter of the fiscal year',
  },
  fiscal_period: {
    type: INTEGER,
    make: (day, fiscal) => fiscalMonth(day, fiscal) + 1,
    says: 'month of the fiscal year',
  },
  month_first: { type: DATE, make: (day) => unitStart(day, 'month', 1), says: 'first day of the month' },
  month_last: {
    type: DATE,
    make: (day) => nextUnitStart(day, 'month', 1) - 1,
    says: 'last day of the month',
  },
  quarter_first: {
    type: DATE,
    make: (day) => unitStart(day, 'quarter', 1),
    says: 'first day of the quarter',
  },
  quarter_last: {
    type: DATE,
    make: (day) => nextUnitStart(day, 'quarter', 1) - 1,
    says: 'last day of the quarter',
  },
  year_first: {
    type: DATE,
    make: (day) => daysFromCivil(civilFromDays(day).year, 1, 1),
    says: 'first day of the year',
  },
  year_last: {
    type: DATE,
    make: (day) => daysFromCivil(civilFromDays(day).year, 12, 31),
    says: 'last day of the year',
  },
  fiscal_year_first: {
    type: DATE,
    make: (day, f) => unitStart(day, 'fiscal year', f.firstMonth),
    says: 'first day of the fiscal year',
  },
  fiscal_year_last: {
    type: DATE,
    make: (day, f) => addMonths(unitStart(day, 'fiscal year', f.firstMonth), 12) - 1,
    says: 'last day of the fiscal year',
  },
};

/**
 * One row per day from `from` to `to` (days since 1970-01-01, both included), with the columns asked for.
 * Unknown names are left out.
 */
export function generateCalendar(
  from: number,
  to: number,
  names: readonly string[],
  fiscal: FiscalYear = { firstMonth: 1, namedBy: 'start' },
): Column[] {
  const days = Array.from({ length: Math.max(0, to - from + 1) }, (_, i) => from + i);
  return names.flatMap((name) => {
    const column = CALENDAR_COLUMNS[name.toLowerCase()];
    return column
      ? [
          columnOfValues(
            name,
            column.type,
            days.map((day) => column.make(day, fiscal)),
          ),
        ]
      : [];
  });
}
