import type { PeriodShape } from '../calendar/index.ts';
import type { SqlDialect } from './dialect.ts';
import { MONTHS } from './dialect.ts';

export interface PeriodSetting {
  /** The relation of the days D: `day`, and the key columns by which they differ. */
  readonly days: string;
  /** The relation of all days of the calendar, each once. */
  readonly known: string;
  readonly keys: readonly string[];
  readonly dialect: SqlDialect;
  /** First month of the fiscal year, from 1. */
  readonly firstMonth: number;
}

/**
 * A SELECT of the key columns and the `day`s of a period; as `periodDays` works it out for the columns
 * engine.
 */
export function periodSql(period: PeriodShape, setting: PeriodSetting): string {
  const { days, known, keys, dialect } = setting;
  const listed = (prefix: string) => keys.map((key) => `${prefix}${key}, `).join('');
  const group = keys.length === 0 ? '' : ` group by ${keys.join(', ')}`;
  // D's first day a, last day z, and how many it has. Without any day there is no row.
  const bounds = `(select ${listed('')}min(day) as a, max(day) as z, count(*) as n from ${days}${group} having count(*) > 0)`;
  const within = (condition: string) =>
    `select ${listed('b.')}k.day from ${bounds} b join ${known} k on ${condition}`;
  if (period.kind !== 'same') return within(withinSql(period, setting));
  const moved = (day: string) => movedBack(day, period.count, period.unit, dialect);
  const hole = `(select count(*) from ${known} h where h.day between b.a and b.z) > b.n`;
  const months = MONTHS[period.unit] !== undefined;
  const monthEnd = (day: string) =>
    dialect.addDays(dialect.addMonths(dialect.unitStart(day, 'month', 1), '1'), '-1');
  const whole = `${dialect.startsMonth('b.a')} and ${dialect.startsMonth(dialect.addDays('b.z', '1'))}`;
  const end = months
    ? `case when ${whole} then ${monthEnd(moved('b.z'))} else ${moved('b.z')} end`
    : moved('b.z');
  const match = keys.map((key) => `d.${key} ${dialect.notDistinct} b.${key}`).join(' and ') || '1 = 1';
  return `${within(`not (${hole}) and k.day between ${moved('b.a')} and ${end}`)}
  union select ${listed('b.')}${moved('d.day')} from ${bounds} b join ${days} d on ${match} where ${hole}`;
}

function withinSql(period: PeriodShape, { dialect, firstMonth }: PeriodSetting): string {
  const start = (day: string, unit: string) => dialect.unitStart(day, unit, firstMonth);
  const next = (day: string, unit: string) =>
    unit === 'day' || unit === 'week'
      ? dialect.addDays(start(day, unit), unit === 'week' ? '7' : '1')
      : dialect.addMonths(start(day, unit), String(MONTHS[unit]));
  switch (period.kind) {
    case 'to date':
      return period.unit === 'all' ? 'k.day <= b.z' : `k.day between ${start('b.z', period.unit)} and b.z`;
    case 'whole':
      return `k.day >= ${start('b.z', period.unit)} and k.day < ${next('b.z', period.unit)}`;
    case 'previous': {
      const end = start('b.a', period.unit);
      return `k.day < ${end} and k.day >= ${start(dialect.addDays(end, '-1'), period.unit)}`;
    }
    case 'next': {
      const from = next('b.z', period.unit);
      return `k.day >= ${from} and k.day < ${next(from, period.unit)}`;
    }
    default: {
      const plain = dialect.addDays(movedBack('b.z', period.count, period.unit, dialect), '1');
      const months = MONTHS[period.unit];
      if (months === undefined) return `k.day between ${plain} and b.z`;
      const wholeMonths = dialect.addMonths(
        dialect.unitStart('b.z', 'month', 1),
        String(1 - period.count * months),
      );
      return `k.day between case when ${dialect.startsMonth(dialect.addDays('b.z', '1'))} then ${wholeMonths} else ${plain} end and b.z`;
    }
  }
}

const movedBack = (day: string, count: number, unit: string, dialect: SqlDialect): string =>
  unit === 'day' || unit === 'week'
    ? dialect.addDays(day, String(-count * (unit === 'week' ? 7 : 1)))
    : dialect.addMonths(day, String(-count * MONTHS[unit]!));
