import { addMonths, civilFromDays, daysFromCivil, weekStart } from '../../values/index.ts';

/** Units of date functions. */
export const DATE_UNITS = ['day', 'week', 'month', 'quarter', 'year', 'hour', 'minute', 'second'] as const;

export const UNIT_MICROS: Record<string, number> = {
  hour: 3_600_000_000,
  minute: 60_000_000,
  second: 1_000_000,
};
const UNIT_MONTHS: Record<string, number> = { month: 1, quarter: 3, year: 12 };
const UNIT_DAYS: Record<string, number> = { day: 1, week: 7 };

/** First day of the unit that holds the day. */
export function truncateDays(days: number, unit: string): number {
  if (unit === 'week') return weekStart(days);
  const months = UNIT_MONTHS[unit];
  if (!months) return days;
  const { year, month } = civilFromDays(days);
  return daysFromCivil(year, Math.floor((month - 1) / months) * months + 1, 1);
}

/** A number that grows by one at each boundary of the unit. */
export function unitNumber(days: number, unit: string): number {
  if (unit === 'day') return days;
  if (unit === 'week') return Math.floor((days + 3) / 7);
  const { year, month } = civilFromDays(days);
  return Math.floor((year * 12 + month - 1) / UNIT_MONTHS[unit]!);
}

export const shiftDays = (days: number, count: number, unit: string): number =>
  UNIT_MONTHS[unit] ? addMonths(days, count * UNIT_MONTHS[unit]) : days + count * UNIT_DAYS[unit]!;
