import type { Exact } from './types.ts';
import { add, multiply } from './exact.ts';

/** Microseconds in a day. */
export const DAY_MICROS = 86_400_000_000;

export interface CivilDate {
  readonly year: number;
  /** 1 to 12 */
  readonly month: number;
  /** 1 to 31 */
  readonly day: number;
}

/**
 * Days since 1970-01-01 in the proleptic Gregorian calendar.
 * Method: Howard Hinnant, "chrono-Compatible Low-Level Date Algorithms", days_from_civil.
 */
export function daysFromCivil(year: number, month: number, day: number): number {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = Math.floor((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) + day - 1;
  const dayOfEra = yearOfEra * 365 + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100) + dayOfYear;
  return era * 146097 + dayOfEra - 719468;
}

/** The inverse of `daysFromCivil` (civil_from_days of the same source). */
export function civilFromDays(days: number): CivilDate {
  const z = days + 719468;
  const era = Math.floor(z / 146097);
  const dayOfEra = z - era * 146097;
  const yearOfEra = Math.floor(
    (dayOfEra - Math.floor(dayOfEra / 1460) + Math.floor(dayOfEra / 36524) - Math.floor(dayOfEra / 146096)) /
      365,
  );
  const dayOfYear = dayOfEra - (365 * yearOfEra + Math.floor(yearOfEra / 4) - Math.floor(yearOfEra / 100));
  const mp = Math.floor((5 * dayOfYear + 2) / 153);
  const month = mp < 10 ? mp + 3 : mp - 9;
  return {
    year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0),
    month,
    day: dayOfYear - Math.floor((153 * mp + 2) / 5) + 1,
  };
}

const isLeapYear = (year: number): boolean => (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0;

const daysInMonth = (year: number, month: number): number =>
  month === 2 ? (isLeapYear(year) ? 29 : 28) : [4, 6, 9, 11].includes(month) ? 30 : 31;

/** Days since 1970-01-01, or undefined where the calendar has no such day. Years 1 to 9999. */
export function checkedDays(year: number, month: number, day: number): number | undefined {
  if (year < 1 || year > 9999 || month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month))
    return undefined;
  return daysFromCivil(year, month, day);
}

const two = (n: number): string => (n < 10 ? `0${n}` : `${n}`);

/** ISO 8601, `2026-03-01`. */
export function formatDate(days: number): string {
  const { year, month, day } = civilFromDays(days);
  return `${String(year).padStart(4, '0')}-${two(month)}-${two(day)}`;
}

/** The days and the microseconds within the day of a timestamp. */
export function splitTimestamp(micros: Exact): { days: number; micros: number } {
  if (typeof micros === 'number') {
    const days = Math.floor(micros / DAY_MICROS);
    return { days, micros: micros - days * DAY_MICROS };
  }
  let days = micros / BigInt(DAY_MICROS);
  if (micros < 0n && micros % BigInt(DAY_MICROS) !== 0n) days -= 1n;
  return { days: Number(days), micros: Number(micros - days * BigInt(DAY_MICROS)) };
}

/** ISO 8601 with a T, seconds always, fractions only where there are some. */
export function formatTimestamp(value: Exact): string {
  const { days, micros } = splitTimestamp(value);
  const seconds = Math.floor(micros / 1_000_000);
  const fraction = micros % 1_000_000;
  const tail = fraction === 0 ? '' : `.${String(fraction).padStart(6, '0').replace(/0+$/, '')}`;
  return `${formatDate(days)}T${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${tail}`;
}

export const timestampOf = (days: number, micros: number): Exact => add(multiply(days, DAY_MICROS), micros);

/** The day of the week by ISO 8601: 1 Monday to 7 Sunday. */
export const isoWeekday = (days: number): number => ((((days + 3) % 7) + 7) % 7) + 1;

/** Monday of the week that holds the day. */
export const weekStart = (days: number): number => days - isoWeekday(days) + 1;

/** ISO 8601 week number and the year that it belongs to. */
export function isoWeek(days: number): { year: number; week: number } {
  const thursday = weekStart(days) + 3;
  const year = civilFromDays(thursday).year;
  return { year, week: Math.floor((thursday - daysFromCivil(year, 1, 1)) / 7) + 1 };
}

/** The day `months` later; where the month lacks the day, its last. */
export function addMonths(days: number, months: number): number {
  const { year, month, day } = civilFromDays(days);
  const index = year * 12 + (month - 1) + months;
  const [y, m] = [Math.floor(index / 12), (((index % 12) + 12) % 12) + 1];
  return daysFromCivil(y, m, Math.min(day, daysInMonth(y, m)));
}
