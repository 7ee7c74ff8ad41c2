import { addMonths, civilFromDays, daysFromCivil, weekStart } from '../values/index.ts';

/** Units of periods; structurally the formula language's. */
export type Unit = 'day' | 'week' | 'month' | 'quarter' | 'year' | 'fiscal quarter' | 'fiscal year';

export type PeriodShape =
  | { readonly kind: 'to date'; readonly unit: Unit | 'all' }
  | { readonly kind: 'whole' | 'previous' | 'next'; readonly unit: Unit }
  | { readonly kind: 'same' | 'last'; readonly count: number; readonly unit: Unit };

const MONTHS: Partial<Record<Unit, number>> = {
  month: 1,
  quarter: 3,
  year: 12,
  'fiscal quarter': 3,
  'fiscal year': 12,
};

/** First day of the unit that holds the day; fiscal units start in `firstMonth` (1 to 12). */
export function unitStart(day: number, unit: Unit, firstMonth: number): number {
  if (unit === 'day') return day;
  if (unit === 'week') return weekStart(day);
  const months = MONTHS[unit]!;
  const offset = unit.startsWith('fiscal') ? firstMonth - 1 : 0;
  const { year, month } = civilFromDays(day);
  const index = Math.floor((year * 12 + month - 1 - offset) / months) * months + offset;
  return daysFromCivil(Math.floor(index / 12), (index % 12) + 1, 1);
}

/** First day of the unit after the one that holds the day. */
export function nextUnitStart(day: number, unit: Unit, firstMonth: number): number {
  const start = unitStart(day, unit, firstMonth);
  return unit === 'day' ? day + 1 : unit === 'week' ? start + 7 : addMonths(start, MONTHS[unit]!);
}

const moveBack = (day: number, count: number, unit: Unit): number =>
  unit === 'day' ? day - count : unit === 'week' ? day - 7 * count : addMonths(day, -count * MONTHS[unit]!);

const startsMonth = (day: number): boolean => civilFromDays(day).day === 1;
const endsMonth = (day: number): boolean => startsMonth(day + 1);
const monthEnd = (day: number): number => nextUnitStart(day, 'month', 1) - 1;

/**
 * The days of a period, as a test of a day. `days` is D, ascending and not empty; `known` are all days of the
 * calendar, ascending. A hole of D is a day of the calendar between its first and last that it lacks.
 */
export function periodDays(
  period: PeriodShape,
  days: ArrayLike<number>,
  known: ArrayLike<number>,
  firstMonth: number,
): (day: number) => boolean {
  const [a, z] = [days[0]!, days[days.length - 1]!];
  const between = (from: number, to: number) => (day: number) => day >= from && day <= to;
  switch (period.kind) {
    case 'to date':
      return between(period.unit === 'all' ? -Infinity : unitStart(z, period.unit, firstMonth), z);
    case 'whole':
      return between(unitStart(z, period.unit, firstMonth), nextUnitStart(z, period.unit, firstMonth) - 1);
    case 'previous': {
      const end = unitStart(a, period.unit, firstMonth) - 1;
      return between(unitStart(end, period.unit, firstMonth), end);
    }
    case 'next': {
      const start = nextUnitStart(z, period.unit, firstMonth);
      return between(start, nextUnitStart(start, period.unit, firstMonth) - 1);
    }
    case 'last': {
      const months = MONTHS[period.unit];
      if (months && endsMonth(z))
        return between(addMonths(unitStart(z, 'month', 1), 1 - period.count * months), z);
      return between(moveBack(z, period.count, period.unit) + 1, z);
    }
    case 'same': {
      const moved = (day: number) => moveBack(day, period.count, period.unit);
      if (hasHole(days, known)) {
        const set = new Set(Array.from(days, moved));
        return (day) => set.has(day);
      }
      const whole = MONTHS[period.unit] !== undefined && startsMonth(a) && endsMonth(z);
      return between(moved(a), whole ? monthEnd(moved(z)) : moved(z));
    }
  }
}

function hasHole(days: ArrayLike<number>, known: ArrayLike<number>): boolean {
  let inside = 0;
  for (let i = 0; i < known.length; i++)
    if (known[i]! >= days[0]! && known[i]! <= days[days.length - 1]!) inside++;
  return inside > days.length;
}
