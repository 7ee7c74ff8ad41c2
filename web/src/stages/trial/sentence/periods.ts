import { withRoles } from '@crease/core/formula';
import type { Model, QueryFilter } from '@crease/core/model';

export type PeriodFilter = Extract<QueryFilter, { period: string }>;

/** Periods that are offered without asking for a number. */
export const COMMON_PERIODS = [
  'year to date',
  'quarter to date',
  'month to date',
  'fiscal year to date',
  'whole month',
  'previous month',
  'previous quarter',
  'previous year',
  'same period 1 year back',
];

export const UNITS = ['days', 'weeks', 'months', 'quarters', 'years'] as const;

/** Calendars of a model and their roles; undefined is the only one, whose name goes without saying. */
export function calendarsOf(asked: Model): (string | undefined)[] {
  const { model, rowsOf } = withRoles(asked);
  const own = (asked.calendars ?? []).length;
  return (model.calendars ?? []).map(({ table }) =>
    own === 1 && !rowsOf.has(table.toLowerCase()) ? undefined : table,
  );
}

export const periodFilter = (period: string, calendar: string | undefined): PeriodFilter => ({
  period,
  ...(calendar === undefined ? {} : { calendar }),
});

export const periodText = ({ period, calendar }: PeriodFilter): string =>
  calendar === undefined ? period : `${period} by ${calendar}`;

/** A period of the last so many units; undefined where a period is another. */
export function lastUnits(period: string): { count: number; unit: string } | undefined {
  const match = /^last (\d+) (day|week|month|quarter|year)s?$/i.exec(period);
  return match ? { count: Number(match[1]), unit: `${match[2]!.toLowerCase()}s` } : undefined;
}
